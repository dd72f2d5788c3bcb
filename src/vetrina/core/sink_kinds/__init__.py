"""The kinds of sink that a plan may name, one module each; a new kind is one new module."""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules

from vetrina.core.sink_kinds.kind import SinkKind


def load() -> dict[str, SinkKind]:
    """Return every kind of sink by its name, sorted."""
    names = sorted(module.name for module in iter_modules(__path__) if not module.name.startswith("_"))
    modules = [import_module(f"{__name__}.{name}") for name in names]
    kinds: list[SinkKind] = [module.KIND for module in modules if hasattr(module, "KIND")]
    return {kind.name: kind for kind in kinds}


KINDS = load()
