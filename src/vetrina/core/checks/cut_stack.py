r"""cut-stack: a stack trace that is cut.

Found by trying: the error is in the template, and only its beginning arrives.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: '{message}{error|lines 1|before " - "}'}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: '{message}{error|before "\n"}'}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._trying import tries
from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit
from vetrina.core.plan.samples import STACK

_LAST = STACK.splitlines()[-1]


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find templates with an error whose last line does not come through."""
    for one in tries(scene):
        if "error" not in one.sources or not any(scene.receives(scene.plan.appenders[name], ERROR) for name in one.owners):
            continue
        if not any(_LAST in output for _, output in one.awkward()):
            yield Hit(
                one.origin,
                one.subject,
                f"only the beginning of a stack trace arrives in {', '.join(one.owners)}",
                f'its last line, "{_LAST}", is often the one that tells the cause',
                "leave the steps that cut out, or use indent or oneline",
            )


CHECK = Check("cut-stack", "hint", "a stack trace that is cut", find)
