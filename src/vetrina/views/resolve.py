"""The plan in force as YAML, each value with its origin as a comment; and as data."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from vetrina.core.config.dump import Entries, Items, Value, Written, yaml_text
from vetrina.views.levels import origin_json
from vetrina.views.screen import Line, Span, columns, safe


def as_json(body: Entries, secrets: list[str]) -> dict[str, Any]:
    """Return the document of `resolve --json`: the plan, and the origin of every value by its path."""
    origins: list[dict[str, Any]] = []
    plan = _plain(body, "", origins)
    return {"plan": plan, "origins": origins, "hidden": secrets}


def _plain(one: Written, path: str, origins: list[dict[str, Any]]) -> Any:
    if isinstance(one, Value):
        origins.append({"path": path, **origin_json(one.origin)})
        return one.json
    if isinstance(one, Items):
        if not one.items:
            origins.append({"path": path, **origin_json(one.origin)})
        return [_plain(item, f"{path}[{at}]", origins) for at, item in enumerate(one.items)]
    if not one.entries:
        origins.append({"path": path, **origin_json(one.origin)})
    return {name: _plain(child, _below(path, name), origins) for name, child in one.entries.items()}


def _below(path: str, name: str) -> str:
    if name.replace("-", "_").isidentifier():
        return f"{path}.{name}" if path else name
    quoted = f'"{name}"' if any(char in name for char in '[]"') else name
    return f"{path}[{quoted}]"


def resolve_lines(body: Entries, *, origins: bool) -> list[Line]:
    """Return the YAML as lines; ``origins`` adds the comments, aligned."""
    rows = list(_entries(body, 0))
    if not origins:
        return [[Span(text)] for text, _ in rows]
    wide = min(56, max((columns(text) for text, remark in rows if remark), default=0))
    return [
        [Span(text), Span(" " * max(2, wide + 2 - columns(text))), Span(f"# {safe(remark)}", "quiet")]
        if remark
        else [Span(text)]
        for text, remark in rows
    ]


def _entries(one: Entries, depth: int) -> Iterator[tuple[str, str]]:
    for name, child in one.entries.items():
        yield from _item(child, "  " * depth + yaml_text(name) + ":", depth)


def _item(one: Written, lead: str, depth: int) -> Iterator[tuple[str, str]]:
    if isinstance(one, Value):
        yield f"{lead} {one.yaml}", str(one.origin)
    elif isinstance(one, Items):
        if not one.items:
            yield f"{lead} []", str(one.origin)
            return
        yield lead, ""
        for item in one.items:
            yield from _listed(item, depth + 1)
    elif not one.entries:
        yield f"{lead} {{}}", str(one.origin)
    else:
        yield lead, ""
        yield from _entries(one, depth + 1)


def _listed(one: Written, depth: int) -> Iterator[tuple[str, str]]:
    """Yield an item of a list: its first line bears the dash."""
    dash = "  " * depth + "-"
    if isinstance(one, Value):
        yield f"{dash} {one.yaml}", str(one.origin)
        return
    if isinstance(one, Entries) and one.entries:
        for number, (text, remark) in enumerate(_entries(one, depth + 1)):
            yield (f"{dash} {text.lstrip(' ')}" if not number else text), remark
        return
    if isinstance(one, Items) and one.items:
        for number, item in enumerate(one.items):
            for at, (text, remark) in enumerate(_listed(item, depth + 1)):
                yield (f"{dash} {text.lstrip(' ')}" if not number and not at else text), remark
        return
    yield f"{dash} {'[]' if isinstance(one, Items) else '{}'}", str(one.origin)
