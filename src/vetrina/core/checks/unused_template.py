"""unused-template: a template that no appender uses.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
    templates: {short: "{message}"}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: short}}
    templates: {short: "{message}"}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find templates without an appender."""
    used = {one.template.name for one in scene.plan.appenders.values()}
    for name in scene.plan.templates:
        if name not in used:
            yield Hit(
                scene.plan.template_origins[name],
                f"template {name}",
                f"no appender uses the template {name}",
                "whoever changes it will see no difference",
                "name it under an appender, or remove it",
                f"--set 'templates[{name}]=null'",
            )


CHECK = Check("unused-template", "hint", "a template that no appender uses", find)
