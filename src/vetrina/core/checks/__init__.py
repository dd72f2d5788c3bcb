"""Checks: one small module for each, discovered, not listed. A module's docstring is its page."""

from __future__ import annotations

import sys
from importlib import import_module
from pkgutil import iter_modules

from vetrina.core.checks.context import Check


def load() -> dict[str, Check]:
    """Return every check by its code, sorted."""
    names = [module.name for module in iter_modules(__path__) if not module.name.startswith("_")]
    modules = [import_module(f"{__name__}.{name}") for name in names]
    found: list[Check] = [module.CHECK for module in modules if hasattr(module, "CHECK")]
    return {check.code: check for check in sorted(found, key=lambda check: check.code)}


def page(check: Check) -> str:
    """Return the page of a check: its module's docstring."""
    module = sys.modules[f"{__name__}.{check.code.replace('-', '_')}"]
    return (module.__doc__ or "").strip()
