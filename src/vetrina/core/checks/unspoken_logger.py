"""unspoken-logger: no statement of the program uses this logger, or one below it.

What is set here may be meant for another logger; the nearest that a statement does use is offered. A library that is not
among the sources may use it all the same. Needs `--source`.

Found::

    loggers: {root: {to: a}, ropeway.gaet: debug}
    appenders: {a: {sink: none}}
    # source
    info ropeway.gate hello

Fine::

    loggers: {root: {to: a}, ropeway: debug}
    appenders: {a: {sink: none}}
    # source
    info ropeway.gate hello
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.wording import counted
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.survey.arriving import unspoken


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find configured loggers that no statement uses."""
    unsure = sum(not one.sure for one in scene.statements)
    why = "what is set here may be meant for another logger"
    if unsure:
        why += f"; of {counted(unsure, 'statement')} only the run shows the logger"
    for one in unspoken(scene.statements, scene.plan):
        fix = f"did you mean {one.nearest}?" if one.nearest else "check the name, or survey the sources that use it as well"
        entry = scene.tree.entries[one.logger]
        yield Hit(entry.origin, f"logger {one.logger}", f"no statement of the program uses {one.logger}", why, fix)


CHECK = Check(
    "unspoken-logger", "warning", "no statement of the program uses this logger, or one below it", find, needs="source"
)
