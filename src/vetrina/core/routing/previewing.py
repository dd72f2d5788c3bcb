"""What each sink would receive, line by line; and a template laid out, piece by piece.

Here: renderings and remarks as data. Not here: how they look (views/preview.py).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import Event, compact_json, unfilled
from vetrina.core.base.wording import counted
from vetrina.core.plan.model import Appender
from vetrina.core.routing.cache import LoggerLevelCache
from vetrina.core.routing.measuring import Renders
from vetrina.core.routing.parts import Part
from vetrina.core.routing.passages import Passages
from vetrina.core.routing.router import Route, Router
from vetrina.core.templates.compiling import Render, TextTemplate
from vetrina.core.templates.forms import Template
from vetrina.core.templates.language import Placeholder

_CUTTING = {"cut", "cut-left", "lines", "last"}


class Shown(Struct, frozen=True):
    """One delivery: the line of the input, the appender, and what its sink receives, ending included."""

    line: int
    appender: str
    output: str
    event: Event
    severity: int
    number: int
    via: str = ""


class _Lane:
    """One appender that is looked at: how it renders, and how many deliveries it got."""

    __slots__ = ("name", "renders", "total")

    def __init__(self, appender: Appender) -> None:
        self.name, self.total = appender.name, 0
        self.renders = Renders(appender)


_Reached = list[tuple[_Lane, str, Render]]


class Preview:
    """The deliveries of a part of the events, in the order of writing, to the ``wanted`` appenders (all without any).

    With ``first`` only so many of each appender are rendered; ``totals`` counts all.
    """

    def __init__(self, router: Router, part: Part, wanted: tuple[str, ...] = (), first: int | None = None) -> None:
        self.router, self._part, self._first = router, part, first
        self._flows: LoggerLevelCache[_Reached | None] = LoggerLevelCache(router.places_with(part.logger).of)
        self._passages = Passages(router)
        self._lanes = {name: _Lane(router.plan.appenders[name]) for name in wanted or router.plan.appenders}

    @property
    def totals(self) -> dict[str, int]:
        """Return how many deliveries each appender got so far."""
        return {name: lane.total for name, lane in self._lanes.items()}

    def renderings(self, events: Iterable[tuple[int, Event]], before: int = 0) -> Iterator[Shown]:
        """Yield the deliveries of (line, event), before which so many came; each counts for `{sequence}`, in the part or not."""
        flows, severities, first = self._flows.by_logger, self.router.severities, self._first
        for number, (line, event) in enumerate(events, start=before + 1):
            try:
                reached = flows[event.logger][event.level]
            except KeyError:
                reached = self._learn(event)
            if reached is None or event.channel:
                route = self._passages.plain(event)
                if route is None:
                    yield from self._one_by_one(line, event, number)
                    continue
                reached = self._reached(event, route, any_=False)
            for lane, via, render in reached:
                lane.total += 1
                if first is None or lane.total <= first:
                    yield Shown(line, lane.name, render(event, number), event, severities[event.level], number, via)

    def _one_by_one(self, line: int, event: Event, number: int) -> Iterator[Shown]:
        """Yield what is written now that an event has come: itself, or what was remembered and is recalled by it."""
        for passage, at in self._passages.take(event, number, line).writes:
            one, via = passage.event, passage.lanes[at].via
            lane = self._lanes.get(passage.lanes[at].appender)
            if lane is None or not self._part.holds(one, passage.severity, self.router.plan.separator):
                continue
            lane.total += 1
            if self._first is None or lane.total <= self._first:
                text = lane.renders.of(one)(one, passage.number)
                yield Shown(passage.tag, lane.name, text, one, passage.severity, passage.number, via)

    def _learn(self, event: Event) -> _Reached | None:
        """Remember what events of a logger and level reach, None where that has to be asked of each."""
        route = None if self._part.fields else self.router.decide(event.logger, event.level).route
        if route is None:
            return self._flows.keep(event, None)
        return self._flows.keep(event, self._reached(event, route, any_=self._flows.is_shared(event)))

    def _reached(self, event: Event, route: Route, *, any_: bool) -> _Reached:
        """Return what an event reaches, with what renders such events: those of its logger, or of ``any_`` that shares it."""
        plan = self.router.plan
        if not self._part.holds(event, self.router.severities[event.level], plan.separator):
            return []
        lanes = self._lanes
        return [
            (lane, via, lane.renders.of_any() if any_ else lane.renders.of(event))
            for name, via in route.deliveries
            if (lane := lanes.get(name)) is not None
        ]


class Piece(Struct, frozen=True):
    """One part of a text template for one event: a literal (``source`` is empty), or a placeholder with its steps' results."""

    text: str
    source: str = ""
    written: str = ""
    steps: tuple[tuple[str, str], ...] = ()
    offset: int = 0


