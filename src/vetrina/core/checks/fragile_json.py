"""fragile-json: hand-made JSON that a quote will break.

A text template that looks like JSON puts texts between quotes without escaping them. One message with a quote or a line
break in it, and the line is no JSON any more.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: '{{"at":"{time}","say":"{message}"}}'}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: '{{"at":"{time}","say":"{message|json}"}}'}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._templates import in_use
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.templates.language import Placeholder

_SAFE = {"time", "level", "severity", "line", "sequence"}


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find text templates like JSON with unescaped values."""
    for template, origin, subject, _ in in_use(scene):
        if template.form != "text":
            continue
        parts = template.texts[0].parts
        if (
            not (isinstance(parts[0], str) and parts[0].lstrip().startswith("{") and '":' in "".join(map(str, parts)))
            if parts
            else True
        ):
            continue
        fragile = [
            one
            for at, one in enumerate(parts)
            if isinstance(one, Placeholder)
            and _quoted(parts, at)
            and one.source not in _SAFE
            and not any(step.name == "json" for step in one.steps)
        ]
        if fragile:
            names = ", ".join(dict.fromkeys(one.source for one in fragile))
            yield Hit(
                origin,
                subject,
                f"hand-made JSON: {names} stand between quotes and are not escaped",
                "one quote or line break in a message, and the line is no JSON any more",
                "use a template with as: json, or the step json on each value",
            )


def _quoted(parts: tuple[str | Placeholder, ...], at: int) -> bool:
    before = parts[at - 1] if at else ""
    after = parts[at + 1] if at + 1 < len(parts) else ""
    return isinstance(before, str) and before.endswith('"') and isinstance(after, str) and after.startswith('"')


CHECK = Check("fragile-json", "error", "hand-made JSON that a quote will break", find)
