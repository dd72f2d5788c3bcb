"""Text templates compiled to one Python function each: nothing is interpreted per event.

Here: what each source gives, and how sources and steps become code. What depends on the level or the logger's name
alone is worked out once per level or name and remembered.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, tzinfo
from typing import Any

from msgspec import Struct, field

from vetrina.core.base import clocks
from vetrina.core.base.events import FILLINGS, MISSING, Event, error_text, look_up, other_fields, pairs, text_of
from vetrina.core.base.faults import offer
from vetrina.core.base.levels import Scale, Severities
from vetrina.core.base.memo import Memo
from vetrina.core.templates.language import BadTemplate, Placeholder, StepCall, TemplateFault, parse
from vetrina.core.templates.masking import Mask, masker
from vetrina.core.templates.sources import SOURCES, source_fault
from vetrina.core.templates.steps import TEXT_STEPS, TIME_STEPS, WIDEST, Change

Render = Callable[[Event, int], str]
Measure = Callable[[Event, int], int]
MakeRender = Callable[[Event], Render]
MakeMeasure = Callable[[Event], Measure]


class Setting(Struct, frozen=True):
    """What a template takes from its plan."""

    zone: tzinfo = UTC
    separator: str = "."
    scale: Scale = field(default_factory=Scale)
    mask: Mask = Mask()


def size_of(text: str) -> int:
    """Return the bytes of a text in UTF-8."""
    return len(text) if text.isascii() else len(text.encode())


def _time_width(one: Placeholder, zone_: tzinfo) -> int | None:
    """Return the width of a time that is shown and then left alone, None where it varies."""
    steps = list(one.steps)
    while steps and steps[0].name == "in":
        zone_ = clocks.zone(steps.pop(0).argument or "")
    if not steps or (len(steps) == 1 and steps[0].name == "iso"):
        return 24 if zone_ is UTC else 29
    if len(steps) == 1 and steps[0].name == "%":
        return clocks.pattern_width(steps[0].argument or "")
    return None


def _field(event: Event, name: str) -> str:
    value = look_up(event.fields, name)
    return "" if value is MISSING else text_of(value)


def _position(event: Event, part: str) -> str:
    value = getattr(event.source, part) if event.source else None
    return "" if value is None else str(value)


def _text(value: str | int | None) -> str:
    return "" if value is None else str(value)


_SAME = frozenset({"level", "severity", "logger"})
"""Sources that give the same for all events of one logger and level."""
_NAME = 'e.logger or "root"'
"""The code of a logger's name as it is: nothing to remember, however many there are."""


