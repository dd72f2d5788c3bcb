"""The forms of a template: text, JSON (RFC 8259), CSV (RFC 4180), syslog (RFC 5424) and a table's columns.

A form is made once and compiled to one function; `render` gives what the sink receives for one event.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import msgspec
from msgspec import Struct, field

from vetrina.core.base import clocks
from vetrina.core.base.events import (
    MISSING,
    ErrorDetail,
    Event,
    SourcePosition,
    compact_json,
    filled,
    has_error,
    look_up,
    other_fields,
    pairs,
    text_of,
)
from vetrina.core.base.levels import LOWEST, Severities
from vetrina.core.base.logger_names import tree_name
from vetrina.core.templates.compiling import MakeMeasure, MakeRender, Measure, Render, Setting, TextTemplate, size_of
from vetrina.core.templates.language import Placeholder
from vetrina.core.templates.steps import LIVE

Raw = Callable[[Event, int], Any]
DEFAULT_TEXT = '{time} {level|upper|pad 5} {logger} {message}{error|before "\\n"}'
_SOME_TIME = datetime(2026, 1, 1, tzinfo=UTC)
_UNPRINTABLE = re.compile(r"[^\x21-\x7e]")
_SD_NAME = re.compile(r'[^\x21-\x7e]|[="\]]')


class Template(Struct, frozen=True):
    """A template of one form; ``ending`` is None where the form's own applies."""

    form: str
    setting: Setting
    ending: str | None = None
    texts: tuple[TextTemplate, ...] = ()
    name: str = ""

    def compile(self, ending: str) -> Render:
        """Return the function from (event, number) to what is written, ``ending`` included."""
        raise NotImplementedError

    def compile_for(self, ending: str) -> MakeRender:
        """Return the function from an event to what `compile` gives, for events of its logger and level only."""
        render = self.compile(ending)
        return lambda _event: render

    def compile_length(self, ending: str) -> MakeMeasure:
        """Return the function from an event to what gives the bytes of what is written, in UTF-8, for its logger and level."""
        render = self.compile(ending)
        measure: Measure = lambda event, number: size_of(render(event, number))  # noqa: E731  (one for all)
        return lambda _event: measure

    def key(self) -> object:
        """Return what is equal for two templates that surely render alike, in one setting and with one ending."""
        return (self.form, tuple(text.text for text in self.texts))

    def own_ending(self) -> str:
        """Return what follows an event where neither plan nor sink says otherwise."""
        return "\n" if self.ending is None else self.ending

    def header(self, ending: str) -> str:
        """Return what a new file begins with."""
        del ending
        return ""

    @property
    def placeholders(self) -> tuple[Placeholder, ...]:
        """Return every placeholder of every text in it."""
        return tuple(one for text in self.texts for one in text.placeholders)

    def sources(self) -> set[str]:
        """Return the names of the sources that it uses."""
        return {one.source for one in self.placeholders}


class PlainText(Template, frozen=True):
    """A text template."""

    def compile(self, ending: str) -> Render:
        """Compile the text with its ending."""
        return self.texts[0].compile(ending)

    def compile_for(self, ending: str) -> MakeRender:
        """Compile the text with its ending, for one logger and level after the other."""
        return self.texts[0].compile_for(ending)

    def compile_length(self, ending: str) -> MakeMeasure:
        """Add lengths up instead of rendering."""
        return self.texts[0].compile_length(ending)


class RawMember(Struct, frozen=True):
    """A member that bears a source's own JSON value."""

    source: str
    argument: str | None


Members = dict[str, "TextTemplate | RawMember | Members"]


