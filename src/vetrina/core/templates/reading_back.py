"""Templates read backwards: from a line to the values of its placeholders.

A text template becomes one expression that cuts a line at the template's literals, left to right; its cost is linear in
the line. A placeholder is *closed* when it tells by itself where it ends (a time, a level), else *open*: it ends where the
next literal begins. Two open ones without a literal between them collide, and so do a message and an open one with only
blanks between them, for a message holds blanks; such a template cannot be inverted. Only fields at the end may follow a
message after blanks: as pairs `k=v` they tell themselves from words.

Law: for events whose open values do not hold the literal that ends them, reading what a template wrote and writing it again gives
the same text. What a template leaves out (or cuts) is not given back. Levels are read in every spelling that a plan
reads; blanks that pad a value are not part of it, and names have none at their ends.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

from msgspec import Struct

from vetrina.core.base.clocks import directives
from vetrina.core.base.events import MISSING, Event, look_up, text_of
from vetrina.core.base.logger_names import event_name
from vetrina.core.base.memo import Memo
from vetrina.core.templates import reading_times as times
from vetrina.core.templates.compiling import TextTemplate
from vetrina.core.templates.forms import Template
from vetrina.core.templates.language import Placeholder
from vetrina.core.templates.reading_levels import LevelNames, Levels
from vetrina.core.templates.reading_pieces import (
    FIELDS,
    FREE,
    Collision,
    Piece,
    beginning,
    cut_into_pieces,
    cutter,
    expression,
    stopping,
)
from vetrina.core.templates.steps import TEXT_STEPS, Change
from vetrina.core.templates.undoing import Misfit, applying, noun, read_pairs, taking, typed_text, undoing

Values = dict[str, Any]


class Tail(Struct, frozen=True):
    r"""Where the lines that follow the first one of an event belong: to its `error` or its `message`.

    ``apart`` tells that they begin after a line break that the template itself writes (`{error|before "\n"}`); else they
    go on where the first line ends. ``undo`` takes the text back, ``apply`` writes it again.
    """

    place: str
    apart: bool
    undo: Change
    apply: Change


class Inverse(Struct, frozen=True):
    """A template read backwards.

    ``cut`` returns the raw texts of a whole record by placeholder, None where it does not fit. ``tail`` is where lines
    that begin no record may belong, None where they do not fit. ``has_date`` tells whether its times are complete.
    ``begins`` tells whether a line looks like the beginning of a record, whether or not it fits. ``stops`` tells where
    and why a line stops fitting. ``quick`` makes an event of a line in one go, where the template has only usual parts.
    """

    cut: Callable[[str], tuple[str, ...] | None]
    placeholders: tuple[Placeholder, ...]
    readers: tuple[Callable[[str, Values], None], ...]
    tail: Tail | None
    has_time: bool
    has_date: bool
    begins: Callable[[str], bool]
    stops: Callable[[str], tuple[int, str]]
    quick: Callable[[str], Event | None] | None = None

    def values(self, record: str) -> Values | None:
        """Return the event's values in a record, None where it does not fit; a time is under `clock` until dated."""
        texts = self.cut(record)
        if texts is None:
            return None
        found: Values = {}
        try:
            for text, read in zip(texts, self.readers, strict=True):
                read(text, found)
            _settle(found)
        except (ValueError, OverflowError):
            return None
        return found

    def why_not(self, record: str) -> str:
        """Return why a record does not fit: where it stops, and what is wanted there."""
        texts = self.cut(record)
        if texts is None:
            at, what = self.stops(record)
            return f"it stops fitting at character {at + 1}: {what}"
        found: Values = {}
        for text, read, one in zip(texts, self.readers, self.placeholders, strict=True):
            try:
                read(text, found)
            except Misfit as misfit:
                return str(misfit)
            except (ValueError, OverflowError):
                return f'"{text[:40]}" is no {noun(one)}'
        try:
            _settle(found)
        except Misfit as misfit:
            return str(misfit)
        return "its time has no place on the calendar"