class _Writer(Struct):
    """Writes the code of one template."""

    setting: Setting
    names: dict[str, object] = field(default_factory=dict)
    first: list[str] = field(default_factory=list)
    fixed: list[str] = field(default_factory=list)
    faults: list[TemplateFault] = field(default_factory=list)

    def bind(self, thing: object) -> str:
        name = f"x{len(self.names)}"
        self.names[name] = thing
        return name

    def placeholder(self, one: Placeholder) -> str:
        wrong = source_fault(one)
        if wrong:
            self.faults.append(wrong)
            return '""'
        kind, code, _ = SOURCES[one.source]
        if kind == "time":
            return f"({' + '.join(self._time(one))})"
        changes = self._changes(one)
        if one.source in _SAME:
            return self._remembered(one, changes)
        if one.source == "field":
            code = f"field(e, {self.bind(one.argument)})"
        if one.source == "error" and (shown := self._error(changes)):
            return f'({shown} if e.error else "")'
        return self._chain(code, changes)

    def pieces(self, one: Placeholder) -> list[str]:
        """Return the code of the texts that make up a placeholder's text."""
        timed = one.source == "time" and source_fault(one) is None
        return self._time(one) if timed else [self.placeholder(one)]

    def length(self, one: Placeholder) -> str | int:
        """Return how many bytes a placeholder takes in UTF-8: a number where that never varies, else code."""
        if one.source == "time":
            width = _time_width(one, self.setting.zone)
            if width is not None:
                return width
        if one.source in _SAME:
            changes = self._changes(one)
            if one.source == "logger" and not changes:
                return f"size({_NAME})"
            text = self._by_key(one, [change for _, change in changes])
            return f"{self.bind(Memo(lambda key: size_of(text(key))))}[e.{'logger' if one.source == 'logger' else 'level'}]"
        if one.source == "error" and (shown := self._error(self._changes(one))):
            return f"(size({shown}) if e.error else 0)"
        return f"(len(s) if (s := {self.placeholder(one)}).isascii() else len(s.encode()))"

    def _changes(self, one: Placeholder) -> list[tuple[StepCall, Change]]:
        """Return the steps on a placeholder's text with their functions; what is wrong with them is noted."""
        kind = SOURCES[one.source].kind
        return [(step, change) for step in one.steps if (change := self._change(step, kind)) is not None]

    def _error(self, changes: list[tuple[StepCall, Change]]) -> str:
        """Return the code of an error that is there, nothing where one that is not may become a text."""
        return "" if any(change("") for _, change in changes) else self._chain("error_text(e)", changes)

    def formatted(self, one: Placeholder) -> str:
        """Return a placeholder's text as pieces of a format string."""
        return "".join(f"f'{{{piece}}}'" for piece in self.pieces(one))

    def fix(self, code: str) -> str:
        """Return the piece of a format string for what hangs on the logger and the level only."""
        self.fixed.append(code)
        return f"f'{{f{len(self.fixed) - 1}}}'"

    def _chain(self, code: str, changes: list[tuple[StepCall, Change]]) -> str:
        for step, change in changes:
            code = f"({code} or {self.bind(step.argument)})" if step.name == "or" else f"{self.bind(change)}({code})"
        return code

    def _remembered(self, one: Placeholder, changes: list[tuple[StepCall, Change]]) -> str:
        if one.source == "logger" and not changes:
            return f"({_NAME})"
        memo = Memo(self._by_key(one, [change for _, change in changes]))
        return f"{self.bind(memo)}[e.{'logger' if one.source == 'logger' else 'level'}]"

    def _by_key(self, one: Placeholder, changes: list[Change]) -> Callable[[Any], str]:
        """Return the function from a level or logger, as written, to a placeholder's text."""
        severities, name = Severities(self.setting.scale), self.setting.scale.name
        first: Callable[[Any], str] = {
            "level": lambda level: name(severities[level]),
            "severity": lambda level: str(severities[level]),
            "logger": lambda logger: logger or "root",
        }[one.source]

        def make(key: Any) -> str:
            text = first(key)
            for change in changes:
                text = change(text)
            return text

        return make if changes else first

    def _time(self, one: Placeholder) -> list[str]:
        """Return the code of a time's pieces, to be written one after the other."""
        zone_, shown, rest = self.setting.zone, None, list(one.steps)
        while rest and rest[0].name in TIME_STEPS:
            step = rest.pop(0)
            if step.name == "in":
                zone_ = self._zone(step) or zone_
                continue
            shown = step
            break
        changes = [(step, change) for step in rest if (change := self._change(step, "text")) is not None]
        show = self._shown(shown, zone_) if shown else clocks.iso(zone_)
        if shown is None or shown.name == "iso":
            minutes: clocks.Minutes | None = clocks.iso_by_minutes(zone_)
        else:
            minutes = clocks.pattern_by_minutes(shown.argument or "", zone_) if shown.name == "%" and not self.faults else None
        if minutes is None:
            return [self._chain(f"{self.bind(show)}(e.time)", changes)]
        pieces = self._by_minutes(minutes)
        return [self._chain(f"({' + '.join(pieces)})", changes)] if changes else pieces

    def _by_minutes(self, minutes: clocks.Minutes) -> list[str]:
        """Look the minute up, unless it is still that of the event before; the second's and fraction's digits stand apart."""
        days, look, digits = self.bind(minutes.days), self.bind(minutes.look), self.bind(minutes.digits)
        before, seconds, after, begun, ended = (f"{days}{part}" for part in ("before", "seconds", "after", "begun", "ended"))
        self.names |= {begun: clocks.EPOCH, ended: clocks.EPOCH, before: "", seconds: (), after: ""}
        self.first = self.first or ["t = e.time"]
        self.first += [
            f"global {before}, {seconds}, {after}, {begun}, {ended}",
            f"if not {begun} <= t < {ended}:",
            "    d = t - epoch",
            f"    try: {before}, {seconds}, {after}, {begun}, {ended} = {days}[d.days][d.seconds // 60]",
            f"    except KeyError: {before}, {seconds}, {after}, {begun}, {ended} = {look}(t, d)",
        ]
        pieces = [before]
        if minutes.has_seconds:
            pieces.append(f"{seconds}[t.second]")
        if minutes.step < 1_000_000:
            pieces.append(f"{digits}[t.microsecond // {minutes.step}]")
        return [*pieces, after] if minutes.has_rest else pieces

    def _zone(self, step: StepCall) -> tzinfo | None:
        try:
            return clocks.zone(step.argument or "")
        except (KeyError, ValueError, OSError):
            what = f'"{(step.argument or "")[:60]}" is not a zone of the IANA database'
            self.faults.append(TemplateFault(step.offset, what, "write in Europe/Rome, for instance"))
            return None

    def _shown(self, step: StepCall, zone_: tzinfo) -> clocks.Show:
        if step.name != "%":
            if step.argument is not None:
                self.faults.append(TemplateFault(step.offset, f"{step.name} takes no argument"))
            return {"iso": clocks.iso(zone_), "epoch": clocks.epoch, "epoch-ms": clocks.epoch_ms}[step.name]
        pattern = step.argument or ""
        for offset, directive in clocks.pattern_faults(pattern):
            known = " ".join(name[1:] for name in clocks.DIRECTIVES)
            self.faults.append(
                TemplateFault(step.offset + offset, f'"{directive}" is not a time directive', f"known: {known} %")
            )
        return clocks.by_pattern(pattern, zone_)

    def _change(self, step: StepCall, kind: str) -> Change | None:  # noqa: C901  (each way a step can be wrong)
        """Return the function of a step on text, None where it has a fault (which is noted)."""
        argument = step.argument
        known = TEXT_STEPS.get(step.name)
        if step.name == "mask":
            if argument is not None:
                self.faults.append(TemplateFault(step.offset, "mask takes no argument"))
            return masker(self.setting.mask)
        if known is None:
            if step.name in TIME_STEPS:
                name = "a % pattern" if step.name == "%" else step.name
                self.faults.append(TemplateFault(step.offset, f"{name} works on a time, and this is none"))
            else:
                words = [*TEXT_STEPS, "mask", *list(TIME_STEPS)[1:]]
                self.faults.append(TemplateFault(step.offset, f'"{step.name[:60]}" is not a step', offer(step.name, words)))
            return None
        if known.on == "logger" and kind != "logger":
            self.faults.append(TemplateFault(step.offset, f"{step.name} works on a logger's name, and this is none"))
            return None
        separators = [self.setting.separator] if known.on == "logger" else []
        if not known.takes:
            if argument is not None:
                self.faults.append(TemplateFault(step.offset, f"{step.name} takes no argument"))
                return None
            return known.make()
        if argument is None:
            wants = "a number" if known.takes == "number" else "a text"
            self.faults.append(TemplateFault(step.offset, f"{step.name} needs {wants}"))
            return None
        if known.takes == "text":
            return known.make(argument)
        if not (argument.isascii() and argument.isdigit()) or len(argument) > 6 or int(argument) > WIDEST:
            what = f'{step.name} needs a whole number up to {WIDEST:,}, and "{argument[:40]}" is none'
            self.faults.append(TemplateFault(step.offset, what))
            return None
        return known.make(int(argument), *separators)


