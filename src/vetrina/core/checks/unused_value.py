"""unused-value: a value that no placeholder asks for.

Found::

    values: {logs: /x, spare: y}
    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: "${logs}/a.log"}}

Fine::

    values: {logs: /x}
    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: "${logs}/a.log"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.origins import Origin
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.config.accounts import names_in_use


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find values that fill nothing."""
    values = scene.found.held.get("values")
    used = names_in_use(scene.found) if values else set()
    for name, child in values.living() if values else ():
        if name not in used:
            yield Hit(
                Origin("file", child.key_place),
                "plan",
                f"no placeholder asks for the value {name}",
                "whoever changes it will see no difference",
                f"write ${{{name}}} where it is meant, or remove it",
                f"--set 'values.{name}=null'",
            )


CHECK = Check("unused-value", "hint", "a value that no placeholder asks for", find)
