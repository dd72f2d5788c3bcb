"""The tree of loggers: who is below whom, which level each really has, where each delivers.

Here: ancestry by segments, effective levels, the climb. Not here: gates and rules (router.py).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import Struct

from vetrina.core.base.logger_names import ROOT, below, tree_name
from vetrina.core.base.origins import Origin
from vetrina.core.plan.model import Attachment, Logger, Plan


class EffectiveLevel(Struct, frozen=True):
    """What holds for one logger.

    ``entry`` is its own entry, None where it has none (or a disabled one); ``nearest`` the nearest configured logger
    at or above it. ``inherited_from`` is None where the level is its own; ``origin`` is the effective level's.
    """

    name: str
    severity: int
    origin: Origin
    inherited_from: str | None
    entry: Logger | None
    nearest: str


class _Branch:
    """One segment of the tree: what is below it and the logger that ends here."""

    __slots__ = ("below", "name")

    def __init__(self) -> None:
        self.below: dict[str, _Branch] = {}
        self.name: str | None = None


class Tree:
    """The configured loggers of a plan; disabled entries are as if they were not there. Root is always there."""

    def __init__(self, plan: Plan) -> None:
        """Index the loggers by segment and work every effective level out, parents first."""
        self._plan = plan
        self._separator = plan.separator
        self._top = _Branch()
        self._top.name = ROOT
        self._deepest = 0
        self.entries: dict[str, Logger] = {}
        for logger in plan.loggers.values():
            if logger.enabled.value:
                self._plant(logger)
        self._parents: dict[str, str] = {}
        self._standing: dict[str, EffectiveLevel] = {}
        self._settle()

    def _plant(self, logger: Logger) -> None:
        self.entries[logger.name] = logger
        if logger.name != ROOT:
            self._deepest = max(self._deepest, _plant(self._top, logger.name, self._separator))

    def _settle(self) -> None:
        root = self.entries.get(ROOT)
        own = root.level if root else None
        level, origin = (own.value, own.origin) if own else (self._plan.assume.value, self._plan.assume.origin)
        self._standing[ROOT] = EffectiveLevel(ROOT, level, origin, None if own else ROOT, root, ROOT)
        waiting = [(self._top, ROOT)]
        while waiting:
            branch, parent = waiting.pop()
            for child in branch.below.values():
                nearest = parent
                if child.name is not None:
                    nearest = child.name
                    self._parents[nearest] = parent
                    self._standing[nearest] = self._stand(nearest, self._standing[parent])
                waiting.append((child, nearest))

    def _stand(self, name: str, above: EffectiveLevel) -> EffectiveLevel:
        entry = self.entries[name]
        if entry.level is not None:
            return EffectiveLevel(name, entry.level.value, entry.level.origin, None, entry, name)
        return EffectiveLevel(name, above.severity, above.origin, above.inherited_from or above.name, entry, name)

    def nearest(self, name: str) -> str:
        """Return the nearest configured logger at or above ``name``; root at last."""
        if name in {"", ROOT}:
            return ROOT
        return _nearest(self._top, name.split(self._separator, self._deepest)[: self._deepest])

    def standing(self, name: str) -> EffectiveLevel:
        """Return what holds for any logger, configured or not."""
        name = tree_name(name)
        known = self._standing.get(name)
        if known is not None:
            return known
        above = self._standing[self.nearest(name)]
        return EffectiveLevel(name, above.severity, above.origin, above.inherited_from or above.name, None, above.nearest)

    def parent(self, name: str) -> str | None:
        """Return the nearest configured logger above a configured one; None for root."""
        return self._parents.get(name)

    def climb(self, name: str) -> Iterator[tuple[str, Logger]]:
        """Yield the configured loggers that an event of ``name`` delivers through, own first."""
        here: str | None = self.nearest(name)
        while here is not None:
            entry = self.entries.get(here)
            if entry is not None:
                yield here, entry
                if not entry.climb.value:
                    return
            here = self._parents.get(here)

    def attachments(self, name: str) -> Iterator[tuple[str, Attachment]]:
        """Yield (logger, attachment) for everything that is met on the climb, in order."""
        for via, entry in self.climb(name):
            for attachment in entry.to:
                yield via, attachment

    def is_below(self, name: str, ancestor: str) -> bool:
        """Tell whether ``name`` is ``ancestor`` or below it; everything is below root."""
        return below(name, ancestor, self._separator)


class Places:
    """Where loggers stand among some names: all loggers of one place are treated alike by whatever knows only these names."""

    def __init__(self, names: Iterable[str], separator: str) -> None:
        """Index the names by segment; root is always there."""
        self._separator = separator
        self._top = _Branch()
        self._deepest = 0
        for name in names:
            if name not in {"", ROOT}:
                self._deepest = max(self._deepest, _plant(self._top, name, separator))

    def of(self, logger: str) -> tuple[str, bool]:
        """Return the nearest of the names at or above a logger (root at last), and whether it is the logger itself."""
        if logger in {"", ROOT}:
            return ROOT, True
        found = _nearest(self._top, logger.split(self._separator, self._deepest)[: self._deepest])
        return found, found == logger


def _plant(top: _Branch, name: str, separator: str) -> int:
    """Put a name into a tree; return how many segments it has."""
    branch = top
    segments = name.split(separator)
    for segment in segments:
        branch = branch.below.setdefault(segment, _Branch())
    branch.name = name
    return len(segments)


def _nearest(top: _Branch, segments: list[str]) -> str:
    """Return the deepest name along some segments; root at last."""
    branch, found = top, ROOT
    for segment in segments:
        below = branch.below.get(segment)
        if below is None:
            break
        branch = below
        if branch.name is not None:
            found = branch.name
    return found
