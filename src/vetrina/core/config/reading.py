"""Filled scalars for the kinds of a plan, with their origins and faults."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct, field
from msgspec.structs import replace

from vetrina.core.base.faults import Fault, Place
from vetrina.core.base.levels import Scale
from vetrina.core.base.origins import Origin
from vetrina.core.config.placeholders import Filled, Filler, Use, typed
from vetrina.core.config.sections import WaiverKeys
from vetrina.core.plan.model import Waiver
from vetrina.core.schema.held import MergedNode
from vetrina.core.schema.kinds import Read
from vetrina.core.schema.nodes import Scalar


class PlanReader(Struct):
    """Reads filled scalars for the kinds, and collects faults."""

    filler: Filler
    faults: list[Fault] = field(default_factory=list)
    scale: Scale = field(default_factory=Scale)
    hidden: set[str] = field(default_factory=set)
    quoted: set[Place] = field(default_factory=set)
    filled: dict[Place, tuple[Use, ...]] = field(default_factory=dict)

    def report(self, fault: Fault) -> None:
        """Take a fault."""
        self.faults.append(fault)

    def scalar(self, held: MergedNode) -> Read | None:
        """Return the filled scalar, typed where it is plain; None for nothing and for a fault."""
        node = held.node
        if not isinstance(node, Scalar):
            return None
        filled = self.filler.fill(node)
        if isinstance(filled, Fault):
            self.faults.append(filled)
            return None
        value = typed(filled.text) if node.plain else filled.text
        if not node.plain and node.end - node.start == len(node.text) + 2:
            self.quoted.add(node.place)
        if value is None:
            return None
        if filled.uses:
            self.filled[node.place] = filled.uses
        if filled.shown != filled.text:
            self.hidden |= {one.text_within for one in _all_uses(filled.uses) if one.secret and one.text_within}
        return Read(value, filled.text, filled.shown, origin_of(held, filled))


def origin_of(held: MergedNode, filled: Filled | None = None) -> Origin:
    """Return where a value came from; one that was filled from outside the plan came from there."""
    outside = [use for use in _all_uses(filled.uses) if use.source in {"option", "env-file", "environment"}] if filled else []
    if outside:
        use = min(outside, key=lambda one: ("option", "env-file", "environment").index(one.source))
        place = None if held.layer.kind == "option" else held.place
        if use.source == "option":
            return Origin("option", place, f"--env {use.name}")
        return Origin("option" if use.source == "env-file" else "environment", place, f"{use.name} from {use.where}")
    if held.layer.kind == "option":
        return Origin("option", None, held.layer.label)
    return Origin(held.layer.kind, held.place, held.layer.label)


def _all_uses(uses: tuple[Use, ...]) -> list[Use]:
    return [inner for use in uses for inner in (use, *_all_uses(use.inner))]


def key_origin(held: MergedNode) -> Origin:
    """Return where a key stands, or the option that it came from."""
    place = held.key.place if held.key is not None and held.key.source is held.node.source else held.place
    if held.layer.kind == "option":
        return Origin("option", None, held.layer.label)
    return Origin(held.layer.kind, place, held.layer.label)


def waivers_of(sections: Iterable[WaiverKeys] | None) -> tuple[Waiver, ...]:
    """Return the waivers that a section has."""
    return tuple(Waiver(one.check.value, one.why.value, one.held.place) for one in sections or () if one.check and one.why)


def with_values(fault: Fault, reader: PlanReader) -> Fault:
    """Return a fault with the places of the values that its placeholders were filled with."""
    uses = reader.filled.get(fault.place, ()) if fault.place and not fault.related else ()
    found = []
    for use in _all_uses(uses):
        if use.place is not None:
            found.append((use.place, f"the value of ${{{use.name}}}"))
        elif use.source != "default" and fault.place is not None:
            found.append((fault.place, f"${{{use.name}}} comes from {use.where}"))
    return replace(fault, related=tuple(found)) if found else fault
