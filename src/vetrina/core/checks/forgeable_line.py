"""forgeable-line: text from outside can forge a line.

A message with a line break in it makes two lines of one event, and the second can look like any other line. Who can write
into a message can write into the log.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, template: "{time} {level} {message}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, template: "{time} {level} {message|oneline}"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit

_FROM_OUTSIDE = {"message", "text", "field", "thread", "host", "process"}
_TAMED = {"oneline", "json"}


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find text templates of files with raw texts from outside."""
    for appender in scene.appenders(lambda sink: sink.parsed):
        if appender.template.form != "text":
            continue
        raw = [
            one.source
            for one in appender.template.placeholders
            if one.source in _FROM_OUTSIDE
            and not any(step.name in _TAMED or (step.name == "lines" and step.argument == "1") for step in one.steps)
        ]
        if raw:
            yield Hit(
                appender.template_origin if appender.template_origin.kind != "default" else appender.origin,
                f"appender {appender.name}",
                f"a line break in {' or '.join(dict.fromkeys(raw))} makes a second line in {appender.name}",
                "who can write into a message can forge lines of the log",
                "use the step oneline: {message|oneline}",
            )


CHECK = Check("forgeable-line", "hint", "text from outside can forge a line", find)