@lru_cache(64)  # one takes some ms to make, and every part of a file that is read apart asks for it
def invert(template: TextTemplate) -> Inverse:
    """Return the inverse of a text template, which is made once; raise Collision where it has none."""
    parts = list(template.parts)
    _no_silent_step(template)
    tail = _tail(parts, template)
    if tail is not None and tail.apart:
        parts.pop()
    pieces = cut_into_pieces(parts, template)
    placeholders = tuple(one for one in parts if isinstance(one, Placeholder))
    timed = [one for one in placeholders if one.source == "time"]
    return Inverse(
        cutter(pieces),
        placeholders,
        tuple(_reader(one, template) for one in placeholders),
        tail,
        bool(timed),
        any(times.dated(one) for one in timed),
        beginning(pieces, parts, template),
        stopping(pieces),
        _quick_events(pieces, placeholders, template),
    )


def obstacle_to_reading(template: Template, ending: str) -> Collision | None:
    """Return why what a template wrote, each event with ``ending``, cannot be read back; None where it can."""
    if template.form == "columns":
        return Collision("a table is no log file", "query the database")
    if template.form == "text" and "\n" not in ending and "\r" not in ending:
        return Collision("its events do not end their lines", 'give the template an ending with "\\n"')
    try:
        for text in template.texts:
            invert(text)
    except Collision as collision:
        return collision
    return None


def _no_silent_step(template: TextTemplate) -> None:
    """Raise Collision for a step that neither says how it is undone nor that it cannot be."""
    for one in template.placeholders:
        for step in one.steps:
            known = TEXT_STEPS.get(step.name)
            if known is not None and known.undo is None and not known.lossy:
                raise Collision(
                    f"the step {step.name} on {{{one.source}}} does not say how it is undone", "read with a template without it"
                )


def _tail(parts: list[str | Placeholder], template: TextTemplate) -> Tail | None:
    """Return where further lines belong: only what stands last can hold them."""
    last = parts[-1] if parts else None
    if not isinstance(last, Placeholder) or last.source not in FREE:
        return None
    apart = last.source == "error" and any(
        step.name == "before" and (step.argument or "").startswith(("\n", "\r")) for step in last.steps
    )
    place = "error" if last.source == "error" else "message"
    return Tail(place, apart, undoing(last), applying(last, template))


_USUAL = {"time", "level", "severity", "logger", "message", "text", "thread", "process", "host"}


def _quick_events(
    pieces: list[Piece], placeholders: tuple[Placeholder, ...], template: TextTemplate
) -> Callable[[str], Event | None] | None:
    """Return a function from a line to its event, None for a template with unusual, repeated or undated parts.

    The function raises ValueError, OverflowError or KeyError for a line whose parts are not what they must be.
    """
    kinds = [{"severity": "level", "text": "message"}.get(one.source, one.source) for one in placeholders]
    if not {one.source for one in placeholders} <= _USUAL or len(set(kinds)) != len(kinds) or "time" not in kinds:
        return None
    names: dict[str, Any] = {"Event": Event, "parsed": datetime.fromisoformat}
    made = {"time": "", "level": "'info'", "logger": "''", "message": "''", "thread": "None", "process": "None", "host": "None"}
    cut = [f"v{at}" for at in range(len(placeholders))]
    for name, kind, one in zip(cut, kinds, placeholders, strict=True):
        if kind == "time":
            zone_, pattern = times.zone_and_pattern(one, template.setting.zone)
            order = str.upper if pattern is None else times.quick_reader(directives(pattern))
            if order is None or any(step.name.startswith("epoch") for step in one.steps):
                return None
            names["order"] = order
            ordered = name if order is str else f"order({name})"
            offset = "" if pattern is None else " + '+00:00'" if zone_ is UTC else f" + offsets[{ordered}[:19]]"
            made["time"] = f"parsed({ordered}{offset})"
            names["offsets"] = times.offsets(zone_)
        elif kind == "level":
            names["levels"] = LevelNames(Levels(one, template), template.setting.scale)
            made["level"] = f"levels[{name}]"
        elif kind == "message":
            names["message"] = taking(one, template)
            made[kind] = f"message({name})" if one.steps else name
        else:
            names[f"known_{kind}"] = _names(taking(one, template), logger=kind == "logger")
            made[kind] = f"known_{kind}[{name}]"
    event = "Event({time}, {level}, {logger}, {message}, None, None, {thread}, None, {process}, {host})".format(**made)
    names["match"] = re.compile(expression(pieces), re.DOTALL).fullmatch
    code = f"def quick(s):\n    m = match(s)\n    if m is None: return None\n    {', '.join(cut)}, = m.groups()\n    return {event}\n"
    # generated code earns its place: "reading a text log back" in docs/benchmarks.md
    exec(compile(code, "<inverse>", "exec"), names)  # noqa: S102  (only our own code and bound names go in)
    quick: Callable[[str], Event | None] = names["quick"]
    return quick


