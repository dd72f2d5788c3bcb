"""Two plans' appenders held against each other beyond routing: their lines, groups and files.

Appenders are matched by their sink's place, or by name. Lines are compared by rendering telling samples through both
templates; what is written differently and never looks different is told as undecided.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from msgspec import Struct

from vetrina.core.base.events import Event, has_error
from vetrina.core.base.quantities import show_span
from vetrina.core.plan.model import Appender, Buffer, Plan
from vetrina.core.plan.samples import samples
from vetrina.core.routing.measuring import ending_of, to_bytes
from vetrina.core.templates.compiling import Render

DifferenceKind = Literal["moved", "lines", "rush", "groups", "files", "sink"]


class SinkDifference(Struct, frozen=True):
    """What two matched appenders do differently: ``kind`` is `moved`, `lines`, `rush`, `groups`, `files` or `sink`.

    `rush` are limits, recalls and queues. ``words`` tell it key by key; for `lines` there is an example with what each writes. ``decided`` is False where
    templates are written differently and no sample showed it.
    """

    first: str
    second: str
    kind: DifferenceKind
    words: tuple[str, ...]
    decided: bool = True
    example: Event | None = None
    outputs: tuple[str, str] | None = None


def compare_sinks(first: Plan, second: Plan, *, by_appender: bool = False) -> tuple[SinkDifference, ...]:
    """Return what the appenders of two plans do differently with the same events."""
    found: list[SinkDifference] = []
    for one, other in _matched(first, second, by_appender=by_appender):
        moved = not by_appender and one.place != other.place
        if moved:
            found.append(SinkDifference(one.name, other.name, "moved", (f"{one.where} > {other.where}",)))
        found += _lines(first, second, one, other)
        found += _terms("rush", one, other, _late(one, first), _late(other, second))
        found += _terms("groups", one, other, _buffer(one.buffer, first), _buffer(other.buffer, second))
        if one.sink.kind == other.sink.kind and one.sink.traits.rolls:
            same_name = {"path": ""} if not by_appender and (moved or one.roll.path.text != other.roll.path.text) else {}
            found += _terms("files", one, other, one.roll.terms() | same_name, other.roll.terms() | same_name)
        found += _terms("sink", one, other, _keys(one), _keys(other))
    return tuple(found)


def _matched(first: Plan, second: Plan, *, by_appender: bool) -> Iterator[tuple[Appender, Appender]]:
    """Yield the appenders that answer to each other, in the first plan's order; several at one place pair up in turn.

    One whose place is nobody's in the other plan answers to the one of its name and kind there whose place is new: it looks
    like the same appender moved.
    """

    def key(one: Appender) -> str:
        return one.name if by_appender else f"{one.sink.kind} {one.sink.place}"

    others: dict[str, list[Appender]] = {}
    for one in second.appenders.values():
        others.setdefault(key(one), []).append(one)
    places = {key(one) for one in first.appenders.values()}
    for one in first.appenders.values():
        waiting = others.get(key(one))
        namesake = second.appenders.get(one.name)
        if waiting:
            yield one, waiting.pop(0)
        elif (
            namesake is not None
            and namesake.sink.kind == one.sink.kind
            and key(namesake) not in places
            and key(one) not in others
        ):
            yield one, namesake


def _lines(first: Plan, second: Plan, one: Appender, other: Appender) -> Iterator[SinkDifference]:
    headers = [appender.template.header(ending_of(appender)) for appender in (one, other)]
    renders = [appender.template.compile(ending_of(appender)) for appender in (one, other)]
    if headers[0] != headers[1]:
        words = ("the header differs",)
        yield SinkDifference(one.name, other.name, "lines", words, outputs=(headers[0].rstrip(), headers[1].rstrip()))
        return
    for number, event in enumerate(samples(first), start=1):
        texts = [render(event, number) for render in renders]
        data = [to_bytes(text, appender.encoding) for text, appender in zip(texts, (one, other), strict=True)]
        if data[0] != data[1]:
            words = ("the same event gives another line",)
            shown = (texts[0].rstrip("\r\n"), texts[1].rstrip("\r\n"))
            if shown[0] == shown[1]:
                words = ("the line ends otherwise, or is encoded otherwise",)
            yield SinkDifference(one.name, other.name, "lines", words, example=event, outputs=shown)
            if not has_error(event):
                yield _with_error(first, one, other, renders)
            return
    settings = [
        (appender.template.key(), plan.zone, plan.separator, plan.mask) for appender, plan in ((one, first), (other, second))
    ]
    if settings[0][0] != settings[1][0] or (settings[0][3] != settings[1][3] and _masks(one)):
        words = ("the templates are written differently, and no sample shows a difference",)
        yield SinkDifference(one.name, other.name, "lines", words, decided=False)


def _with_error(first: Plan, one: Appender, other: Appender, renders: list[Render]) -> SinkDifference:
    """Return what both write for an event that carries an error."""
    number, event = next((number, event) for number, event in enumerate(samples(first), start=1) if has_error(event))
    texts = [render(event, number).rstrip("\r\n") for render in renders]
    words = "and for an event with an error" + (", which gives the same" if texts[0] == texts[1] else "")
    return SinkDifference(one.name, other.name, "lines", (words,), example=event, outputs=(texts[0], texts[1]))


def _masks(one: Appender) -> bool:
    return any(step.name == "mask" for text in one.template.texts for part in text.placeholders for step in part.steps)


def _terms(
    kind: DifferenceKind, one: Appender, other: Appender, first: dict[str, str], second: dict[str, str]
) -> Iterator[SinkDifference]:
    words = tuple(
        f"{name}: {first.get(name, 'not given')} > {second.get(name, 'not given')}"
        for name in dict.fromkeys([*first, *second])
        if first.get(name) != second.get(name)
    )
    if words:
        yield SinkDifference(one.name, other.name, kind, words)


def _late(one: Appender, plan: Plan) -> dict[str, str]:
    """Return what an appender's limit, recall and queue say."""
    found = one.limit.terms() if one.limit else {}
    found |= one.recall.terms(plan.scale) if one.recall else {}
    return found | (one.queue.terms(plan.scale) if one.queue else {})


def _buffer(buffer: Buffer | None, plan: Plan) -> dict[str, str]:
    if buffer is None:
        return {}
    terms = {
        "buffer.events": str(buffer.events or ""),
        "buffer.age": "" if buffer.age is None else show_span(buffer.age),
        "buffer.at-once": "" if buffer.at_once is None else plan.scale.name(buffer.at_once),
    }
    return {name: text for name, text in terms.items() if text}


def _keys(one: Appender) -> dict[str, str]:
    """Return what else a sink says, with secrets hidden; path and append belong to the files."""
    shown = {name: _shown(value) for name, value in one.sink.keys.items() if value is not None}
    return {
        name: text for name, text in shown.items() if text and name not in {"path", "append", "roll", "columns", "encoding"}
    }


def _shown(value: object) -> str:
    if isinstance(value, list | tuple):
        return ", ".join(_shown(one) for one in value)
    if isinstance(value, dict):
        return ", ".join(f"{name}: {_shown(one)}" for name, one in value.items())
    return str(value)