class JsonObjectForm(Template, frozen=True):
    """One JSON object a line: compact, members in order, non-ASCII as it is."""

    members: Members = field(default_factory=dict)
    omit_empty: bool = False

    def compile(self, ending: str) -> Render:
        """Compile every member, and join them by the JSON encoder."""
        build = self._object(self.members)
        encode = _encode

        def render(event: Event, number: int) -> str:
            return encode(build(event, number)) + ending

        return render

    def key(self) -> object:
        """Two objects of equal members render alike."""
        return (self.form, _members_key(self.members), self.omit_empty)

    def _object(self, members: Members) -> Raw:
        makers: list[tuple[str, Raw]] = []
        for name, member in members.items():
            if isinstance(member, TextTemplate):
                makers.append((name, member.compile()))
            elif isinstance(member, RawMember):
                makers.append((name, raw_source(member, self.setting)))
            else:
                makers.append((name, self._object(member)))
        if not self.omit_empty:
            return lambda event, number: {name: make(event, number) for name, make in makers}

        def without_empty(event: Event, number: int) -> dict[str, Any]:
            found = ((name, make(event, number)) for name, make in makers)
            return {name: value for name, value in found if value is not None and value != ""}

        return without_empty

    def sources(self) -> set[str]:
        """Return the sources of texts and raw members."""
        return super().sources() | _raw_sources(self.members)


class PairsLine(JsonObjectForm, frozen=True):
    """One line of `k=v k=v`, members in order. No plan writes it: logs of unknown layout are read with it."""

    def compile(self, ending: str) -> Render:
        """Compile every member, and join them as pairs."""
        build = self._object(self.members)
        return lambda event, number: pairs(build(event, number)) + ending


def _members_key(members: Members) -> tuple[object, ...]:
    return tuple(
        (name, one.text if isinstance(one, TextTemplate) else _members_key(one) if isinstance(one, dict) else one)
        for name, one in members.items()
    )


def _raw_sources(members: Members) -> set[str]:
    found: set[str] = set()
    for member in members.values():
        if isinstance(member, RawMember):
            found.add(member.source)
        elif isinstance(member, dict):
            found |= _raw_sources(member)
    return found


def _encode(value: Any) -> str:
    try:
        return msgspec.json.encode(value).decode()
    except OverflowError:
        return compact_json(value)


def raw_source(member: RawMember, setting: Setting) -> Raw:
    """Return the function that gives a source's JSON value, None where it is missing."""
    severities, show_time = Severities(setting.scale), clocks.iso(setting.zone)
    name = member.argument or ""
    table: dict[str, Raw] = {
        "time": lambda e, _n: show_time(e.time),
        "level": lambda e, _n: setting.scale.name(severities[e.level]),
        "severity": lambda e, _n: severities[e.level],
        "logger": lambda e, _n: tree_name(e.logger),
        "message": lambda e, _n: filled(e),
        "text": lambda e, _n: e.message,
        "error": lambda e, _n: _error_value(e),
        "thread": lambda e, _n: e.thread,
        "file": lambda e, _n: e.source.file if e.source else None,
        "line": lambda e, _n: e.source.line if e.source else None,
        "function": lambda e, _n: e.source.function if e.source else None,
        "process": lambda e, _n: e.process,
        "host": lambda e, _n: e.host,
        "channel": lambda e, _n: e.channel or None,
        "sequence": lambda _e, n: n,
        "fields": lambda e, _n: e.fields,
        "other-fields": lambda e, _n: None if e.fields is None else other_fields(e),
        "field": lambda e, _n: None if (found := look_up(e.fields, name)) is MISSING else found,
    }
    return table[member.source]


def _error_value(event: Event) -> Any:
    if not has_error(event):
        return None
    error = event.error
    if isinstance(error, ErrorDetail):
        parts = {"type": error.type, "message": error.message, "stack": error.stack}
        return {name: text for name, text in parts.items() if text is not None}
    return error


class CsvRow(Template, frozen=True):
    """A row by RFC 4180: a cell is quoted where it needs to be, quotes within are doubled."""

    columns: tuple[str, ...] = ()
    with_header: bool = False

    def own_ending(self) -> str:
        """Return CR LF, as RFC 4180 has it."""
        return "\r\n" if self.ending is None else self.ending

    def compile(self, ending: str) -> Render:
        """Compile every column, and write rows by the standard library's writer."""
        cells = [text.compile() for text in self.texts]

        def render(event: Event, number: int) -> str:
            return _row([cell(event, number) for cell in cells]) + ending

        return render

    def header(self, ending: str) -> str:
        """Return the row of the columns' names."""
        return _row(list(self.columns)) + ending if self.with_header else ""


