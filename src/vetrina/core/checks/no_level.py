"""no-level: lines of a file without a level.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, template: "{time} {message}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, template: "{time} {level} {message}"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find files whose template has no level, unless one level alone can come."""
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        passing = scene.passing(appender)
        if passing and passing[0] < passing[1] and not appender.template.sources() & {"level", "severity"}:
            yield Hit(
                appender.template_origin,
                f"appender {appender.name}",
                f"{appender.name} writes lines without a level",
                "nobody can look for errors in it",
                "add {level} to its template",
            )


CHECK = Check("no-level", "hint", "lines of a file without a level", find)
