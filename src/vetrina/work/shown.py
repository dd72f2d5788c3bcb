"""What is shown of every event as it comes: made of batches of events, in any process."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol, TypeVar

from msgspec import Struct

from vetrina.core.base.events import Event
from vetrina.core.base.logger_names import tree_name
from vetrina.core.plan.model import Plan
from vetrina.core.routing.grouping import Lost, take_lost
from vetrina.core.routing.measuring import ending_of, to_bytes
from vetrina.core.routing.parts import Part
from vetrina.core.routing.passages import Passages
from vetrina.core.routing.previewing import Preview
from vetrina.core.routing.router import Route, Router
from vetrina.views import routes as routes_view
from vetrina.views.documents import preview as preview_documents
from vetrina.views.documents import routes as routes_documents
from vetrina.views.json_text import json_line
from vetrina.views.screen import Line, hider, plain
from vetrina.work.takers import counts_events

R_co = TypeVar("R_co", covariant=True)
Batch = Callable[[Sequence[int], list[Event], int], R_co]
"""From the numbers of lines, their events, and how many events came before, to what is shown."""


class ShowingJob(Protocol[R_co]):
    """What is shown of events; it travels to other processes."""

    def opened(self) -> Batch[R_co]:
        """Return what makes it of a batch of events; it is made once in every process."""

    def counts(self) -> bool:
        """Tell whether the number of an event among all is shown."""

    def tells_lines(self) -> bool:
        """Tell whether the numbers of lines are shown."""

    def in_order(self) -> bool:
        """Tell whether events are decided in their order, so that one process must see them all.

        What `opened` returns may then have ``end``, which returns what is shown when they are through.
        """


class HandedJob(Struct):
    """The events themselves, with the numbers of their lines: for one process that decides on them in their order."""

    def counts(self) -> bool:
        """Show no numbers of events."""
        return False

    def tells_lines(self) -> bool:
        """Show the numbers of lines."""
        return True

    def in_order(self) -> bool:
        """Decide nothing."""
        return False

    def opened(self) -> Batch[tuple[Sequence[int], list[Event]]]:
        """Return what hands a batch over."""
        return lambda numbers, events, _before: (numbers, events)


class Each(Struct):
    """What `routes --each` shows of some events: text, or lines to be painted; and their errors that arrive nowhere."""

    text: str | list[Line]
    lost: Lost


class EachJob(Struct):
    """`routes --each`: one line an event, of the ``appenders`` alone where some are named."""

    plan: Plan
    part: Part
    appenders: tuple[str, ...]
    as_json: bool
    painted: bool

    def counts(self) -> bool:
        """Show no numbers of events."""
        return False

    def tells_lines(self) -> bool:
        """Show the numbers of lines."""
        return True

    def opened(self) -> Batch[Each]:
        """Return what shows a batch."""
        return _EachOpened(self, Passages(Router(self.plan)))

    def in_order(self) -> bool:
        """Tell whether events are decided in their order."""
        return self.plan.remembers

    def wanted(self, route: Route) -> Route:
        """Return a route with the wanted appenders alone, where some are named."""
        return self._wanted(route) if self.appenders else route

    def _wanted(self, route: Route) -> Route:
        """Return a route with the wanted appenders alone."""
        return Route(
            route.stopped_at,
            tuple(one for one in route.deliveries if one.appender in self.appenders),
            tuple(one for one in route.stops if one.appender in self.appenders),
        )


class _EachOpened:
    """Shows one line an event as soon as all is known of it; ``end`` shows those that are remembered still."""

    def __init__(self, job: EachJob, passages: Passages) -> None:
        self._job, self._passages = job, passages

    def __call__(self, numbers: Sequence[int], events: list[Event], before: int) -> Each:
        passages = self._passages
        found: list[tuple[int, Event, Route]] = []
        for number, (line, event) in enumerate(zip(numbers, events, strict=True), start=before + 1):
            route = passages.plain(event)
            if route is not None:
                found.append((line, event, route))
            else:
                found += [(one.tag, one.event, one.route()) for one in passages.take(event, number, line).settled]
        return self._shown(found)

    def end(self) -> Each:
        """Return what is shown of the events that are remembered to the end."""
        return self._shown([(one.tag, one.event, one.route()) for one in self._passages.left()])

    def _shown(self, found: list[tuple[int, Event, Route]]) -> Each:
        job, router, scale = self._job, self._passages.router, self._job.plan.scale
        lost: Lost = {}
        lines: list[Line] = []
        texts: list[str] = []
        for line, event, whole in found:
            severity = router.severities[event.level]
            if not job.part.holds(event, severity, job.plan.separator):
                continue
            take_lost(lost, router, event, whole)
            route, logger = job.wanted(whole), tree_name(event.logger)
            if job.as_json:
                texts.append(json_line(routes_documents.each_document(line, logger, scale.name(severity), route)))
            else:
                lines.append(routes_view.each_line(line, logger, severity, scale, route))
        if job.as_json:
            return Each("".join(texts), lost)
        return Each(lines if job.painted else plain(lines), lost)


class _PreviewJob(Struct):
    plan: Plan
    part: Part
    names: tuple[str, ...]
    first: int | None = None

    def counts(self) -> bool:
        """Tell whether a template shows the number of an event."""
        return counts_events(self.plan, names=self.names)

    def in_order(self) -> bool:
        """Tell whether events are decided in their order."""
        return self.plan.remembers

    def _preview(self) -> Preview:
        return Preview(Router(self.plan), self.part, self.names, self.first)


class RawJob(_PreviewJob):
    """`preview --raw`: the bytes that one appender writes."""

    def tells_lines(self) -> bool:
        """Show no numbers of lines."""
        return False

    def opened(self) -> Batch[bytes]:
        """Return what renders a batch."""
        preview, encoding = self._preview(), self.plan.appenders[self.names[0]].encoding

        def raw(numbers: Sequence[int], events: list[Event], before: int) -> bytes:
            texts = [one.output for one in preview.renderings(zip(numbers, events, strict=True), before)]
            return to_bytes("".join(texts), encoding)

        return raw

    def header(self) -> bytes:
        """Return what the bytes begin with."""
        one = self.plan.appenders[self.names[0]]
        return to_bytes(one.template.header(ending_of(one)), one.encoding)


class PreviewLinesJob(_PreviewJob):
    """`preview --json`: one JSON document a delivery."""

    def tells_lines(self) -> bool:
        """Show the numbers of lines."""
        return True

    def opened(self) -> Batch[bytes]:
        """Return what shows a batch."""
        preview, clean = self._preview(), hider(self.plan)

        def lines(numbers: Sequence[int], events: list[Event], before: int) -> bytes:
            shown = preview.renderings(zip(numbers, events, strict=True), before)
            text = "".join(json_line(preview_documents.document(one, clean(one.output))) for one in shown)
            return text.encode("utf-8", "backslashreplace")

        return lines
