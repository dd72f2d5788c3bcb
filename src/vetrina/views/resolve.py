"""The plan in force as YAML, each value with its origin as a comment; and as data."""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.config.dump import Entries, Items, Value, Written, yaml_text
from vetrina.views.screen import Line, Span, columns, safe


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
