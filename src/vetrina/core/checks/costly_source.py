"""costly-source: the source position is asked for.

Finding file, line and function of the calling code is slow in most runtimes: often as much as the whole rest of a log call.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: "{file}:{line} {message}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: "{logger} {message}"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._templates import in_use
from vetrina.core.checks.context import Check, CheckContext, Hit

_COSTLY = {"file", "line", "function"}


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find templates in use with source positions."""
    for template, origin, subject, owners in in_use(scene):
        asked = sorted(template.sources() & _COSTLY)
        if asked:
            yield Hit(
                origin,
                subject,
                f"{' and '.join(asked)} of the calling code are asked for by {', '.join(owners)}",
                "in most runtimes this makes every log call much slower",
                "leave it out where many events come; the logger's name often says enough",
            )


CHECK = Check("costly-source", "hint", "the source position is asked for", find)
