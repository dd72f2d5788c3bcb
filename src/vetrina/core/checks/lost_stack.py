"""lost-stack: errors arrive, and their stack does not.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: console, template: "{time} {level} {message}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: console, template: '{time} {level} {message}{error|before " "}'}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find appenders that errors reach and whose template leaves the error out."""
    for appender in scene.appenders():
        if not appender.sink.traits.nowhere and scene.receives(appender, ERROR) and "error" not in appender.template.sources():
            yield Hit(
                appender.template_origin if appender.template_origin.kind != "default" else appender.origin,
                f"appender {appender.name}",
                f"errors arrive in {appender.name}, and their type and stack do not",
                "the line will say that something failed, and not what",
                'add {error|before "\\n"} to its template',
            )


CHECK = Check("lost-stack", "warning", "errors arrive, and their stack does not", find)