def live_columns(template: Template) -> str:
    """Return, as words, the columns of CSV whose cells may begin like a formula: tried with an event that does so everywhere."""
    if not isinstance(template, CsvRow):
        return ""
    text = "=1"
    hostile = Event(_SOME_TIME, LOWEST, text, text, _Everything(), text, text, SourcePosition(text, None, text), text, text)
    cells = zip(template.columns, template.texts, strict=True)
    live = [name for name, cell in cells if cell.compile()(hostile, 1).startswith(LIVE)]
    return ", ".join(live[:6]) + (" …" if len(live) > 6 else "")


class _Everything(dict[str, Any]):
    """Fields of any name, each a text like a formula."""

    def __init__(self) -> None:
        super().__init__({"=1": "=1"})

    def __contains__(self, name: object) -> bool:
        return True

    def __missing__(self, name: str) -> str:
        return "=1"


def _row(cells: list[str]) -> str:
    out = io.StringIO(newline="")
    csv.writer(out).writerow(cells)  # with CR LF as its line end: the writer quotes what holds a part of that
    return out.getvalue().removesuffix("\r\n")


class SyslogLine(Template, frozen=True):
    """A message by RFC 5424, without a byte-order mark."""

    facility: int = 1
    app: str = ""
    sd_id: str = "fields@32473"

    def key(self) -> object:
        """Two messages of equal header and text render alike."""
        return (self.form, self.facility, self.app, self.sd_id, self.texts[0].text)

    def compile(self, ending: str) -> Render:
        """Compile the text; the header is made of the event's own parts."""
        message = self.texts[0].compile()
        severities, show_time = Severities(self.setting.scale), clocks.iso(self.setting.zone)
        app = _header_part(self.app, 48)

        def render(event: Event, number: int) -> str:
            priority = self.facility * 8 + syslog_severity(severities[event.level])
            host, process = _header_part(event.host, 255), _header_part(event.process, 128)
            said = message(event, number)
            tail = f" {said}" if said else ""
            data = structured(event, self.sd_id)
            return f"<{priority}>1 {show_time(event.time)} {host} {app} {process} - {data}{tail}{ending}"

        return render

    def sources(self) -> set[str]:
        """Return the sources that the header and the structured data use as well."""
        return super().sources() | {"time", "level", "host", "process", "fields"}


def _header_part(value: str | int | None, longest: int) -> str:
    return _UNPRINTABLE.sub("_", str(value))[:longest] if value not in {None, ""} else "-"


def structured(event: Event, sd_id: str) -> str:
    """Return the fields as structured data of RFC 5424, `-` where there are none."""
    if not event.fields:
        return "-"
    found = []
    for name, value in event.fields.items():
        text = re.sub(r'(["\\\]])', r"\\\1", text_of(value))
        found.append(f'{_SD_NAME.sub("_", name)[:32] or "_"}="{text}"')
    return f"[{sd_id} {' '.join(found)}]"


def syslog_severity(severity: int) -> int:
    """Return RFC 5424's code for a severity of our scale."""
    for highest, code in ((8, 7), (9, 6), (12, 5), (16, 4), (17, 3), (18, 2), (20, 1)):
        if severity <= highest:
            return code
    return 0


class TableRow(Template, frozen=True):
    """The columns of a table sink; as a line it is one JSON object of them."""

    columns: tuple[str, ...] = ()

    def key(self) -> object:
        """Two rows of equal columns render alike."""
        return (self.form, self.columns, tuple(text.text for text in self.texts))

    def own_ending(self) -> str:
        """Return nothing: a row has no ending."""
        return self.ending or ""

    def compile(self, ending: str) -> Render:
        """Compile every column."""
        cells = list(zip(self.columns, [text.compile() for text in self.texts], strict=True))

        def render(event: Event, number: int) -> str:
            return _encode({name: cell(event, number) for name, cell in cells}) + ending

        return render
