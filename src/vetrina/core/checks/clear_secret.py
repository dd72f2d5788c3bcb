"""clear-secret: a password in a message stands in clear in the sink.

Found by trying: a message with `password=…` in it reaches a file, a mail or another machine as it is.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, template: "{time} {level} {message|oneline}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, template: "{time} {level} {message|mask|oneline}"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._trying import short, tries
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.plan.samples import SECRET


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find templates that let a password through."""
    for one in tries(scene):
        if not any(scene.plan.appenders[name].sink.traits.lasting for name in one.owners):
            continue
        leaked = next((output for _, output in one.awkward() if SECRET in output), None)
        if leaked is not None:
            yield Hit(
                one.origin,
                one.subject,
                f"a password in a message or field stands in clear in {', '.join(one.owners)}",
                f"for instance: {short(leaked)}",
                "use the step mask: {message|mask}, {fields|mask}",
            )


CHECK = Check("clear-secret", "hint", "a password in a message stands in clear in the sink", find)
