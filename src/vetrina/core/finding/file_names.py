"""Names of files on a disk, held against the names that an appender gives its files."""

from __future__ import annotations

import glob
import re
from datetime import UTC, datetime
from functools import lru_cache

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.plan.file_names import COMPRESSED
from vetrina.core.templates import reading_times as times
from vetrina.core.templates.language import Placeholder, parse

_UNKNOWN = datetime.min.replace(tzinfo=UTC)


class Fit(Struct, frozen=True):
    """How a name fits a pattern: the period's beginning and the number in it, None where it does not tell them."""

    period: datetime | None
    number: int | None


class NameReader:
    """Reads names that a pattern, given by its parts, made in a zone."""

    def __init__(self, parts: list[str | Placeholder], zone: str) -> None:
        self._parts, self._zone = parts, zone
        self._placeholders = [one for one in parts if isinstance(one, Placeholder)]
        self._match = re.compile("".join(map(_expression, parts)), re.DOTALL).fullmatch

    def fit(self, name: str) -> Fit | None:
        """Return how a name fits, None where it does not; one that was compressed by hand fits as well."""
        found = self._match(name)
        if found is None:
            ending = next((one for one in COMPRESSED if name.endswith(one)), "")
            found = self._match(name.removesuffix(ending)) if ending else None
        if found is None:
            return None
        period: datetime | None = None
        number: int | None = None
        for one, text in zip(self._placeholders, found.groups(), strict=True):
            if one.source == "n":
                number = int(text)
            elif period is None:
                try:
                    period = self._period(one, text)
                except (ValueError, KeyError, OverflowError):  # no such day
                    return None
        return Fit(period, number)

    def _period(self, one: Placeholder, text: str) -> datetime | None:
        timed = Placeholder("time", None, one.steps, one.offset, one.end)
        if len(one.steps) > 1 or not times.dated(timed):
            return None
        values: times.Values = {}
        times.time_reader(timed, clocks.zone(self._zone))(text, values)
        found: datetime | None = values.get("time")
        return found

    def last_part(self) -> NameReader:
        """Return what reads only what follows the last slash."""
        kept: list[str | Placeholder] = []
        for part in reversed(self._parts):
            if isinstance(part, str) and "/" in part:
                kept.append(part.rpartition("/")[2])
                break
            kept.append(part)
        return NameReader([part for part in reversed(kept) if part], self._zone)

    def looks(self) -> str:
        """Return a pattern of names for looking into folders: `*` for what varies."""
        return "".join("*" if isinstance(part, Placeholder) else glob.escape(part) for part in self._parts)


@lru_cache(256)
def name_reader(text: str, zone: str) -> NameReader:
    """Return what reads the names of a pattern's text, in the plan's zone."""
    return NameReader(parse(text), zone)


def written_order(fit: Fit, *, newest_first: bool) -> tuple[datetime, int]:
    """Return what rolled files of one pattern are sorted by: the period, then the number as it counts."""
    number = fit.number or 0
    return fit.period or _UNKNOWN, -number if newest_first else number


def _expression(part: str | Placeholder) -> str:
    if isinstance(part, str):
        return re.escape(part)
    if part.source == "n":
        return r" *(\d+) *"
    timed = Placeholder("time", None, part.steps, part.offset, part.end)
    return f"({times.expression(timed)})" if len(part.steps) == 1 else "([^/]*)"
