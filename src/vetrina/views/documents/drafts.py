"""`read --draft --json`: a layout drafted from a log's own lines."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from msgspec import Struct

from vetrina.core.base.events import Event, error_text, filled
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.base.logger_names import tree_name


class LaidOut(Struct, omit_defaults=True):
    """An event that the draft reads, taken apart; `error` as text. A log without days has a `clock` instead of a `time`."""

    time: datetime | None
    level: str
    logger: str
    message: str
    thread: str | int | None = None
    process: str | int | None = None
    host: str | None = None
    error: str = ""
    fields: dict[str, Any] | None = None
    clock: str = ""


class ReadDraft(Struct):
    """A drafted layout: its `form` (text, json, csv, syslog or pairs), the `template` of a text, the `plan` to keep it with.

    `read` of `lines` lines are read, of those that were looked at: all where `whole` is true. `others` read as much.
    `template` is null for what one text does not say, `plan` empty where no plan can say it.
    """

    form: str
    template: str | None
    plan: str
    read: int
    lines: int
    whole: bool
    doubts: list[str]
    others: list[str]
    events: list[LaidOut]


def laid_out(events: Sequence[Event], scale: Scale, *, dated: bool) -> list[LaidOut]:
    """Return events taken apart."""
    severities = Severities(scale)
    return [
        LaidOut(
            one.time if dated else None, scale.name(severities[one.level]), tree_name(one.logger), filled(one), one.thread, one.process, one.host,
            error_text(one), one.fields or None, "" if dated else one.time.time().isoformat(),
        )
        for one in events
    ]  # fmt: skip
