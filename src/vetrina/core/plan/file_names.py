"""Names of rolled files: patterns with `{period|%…}` and `{n}`, in the language of templates."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import lru_cache

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.templates.language import BadTemplate, Placeholder, TemplateFault, parse
from vetrina.core.templates.steps import TEXT_STEPS, WIDEST

COMPRESSED = (".gz", ".zst", ".xz", ".bz2")


class NamePattern(Struct, frozen=True):
    """A file's name with its placeholders; ``fill`` makes the name of one period and number."""

    text: str
    parts: tuple[str | Callable[[datetime, int], str], ...]
    has_period: bool
    has_number: bool
    zone_name: str

    def __reduce__(self) -> tuple[Callable[[str, str], NamePattern], tuple[str, str]]:
        """Travel between processes as a text."""
        return name_pattern, (self.text, self.zone_name)

    def fill(self, period: datetime, number: int) -> str:
        """Return the name for a period's start, in the plan's zone, and a number."""
        return "".join([part if isinstance(part, str) else part(period, number) for part in self.parts])

    @property
    def codec(self) -> str:
        """Return the ending that compresses (`.gz`, `.zst`, `.xz`, `.bz2`), or nothing."""
        return next((ending for ending in COMPRESSED if self.text.endswith(ending)), "")


def name_pattern(text: str, zone_name: str) -> NamePattern:
    """Return the pattern of ``text``; raise BadTemplate with all that is wrong with it."""
    parts: list[str | Callable[[datetime, int], str]] = []
    faults: list[TemplateFault] = []
    sources = set()
    for part in parse(text):
        if isinstance(part, str):
            parts.append(part)
            continue
        sources.add(part.source)
        if part.source == "period" and part.argument is None:
            parts.append(_period(part, zone_name, faults))
        elif part.source == "n" and part.argument is None:
            parts.append(_number(part, faults))
        else:
            what = f'"{part.source[:60]}" is not known in a file\'s name'
            faults.append(TemplateFault(part.offset + 1, what, "use {period|%Y-%m-%d} and {n}, or {{ for a literal {"))
    if faults:
        raise BadTemplate(faults)
    return NamePattern(text, tuple(parts), "period" in sources, "n" in sources, zone_name)


def _period(part: Placeholder, zone_name: str, faults: list[TemplateFault]) -> Callable[[datetime, int], str]:
    if not part.steps or part.steps[0].name != "%":
        faults.append(TemplateFault(part.offset, "period needs a % step", "write {period|%Y-%m-%d}, for instance"))
        return lambda _period, _number: ""
    pattern = part.steps[0].argument or ""
    for offset, directive in clocks.pattern_faults(pattern):
        faults.append(TemplateFault(part.steps[0].offset + offset, f'"{directive}" is not a time directive'))
    show = clocks.by_pattern(pattern, clocks.zone(zone_name))
    change = _changes(part.steps[1:], faults)

    @lru_cache(1)
    def shown(period: datetime, fold: int) -> str:
        del fold  # of two times that are equal but for this, each has its own offset
        return change(show(period))

    return lambda period, _number: shown(period, period.fold)


def _number(part: Placeholder, faults: list[TemplateFault]) -> Callable[[datetime, int], str]:
    change = _changes(part.steps, faults)
    return lambda _period, number: change(str(number))


def _changes(steps: tuple, faults: list[TemplateFault]) -> Callable[[str], str]:  # type: ignore[type-arg]
    changes = []
    for step in steps:
        known = TEXT_STEPS.get(step.name)
        digits = step.argument or ""
        numeric = digits.isascii() and digits.isdigit() and len(digits) <= 6 and int(digits) <= WIDEST
        if known is None or known.on != "text" or known.takes == "text" or bool(known.takes) != numeric:
            faults.append(TemplateFault(step.offset, f'"{step.name[:40]}" does not serve in a file\'s name'))
            continue
        changes.append(known.make(int(digits)) if known.takes else known.make())

    def apply(text: str) -> str:
        for change in changes:
            text = change(text)
        return text

    return apply


__all__ = ["COMPRESSED", "BadTemplate", "NamePattern", "name_pattern"]
