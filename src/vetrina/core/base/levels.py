"""Levels on the severity scale of the OpenTelemetry log data model (1 to 24), with the plan's own names.

Here: names, numbers, ranges. Not here: who has which level (loggers.py).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import NamedTuple

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import nearest
from vetrina.core.base.memo import Memo

ALL, OFF = 0, 25
LOWEST, HIGHEST = 1, 24
NAMES: dict[str, int] = {
    "trace": 1,
    "debug": 5,
    "info": 9,
    "notice": 10,
    "warn": 13,
    "error": 17,
    "critical": 18,
    "alert": 19,
    "fatal": 21,
}
ALIASES: dict[str, int] = {"warning": 13, "information": 9, "informational": 9, "err": 17, "emergency": 21}
THRESHOLDS: dict[str, int] = {"all": ALL, "off": OFF}
_BUILT_IN = {**NAMES, **ALIASES}
_DIGITS = re.compile(r"[0-9]{1,6}\Z")
_NAME = re.compile(r"[\w-]+\Z")


class LevelRange(NamedTuple):
    """Severities from ``low`` to ``high``, both included."""

    low: int
    high: int

    def holds(self, severity: int) -> bool:
        """Tell whether ``severity`` lies in the range."""
        return self.low <= severity <= self.high


class Scale:
    """The level names that one plan knows; names ignore case."""

    def __init__(self, extra: Mapping[str, int] | None = None) -> None:
        """Know the built-in names and ``extra`` (name to severity, 1 to 24)."""
        self.extra = {name.lower(): severity for name, severity in (extra or {}).items()}
        self._known = {**_BUILT_IN, **self.extra}
        self._shown: dict[int, str] = {ALL: "all", OFF: "off"}
        for name, severity in [*NAMES.items(), *(extra or {}).items()]:
            self._shown.setdefault(severity, name)

    def severity(self, level: object) -> int | None:
        """Return the severity of a level's name or number, None for an unknown one (`all` and `off` are none)."""
        if isinstance(level, str):
            if _DIGITS.match(level):
                return self._number(int(level))
            return self._known.get(level.lower())
        if isinstance(level, bool):
            return None
        if isinstance(level, int) or (isinstance(level, float) and level.is_integer()):
            return self._number(int(level))
        return None

    def threshold(self, level: object) -> int | None:
        """Return the severity of a threshold: a level, `all` (0) or `off` (25)."""
        if isinstance(level, str) and level.lower() in THRESHOLDS:
            return THRESHOLDS[level.lower()]
        return self.severity(level)

    def range(self, text: object) -> LevelRange:
        """Return the range that ``text`` means, raise NotUnderstood where it means none."""
        whole = text if isinstance(text, str) else str(text)
        low_text, dots, high_text = whole.partition("..")
        if not dots:
            low_text = high_text = whole
        elif not low_text.strip() and not high_text.strip():
            raise NotUnderstood('".." alone bounds nothing: leave the key out for every level')
        bounds = []
        for word, default in ((low_text.strip(), LOWEST), (high_text.strip(), HIGHEST)):
            if word.lower() in THRESHOLDS:
                raise NotUnderstood(f'"{word}" is a threshold, not a level: leave that end open instead')
            severity = self.severity(word) if word else default
            if severity is None:
                raise NotUnderstood(f'level "{word}" is not known' + self.hint(word))
            bounds.append(severity)
        low, high = bounds
        if low > high:
            raise NotUnderstood(f"upside down: {self.name(low)} is above {self.name(high)}")
        return LevelRange(low, high)

    def name(self, severity: int) -> str:
        """Return the built-in name of exactly this severity, else the plan's, else the number."""
        return self._shown.get(severity) or str(severity)

    def named(self) -> list[int]:
        """Return every severity that has a name, the lowest first."""
        return sorted({*NAMES.values(), *self.extra.values()})

    def names(self) -> list[str]:
        """Return every name that may be written, thresholds included."""
        return [*NAMES, *self.extra, *ALIASES, *THRESHOLDS]

    def hint(self, word: str) -> str:
        """Return the nearest names to offer for an unknown ``word``, as the end of a sentence."""
        close = nearest(str(word), self.names(), 2)
        if close:
            return "; the nearest: " + ", ".join(close)
        return "; known: " + ", ".join([*NAMES, *self.extra])

    @staticmethod
    def _number(number: int) -> int | None:
        return number if LOWEST <= number <= HIGHEST else None


class Severities(Memo[object, int]):
    """Event level (as written) to severity, filled as levels are met; raises KeyError for an unknown level."""

    def __init__(self, scale: Scale) -> None:
        """Look levels up on ``scale``."""

        def severity(level: object) -> int:
            found = scale.severity(level)
            if found is None:
                raise KeyError(level)
            return found

        super().__init__(severity)


def new_name_fault(name: str, taken: Mapping[str, int]) -> str:
    """Return why ``name`` cannot be added to the scale, or an empty text when it can."""
    if name.lower() in _BUILT_IN or name.lower() in THRESHOLDS:
        return f'"{name}" is a built-in level and keeps its meaning'
    if name.lower() in taken:
        return f'"{name}" is defined twice (names ignore case)'
    if not _NAME.match(name):
        return f'"{name}" holds other characters than letters, digits, "-" and "_"'
    if name.isdigit():
        return f'"{name}" is all digits and would read as a number'
    return ""
