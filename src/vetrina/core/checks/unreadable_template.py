"""unreadable-template: a file whose lines cannot be read back into events.

`read` and all that searches logs cut a line at the literals of its template. Where nothing but blanks ends a
message, or nothing at all stands between two placeholders, no program can tell where the one ends and the other
begins. Readable is a template in which every placeholder but the last is ended by a text that its values do not hold, or
tells by itself where it ends (a time, a level); fields may follow a message at the very end.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: a.log, template: "{time} {level} {message} {logger}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: a.log, template: "{time} {level} {logger} {message} {fields}"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.routing.measuring import ending_of
from vetrina.core.templates.reading_back import obstacle_to_reading


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find templates of files that have no inverse."""
    for appender in scene.appenders(lambda sink: sink.rolls):
        obstacle = obstacle_to_reading(appender.template, ending_of(appender))
        if obstacle is not None and "end their lines" not in obstacle.what:  # that is no-line-end's
            yield Hit(
                appender.template_origin,
                f"appender {appender.name}",
                f"what {appender.name} writes cannot be read back: {obstacle.what}",
                "its log can be read by people only: not searched by logger or field, not sent through a plan again",
                obstacle.fix,
            )


CHECK = Check("unreadable-template", "hint", "a file whose lines cannot be read back into events", find)