class TextTemplate(Struct, frozen=True):
    """A parsed text template: its parts, and how to make the function that renders it."""

    text: str
    parts: tuple[str | Placeholder, ...]
    setting: Setting

    def compile(self, ending: str = "") -> Render:
        """Return the function from (event, number in the input from 1) to text, ``ending`` included."""
        writer = _Writer(self.setting)
        pieces = [repr(part) if isinstance(part, str) else writer.formatted(part) for part in self.parts]
        return _functions(writer, " ".join([*pieces, repr(ending)]))(None)  # type: ignore[no-any-return]

    def compile_for(self, ending: str = "") -> MakeRender:
        """Return the function from an event to what `compile` gives, for events of its logger and level only.

        That is quicker: what hangs on these two is put together once.
        """
        writer = _Writer(self.setting)
        pieces: list[str] = []
        same: list[str] = []
        for part in (*self.parts, ending):
            if isinstance(part, str) or part.source in _SAME:
                same.append(repr(part) if isinstance(part, str) else writer.placeholder(part))
                continue
            pieces += [writer.fix(f"{' + '.join(same)}")] if same else []
            pieces.append(writer.formatted(part))
            same = []
        return _functions(writer, " ".join([*pieces, writer.fix(" + ".join(same))]))  # type: ignore[no-any-return]

    def compile_length(self, ending: str = "") -> MakeMeasure:
        """Return the function from an event to what measures events of its logger and level.

        That is the function from (event, number) to the bytes of the rendering in UTF-8, without rendering it.
        """
        writer = _Writer(self.setting)
        fixed = len(ending.encode())
        same: list[str] = []
        pieces: list[str] = []
        for part in self.parts:
            length = len(part.encode()) if isinstance(part, str) else writer.length(part)
            if isinstance(length, int):
                fixed += length
            elif isinstance(part, Placeholder) and part.source in _SAME:
                same.append(length)
            else:
                pieces.append(length)
        writer.fixed.append(" + ".join([str(fixed), *same]))
        return _functions(writer, " + ".join(["f0", *pieces]))  # type: ignore[no-any-return]

    @property
    def placeholders(self) -> tuple[Placeholder, ...]:
        """Return the placeholders, in order."""
        return tuple(part for part in self.parts if isinstance(part, Placeholder))


