"""The names of loggers: root's, and who is below whom."""

from __future__ import annotations

from collections.abc import Container, Iterator

ROOT = "root"


def tree_name(logger: str) -> str:
    """Return the name that a logger has in the tree: an event of the empty name is root's."""
    return logger or ROOT


def event_name(logger: str) -> str:
    """Return the name that a logger has in an event: root's is empty."""
    return "" if logger == ROOT else logger


_SEGMENTS = 64


def ancestry(name: str, separator: str) -> list[str]:
    """Return a logger's name and those above it, the nearest first, root last.

    Of a name with more segments than 64, only those of its first 64: names may be thousands of segments long.
    """
    segments = name.split(separator)
    above = (separator.join(segments[:count]) for count in range(min(len(segments) - 1, _SEGMENTS), 0, -1))
    return list(dict.fromkeys([name, *filter(None, above), ROOT]))


def named_above(name: str, names: Container[str], separator: str) -> Iterator[str]:
    """Yield those of ``names`` that are a logger or above it, root first and the nearest last."""
    if ROOT in names:
        yield ROOT
    end = 0 if name == ROOT else name.find(separator)
    while end > 0:
        if (above := name[:end]) in names and above != ROOT:
            yield above
        end = name.find(separator, end + len(separator))
    if name != ROOT and name in names:
        yield name


def below(name: str, ancestor: str, separator: str) -> bool:
    """Tell whether ``name`` is ``ancestor`` or below it, by whole segments; everything is below root."""
    if ancestor in {"", ROOT} or name == ancestor:
        return True
    if not name.startswith(ancestor):
        return False
    if not name.startswith(separator, len(ancestor)):
        return False
    segments = ancestor.split(separator)
    return name.split(separator, len(segments))[: len(segments)] == segments
