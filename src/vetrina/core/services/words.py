"""A service's own words, and the plan's: names of loggers and of levels, from one to the other."""

from __future__ import annotations

from collections.abc import Mapping

from vetrina.core.base.faults import Fault, Refused
from vetrina.core.base.levels import Scale
from vetrina.core.base.logger_names import ROOT
from vetrina.core.services.service import Service


class Words:
    """Translates between a service and a plan.

    ``scale`` and ``separator`` are the plan's; a service whose file gives no separator has the plan's. Raise Refused for a
    word of the service's that is given for no level.
    """

    def __init__(self, service: Service, scale: Scale, separator: str = ".") -> None:
        self.scale, self.separator = scale, separator
        self._root = service.root
        self._own = service.separator or separator
        self._levels: dict[str, int] = {}
        self._words: dict[int, str] = {}
        faults = []
        for word, level in service.levels.items():
            severity = scale.threshold(level.value)
            if severity is None:
                what = f'level "{level.value[:60]}" is not known'
                fix = scale.hint(level.value).removeprefix("; ")
                faults.append(Fault("unknown-level", what, fix=fix, place=level.origin.place))
                continue
            if word.lower() in self._levels:
                what = f'"{word[:60]}" is given twice (words ignore case)'
                faults.append(Fault("wrong-value", what, fix="leave one out", place=level.origin.place))
            self._levels[word.lower()] = severity
            self._words.setdefault(severity, word)
        if faults:
            raise Refused(faults)

    def severity(self, word: str) -> int | None:
        """Return the severity of a service's word, None for one that is not known."""
        own = self._levels.get(word.lower())
        return own if own is not None else self.scale.threshold(word)

    def word(self, severity: int) -> str:
        """Return the service's word for a severity."""
        return self._words.get(severity) or self.scale.name(severity)

    def level(self, word: str | None) -> str | None:
        """Return a service's word as the plan names it; one that is not known stays as it is."""
        if word is None:
            return None
        severity = self.severity(word)
        return word if severity is None else self.scale.name(severity)

    def same(self, one: str | None, other: str | None) -> bool:
        """Tell whether two words mean one level; words that are not known only by being equal, ignoring case."""
        if one is None or other is None:
            return one is other
        first, second = self.severity(one), self.severity(other)
        return one.lower() == other.lower() if first is None or second is None else first == second

    def planned(self, name: str) -> str:
        """Return the plan's name for a service's logger."""
        if name in {self._root, ""}:
            return ROOT
        return name if self._own == self.separator else name.replace(self._own, self.separator)

    def own(self, logger: str, known: Mapping[str, str] | None = None) -> str:
        """Return the service's name for a logger of the plan's; ``known`` are the names that the service gave itself."""
        if known and logger in known:
            return known[logger]
        if logger in {ROOT, ""}:
            return self._root
        return logger if self._own == self.separator else logger.replace(self.separator, self._own)