class Layout:
    """A text template taken apart: what every piece gives for an event."""

    def __init__(self, template: TextTemplate) -> None:
        self._template = template
        self._parts: list[str | tuple[Placeholder, list[Render]]] = []
        for part in template.parts:
            if isinstance(part, str):
                self._parts.append(part)
                continue
            stages = [replace(part, steps=part.steps[:count]) for count in range(len(part.steps) + 1)]
            self._parts.append((part, [TextTemplate(template.text, (one,), template.setting).compile() for one in stages]))

    def pieces(self, event: Event, number: int) -> list[Piece]:
        """Return the pieces for one event; joined they are its rendering."""
        found: list[Piece] = []
        for part in self._parts:
            if isinstance(part, str):
                found.append(Piece(part))
                continue
            placeholder, stages = part
            results = [stage(event, number) for stage in stages]
            steps = tuple(
                (_step_words(step.name, step.argument), result)
                for step, result in zip(placeholder.steps, results[1:], strict=True)
            )
            written = self._template.text[placeholder.offset : placeholder.end]
            found.append(
                Piece(results[-1], _source_words(placeholder), written, (("", results[0]), *steps), placeholder.offset)
            )
        return found


def _source_words(one: Placeholder) -> str:
    return f"{one.source} {one.argument}" if one.argument else one.source


def _step_words(name: str, argument: str | None) -> str:
    if name == "%":
        return argument or "%"
    if argument is None:
        return name
    return f"{name} {argument}" if re.fullmatch(r"[\w/+-]+", argument) else f"{name} {compact_json(argument)}"


def remarks(layouts: list[Layout], event: Event, number: int) -> list[str]:
    """Return what is worth a word about one rendering: empty values, unfilled holes, cut texts."""
    notes: list[str] = []
    holes = unfilled(event)
    if holes:
        notes.append(f"{counted(holes, 'hole')} of the message without a field")
    for layout in layouts:
        for piece in layout.pieces(event, number):
            if not piece.source:
                continue
            if not piece.text and not any(name.startswith(("before", "after")) for name, _ in piece.steps):
                notes.append(f"{piece.source} is empty")
            before = ""
            for name, result in piece.steps:
                if name.split(" ")[0] in _CUTTING and len(result) < len(before):
                    gone = len(before) - len(result)
                    notes.append(
                        f"{piece.source} is cut by {name}: {counted(gone, 'character')} {'is' if gone == 1 else 'are'} gone"
                    )
                before = result
    return list(dict.fromkeys(notes))


def layouts_of(template: Template) -> list[Layout]:
    """Return the layouts of every text in a template."""
    return [Layout(text) for text in template.texts]


def sink_words(appender: Appender) -> str:
    """Return the sink and the template's form, for a heading."""
    form = appender.template.form
    name = (
        f'template "{appender.template.name}"'
        if appender.template.name
        else "its own template"
        if appender.template_origin.place
        else "the default template"
    )
    return f"{appender.sink.kind} {appender.sink.label}, {name}" + (f" as {form}" if form not in {"text", "columns"} else "")