def _functions(writer: _Writer, expression: str) -> Any:
    """Return the function from an event to the function of events of its logger and level."""
    known = {
        "fillings": FILLINGS, "epoch": clocks.EPOCH, "error_text": error_text, "text": _text, "position": _position, "pairs": pairs,
        "other_fields": other_fields, "field": _field, "size": size_of, **writer.names,
    }  # fmt: skip
    fixed = "".join(f"    f{number} = {code}\n" for number, code in enumerate(writer.fixed))
    lines = "".join(f"        {line}\n" for line in writer.first)
    source = f"def make(e):\n{fixed}    def render(e, n):\n{lines}        return {expression}\n    return render\n"
    # generated code earns its place: "rendering to text" in docs/benchmarks.md, three times what a list of closures gave
    exec(compile(source, "<template>", "exec"), known)  # noqa: S102  (only our own code and bound names go in)
    return known["make"]


def text_template(text: str, setting: Setting) -> TextTemplate:
    """Return the template of ``text``; raise BadTemplate with every fault of form, source, step and argument."""
    parts = tuple(parse(text))
    writer = _Writer(setting)
    for part in parts:
        if isinstance(part, Placeholder):
            writer.placeholder(part)
    if writer.faults:
        raise BadTemplate(writer.faults)
    return TextTemplate(text, parts, setting)
