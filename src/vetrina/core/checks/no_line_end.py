"""no-line-end: a template without a line end in a file or on a console.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: console, template: t}}
    templates: {t: {as: text, text: "{message}", ending: " "}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: console, template: t}}
    templates: {t: {as: text, text: "{message}"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.routing.measuring import ending_of


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find endings that end no line."""
    for appender in scene.appenders(lambda sink: sink.lines):
        if not ending_of(appender).endswith(("\n", "\r")):
            yield Hit(
                appender.template_origin,
                f"appender {appender.name}",
                f"what {appender.name} writes does not end its lines",
                "all events run into one endless line",
                'leave ending out, or let it end with "\\n"',
            )


CHECK = Check("no-line-end", "warning", "a template without a line end in a file or on a console", find)
