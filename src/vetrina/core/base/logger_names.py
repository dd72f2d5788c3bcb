"""The names of loggers: root's, and who is below whom."""

from __future__ import annotations

ROOT = "root"


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
