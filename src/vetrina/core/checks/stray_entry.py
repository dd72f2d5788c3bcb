"""stray-entry: an entry of a stage or layer file that names nothing in the plan.

It sets levels for a logger, or keys of an appender, that the plan itself does not have: likely a mistyped name.

Found::

    loggers: {root: {to: a}, ropeway.gate: info}
    appenders: {a: {sink: none}}
    stages: {live: {loggers: {ropeway.gaet: warn}}}

Fine::

    loggers: {root: {to: a}, ropeway.gate: info}
    appenders: {a: {sink: none}}
    stages: {live: {loggers: {ropeway.gate: warn}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.origins import Origin
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.config.accounts import stray_entries


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find entries that only a stage or a layer file has."""
    for one in stray_entries(scene.found):
        kind, _, layer = one.kind.partition(" in ")
        yield Hit(
            Origin("file", one.place),
            f"{kind} {one.name}",
            f"{one.name} stands in {layer} and nowhere else",
            one.remark,
            "mend the name, or name it in the plan as well",
        )


CHECK = Check("stray-entry", "warning", "an entry of a stage or layer file that names nothing in the plan", find)
