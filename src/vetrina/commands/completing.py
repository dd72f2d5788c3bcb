"""What the shell offers after an option: names from the plan on the line, and codes of checks.

A plan that has faults still tells its names: it is read as a document, not resolved. What cannot be read offers nothing.
"""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path
from typing import Any

import typer

from vetrina.core.base.levels import NAMES, THRESHOLDS


def _plans(ctx: typer.Context) -> list[str]:
    """Return the plan on the line, and the layers over it; where a word is missing, Click leaves arguments unread."""
    given = ctx.params
    if any(one.name == "service" for one in ctx.command.params):
        return _plans_of_service(str(given.get("service") or next(iter(ctx.args), "")))
    named = given.get("plan") or given.get("plans") or ()
    if not named and any(one.name in {"plan", "plans"} for one in ctx.command.params if one.param_type_name == "argument"):
        named = ctx.args[:1]
    first = [named] if isinstance(named, str | Path) else list(named)
    return [str(one) for one in (*first, *(given.get("with_") or ()))]


def _plans_of_service(name: str) -> list[str]:
    """Return the plan that a service's file names, and the layers over it."""
    from vetrina.core.base.faults import Refused  # noqa: PLC0415  (only where the shell asks)
    from vetrina.formats.documents import decode, read_bytes, yaml_value  # noqa: PLC0415

    with suppress(Refused):
        found = yaml_value(decode(read_bytes(Path(name), name), name), name)
        layers = found.get("with") if isinstance(found, dict) else None
        named = [found.get("plan"), *(layers if isinstance(layers, list) else [layers])] if isinstance(found, dict) else []
        return [str(Path(name).parent / one) for one in named if isinstance(one, str)]
    return []


def _keys(ctx: typer.Context, section: str) -> list[str]:
    """Return the names under a section of the plan and its layers, and under the same of its stages."""
    return _names(_all_documents(ctx), section)


def _all_documents(ctx: typer.Context) -> list[dict[str, Any]]:
    by = str(ctx.params.get("by") or "")
    return [document for name in _plans(ctx) for document in _documents(name, by)]


def _names(documents: Iterable[dict[str, Any]], section: str) -> list[str]:
    parts = (document.get(section) for document in documents)
    return list(dict.fromkeys(name for part in parts if isinstance(part, dict) for name in part))


def _documents(name: str, by: str) -> Iterable[dict[str, Any]]:
    from vetrina.core.base.faults import Refused  # noqa: PLC0415  (only where the shell asks)
    from vetrina.formats.documents import decode, plain_value, read_bytes, yaml_value  # noqa: PLC0415
    from vetrina.formats.plans import mapping_for  # noqa: PLC0415

    with suppress(Refused):
        mapping = mapping_for(Path(name), by)
        if mapping is None:
            whole = yaml_value(decode(read_bytes(Path(name), name), name), name)
        else:
            from vetrina.formats.adopting import read_adopted  # noqa: PLC0415

            whole = plain_value(read_adopted(Path(name), name, mapping, [])[0])
        if isinstance(whole, dict):
            yield whole
            stages = whole.get("stages")
            yield from (one for one in (stages.values() if isinstance(stages, dict) else ()) if isinstance(one, dict))


def _beginning(names: Iterable[str], incomplete: str) -> list[str]:
    return [name for name in names if name.startswith(incomplete)]


def stages(ctx: typer.Context, incomplete: str) -> list[str]:
    """Return the plan's stages."""
    return _beginning(_keys(ctx, "stages"), incomplete)


def loggers(ctx: typer.Context, incomplete: str) -> list[str]:
    """Return the plan's loggers."""
    return _beginning(dict.fromkeys(["root", *_keys(ctx, "loggers")]), incomplete)


def appenders(ctx: typer.Context, incomplete: str) -> list[str]:
    """Return the plan's appenders."""
    return _beginning(_keys(ctx, "appenders"), incomplete)


def tunes(ctx: typer.Context, incomplete: str) -> list[str]:
    """Return `LOGGER=`, and after the equals sign every level."""
    logger, equals, _ = incomplete.partition("=")
    if equals:
        return _beginning((f"{logger}={level}" for level in [*NAMES, *THRESHOLDS, *_keys(ctx, "levels")]), incomplete)
    return [f"{name}=" for name in loggers(ctx, incomplete)]


def paths(ctx: typer.Context, incomplete: str) -> list[str]:
    """Return paths to the plan's loggers, appenders and templates, and to what may stand in each."""
    from vetrina.core.config.grammar import APPENDER, LOGGER, PLAN_KEYS, TEMPLATE  # noqa: PLC0415  (only where the shell asks)

    entries = {"loggers": LOGGER.keys, "appenders": APPENDER.keys, "templates": TEMPLATE.keys}
    documents = _all_documents(ctx)
    found = list(PLAN_KEYS)
    for section, keys in entries.items():
        for name in _names(documents, section):
            entry = f"{section}[{name}]"
            found += [entry, *(f"{entry}.{key}" for key in keys)] if incomplete.startswith(entry) else [entry]
    return _beginning(found, incomplete)


def codes(incomplete: str) -> list[str]:
    """Return the codes of the checks."""
    from vetrina.core.checks import load  # noqa: PLC0415  (only where the shell asks)

    return _beginning(load(), incomplete)


def severities(incomplete: str) -> list[str]:
    """Return what findings may be."""
    from vetrina.core.checks.context import SEVERITIES  # noqa: PLC0415  (only where the shell asks)

    return _beginning(SEVERITIES, incomplete)
