"""Loggers whose subtrees are alike, merged."""

from __future__ import annotations

ITSELF, BELOW, BOTH, ALL = "itself", "below", "itself and others below", "all"


class LoggerTree:
    """The loggers of both plans by name, to join those that share a difference with all below them."""

    def __init__(self, names: list[str], separator: str) -> None:
        self._children: dict[str, list[str]] = {name: [] for name in names}
        known = set(names)
        for name in names:
            if name != "root":
                self._children[_parent(name, known, separator)].append(name)

    def tops(self, places: set[tuple[str, str]]) -> list[tuple[str, str]]:
        """Return the fewest (logger, scope) that cover ``places`` and nothing else."""
        whole: set[str] = set()
        order: list[str] = []
        waiting = ["root"]
        while waiting:
            name = waiting.pop()
            order.append(name)
            waiting += self._children[name]
        for name in reversed(order):
            if {(name, ITSELF), (name, BELOW)} <= places and all(child in whole for child in self._children[name]):
                whole.add(name)
        found: list[tuple[str, str]] = []
        covered: set[str] = set()
        for name in order:
            if name in covered:
                covered.update(self._children[name])
            elif name in whole:
                found.append((name, ALL))
                covered.update(self._children[name])
            else:
                own = [scope for scope in (ITSELF, BELOW) if (name, scope) in places]
                found += [(name, BOTH)] if len(own) > 1 else [(name, scope) for scope in own]
        return found


def _parent(name: str, known: set[str], separator: str) -> str:
    segments = name.split(separator)
    for count in range(len(segments) - 1, 0, -1):
        above = separator.join(segments[:count])
        if above in known:
            return above
    return "root"
