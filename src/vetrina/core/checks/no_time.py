"""no-time: lines of a file without a time.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, template: "{level} {message}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, template: "{time} {level} {message}"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find files whose template has no time."""
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        if "time" not in appender.template.sources():
            yield Hit(
                appender.template_origin,
                f"appender {appender.name}",
                f"{appender.name} writes lines without a time",
                "nobody will know when anything happened, nor put two files side by side",
                "add {time} to its template",
            )


CHECK = Check("no-time", "warning", "lines of a file without a time", find)
