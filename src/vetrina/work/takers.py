"""What takes the events of a recording, made in any process: of plans that travel, and of the number of events before."""

from __future__ import annotations

from vetrina.core.changes.expecting import Recorder
from vetrina.core.changes.side_by_side import Comparison
from vetrina.core.checks.runner import Looking
from vetrina.core.plan.model import Plan
from vetrina.core.routing.counting import Counter
from vetrina.core.routing.grouping import Grouping
from vetrina.core.routing.parts import Part
from vetrina.core.routing.router import Router


def counter(plan: Plan, part: Part, with_bytes: bool, number: int) -> Counter:  # noqa: FBT001  (made with partial)
    """Return what counts deliveries, and measures them ``with_bytes``."""
    return Counter(Router(plan), with_bytes=with_bytes, part=part, number=number)


def grouping(plan: Plan, field: str, part: Part, number: int) -> Grouping:
    """Return what counts by the values of a field."""
    del number
    return Grouping(Router(plan), field, part)


def comparison(before: Plan, after: Plan, number: int) -> Comparison:
    """Return what sends events through two plans at once."""
    return Comparison(Router(before), Router(after), number)


def looking(plan: Plan, number: int) -> Looking:
    """Return what looks at what the events of each logger are like."""
    del number
    return Looking(Router(plan))


def recorder(plan: Plan, number: int) -> Recorder:
    """Return what records the classes of events."""
    del number
    return Recorder(Router(plan))


def counts_events(*plans: Plan) -> bool:
    """Tell whether a template of some plans shows an event's number among all."""
    return any("sequence" in one.template.sources() for plan in plans for one in plan.appenders.values())