def _names(take: Change, *, logger: bool) -> Memo[str, str | None]:
    """Return a name of its text, remembered; None for none, but the empty name, root, of a ``logger``."""

    def name(text: str) -> str | None:
        taken = take(text)
        if logger:
            return event_name(taken)
        return taken or None

    return Memo(name)


def _reader(one: Placeholder, template: TextTemplate) -> Callable[[str, Values], None]:  # noqa: C901  (one way back for each source)
    """Return the function that takes a placeholder's text back into an event's values; it raises ValueError for a wrong one."""
    if one.source == "time":
        return times.time_reader(one, template.setting.zone)
    if one.source in {"level", "severity"}:
        levels, scale = Levels(one, template), template.setting.scale

        def level(text: str, values: Values) -> None:
            found = scale.name(levels[text])
            if values.setdefault("level", found) != found:
                raise Misfit("its level and its severity contradict each other")

        return level
    take = taking(one, template)
    if one.source in FIELDS:
        return lambda text, values: _put_fields(values, read_pairs(take(text)))
    if one.source == "field":
        name, apply_field = one.argument or "", applying(one, template)
        shows_all = any(other.source == "fields" for other in template.placeholders)

        def field(text: str, values: Values) -> None:
            values.setdefault("looks", {}).setdefault((name, shows_all), []).append((take(text), text, apply_field))

        return field
    if one.source == "sequence":
        return lambda _text, _values: None
    place, apply = _PLACES[one.source], applying(one, template)

    def plain(text: str, values: Values) -> None:
        got = take(text)
        seen = values.setdefault("seen", {})
        if place in seen:
            known, text_before, apply_before = seen[place]
            if apply(known) == text:
                return  # a look at what is known
            if apply_before(got) != text_before:
                raise Misfit(f'"{text_before[:40]}" and "{text[:40]}" are two {one.source}s in one line')
        seen[place] = got, text, apply
        if got or place in values:
            values[place] = got

    return plain


def _settle(values: Values) -> None:
    """Give each field that was shown by itself the value that all looks at it agree on; raise Misfit where there is none."""
    for (name, shows_all), looks in values.pop("looks", {}).items():
        fields = values.get("fields")
        known = look_up(fields, name) if shows_all else (fields or {}).get(name, MISSING)
        possible = [text_of(known)] if known is not MISSING else [""] if shows_all else [got for got, _, _ in looks]
        found = next(
            (one for one in possible if all(one == got or apply(one) == text for got, text, apply in looks)),
            None,
        )
        if found is None and (shows_all or known is not MISSING):
            raise Misfit(f'"{looks[0][1][:40]}" is not what the fields say of "{name[:40]}"')
        if found is None:
            raise Misfit(f'the field "{name[:40]}" has two values in one line')
        if found and known is MISSING:
            _put_fields(values, {name: typed_text(found)})


def _put_fields(values: Values, found: dict[str, Any]) -> None:
    fields = values.setdefault("fields", {})
    for name, value in found.items():
        if fields.setdefault(name, value) != value:
            raise Misfit(f'the field "{name[:40]}" has two values in one line')


_PLACES = {
    "logger": "logger", "message": "message", "text": "message", "error": "error", "thread": "thread", "process": "process", "host": "host", "channel": "channel",
    "file": "source.file", "line": "source.line", "function": "source.function",
}  # fmt: skip
