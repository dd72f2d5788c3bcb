"""unused-waiver: a waiver that silences nothing.

What it waived is gone, or was never found here: it would silence the next one unseen.

Found::

    waive: [{check: bare-root, why: nothing here}]
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    waive: [{check: bare-root, why: only ropeway is of interest}]
    loggers: {ropeway: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find nothing: the runner knows which waivers silenced something, and tells the others."""
    del scene
    return iter(())


CHECK = Check("unused-waiver", "warning", "a waiver that silences nothing", find)
