"""idle-layer: a stage or layer file that changes nothing.

It was asked for with `--stage` or `--with`, and everything it says is overruled, or was so before.

Found::

    loggers: {root: {to: a}, ropeway: info}
    appenders: {a: {sink: none}}
    stages: {live: {loggers: {ropeway: info}}}
    # stage live

Fine::

    loggers: {root: {to: a}, ropeway: info}
    appenders: {a: {sink: none}}
    stages: {live: {loggers: {ropeway: warn}}}
    # stage live
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.origins import Origin
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.config.accounts import changes_nothing


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find asked-for layers without which the plan is the same."""
    for layer, place in changes_nothing(scene.found):
        kind = "stage" if layer.kind == "stage" else "layer file"
        yield Hit(
            Origin("file", place),
            "plan",
            f"{kind} {layer.label} changes nothing",
            "what it says was so before, or is overruled by what comes after",
            "check its names and keys with vetrina origin --unused",
        )


CHECK = Check("idle-layer", "warning", "a stage or layer file that changes nothing", find)
