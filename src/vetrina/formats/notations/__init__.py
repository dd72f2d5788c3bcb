"""Notations of documents: one module for each, found by its name."""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules

from vetrina.core.documents.notation import Notation

_ENDING = "_documents"


def notations() -> list[str]:
    """Return the names that a mapping's `reads` may have."""
    return sorted(one.name.removesuffix(_ENDING) for one in iter_modules(__path__) if one.name.endswith(_ENDING))


def notation(name: str) -> Notation:
    """Return the notation of that name, one of `notations`."""
    found: Notation = import_module(f"{__name__}.{name}{_ENDING}").NOTATION
    return found
