"""The policy of a file: when it rolls, what it is then called, and what is kept.

Here: the typed policy. Not here: what is wrong with one (config/build_files.py), the simulation (rolling/).
"""

from __future__ import annotations

from datetime import timedelta

from msgspec import Struct

from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.base.quantities import exact_size, show_span
from vetrina.core.base.wording import plural
from vetrina.core.plan.file_names import NamePattern

UNITS = ("minute", "hour", "day", "week", "month", "year")


class Every(Struct, frozen=True):
    """How long a period is: ``count`` times ``unit``; ``at`` are minutes after midnight at which days begin."""

    unit: str
    count: int = 1
    at: int = 0


class Keep(Struct, frozen=True):
    """What is kept of closed files; None where there is no such limit."""

    files: Sourced[int] | None = None
    age: Sourced[timedelta] | None = None
    disk: Sourced[int] | None = None


class Roll(Struct, frozen=True):
    """A file's policy; ``path`` and ``rename_to`` are patterns of names."""

    path: NamePattern
    origin: Origin
    every: Every | None = None
    at_size: Sourced[int] | None = None
    size_after: bool = False
    each_start: bool = False
    rename_to: NamePattern | None = None
    newest_first: bool = False
    keep: Keep = Keep()
    rolls: bool = True
    append: bool = True

    @property
    def names(self) -> NamePattern:
        """Return the pattern that a closed file is named by."""
        return self.rename_to or self.path

    def terms(self) -> dict[str, str]:
        """Return what the policy says, key by key, as it could be written: equal for two policies that act alike."""
        every = self.every and (
            self.every.unit if self.every.count == 1 else f"{self.every.count} {plural(self.every.count, self.every.unit)}"
        )
        terms = {
            "path": self.path.text,
            "append": "" if self.append else "false",
            "every": every,
            "at": f"{self.every.at // 60:02}:{self.every.at % 60:02}" if self.every and self.every.at else "",
            "at-size": self.at_size and exact_size(self.at_size.value),
            "size-check": "after" if self.at_size and self.size_after else "",
            "each-start": "true" if self.each_start else "",
            "rename-to": self.rename_to and self.rename_to.text,
            "newest": "first" if self.newest_first else "",
            "keep.files": self.keep.files and str(self.keep.files.value),
            "keep.age": self.keep.age and show_span(self.keep.age.value),
            "keep.disk": self.keep.disk and exact_size(self.keep.disk.value),
        }
        return {name: text for name, text in terms.items() if text}
