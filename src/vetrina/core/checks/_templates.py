"""The templates in use, each once, with who uses it."""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.origins import Origin
from vetrina.core.checks.context import CheckContext
from vetrina.core.templates.forms import Template


def in_use(scene: CheckContext) -> Iterator[tuple[Template, Origin, str, list[str]]]:
    """Yield (template, its origin, subject, the appenders that use it); default templates are left out."""
    found: dict[int, tuple[Template, Origin, str, list[str]]] = {}
    for appender in scene.appenders():
        template = appender.template
        if appender.template_origin.kind == "default":
            continue
        if id(template) in found:
            found[id(template)][3].append(appender.name)
            continue
        named = bool(template.name)
        origin = scene.plan.template_origins[template.name] if named else appender.template_origin
        subject = f"template {template.name}" if named else f"appender {appender.name}"
        found[id(template)] = (template, origin, subject, [appender.name])
    yield from found.values()
