"""Existing log files back into events: text by a template read backwards, JSON, CSV and syslog by their standards.

Lines that fit no event are counted, and the first few kept with their numbers. Further lines of a stack trace go to
the event they belong to.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from typing import IO, Any

import msgspec

from vetrina.core.events import ErrorDetail, Event, SourcePosition
from vetrina.core.faults import Fault, Refused
from vetrina.core.filling import typed
from vetrina.core.templates.compiling import TextTemplate
from vetrina.core.templates.forms import CsvRow, JsonObjectForm, Members, RawMember, SyslogLine, TableRow, Template
from vetrina.core.templates.inverting import Collision, Inverse, Values, invert
from vetrina.formats.events import BadLine
from vetrina.formats.lines import LONGEST_LINE, Lines

SHOWN = 5
PATIENCE = 1000
_DATE = re.compile(r"(?<!\d)(\d{4})-?(0[1-9]|1[0-2])-?(0[1-9]|[12]\d|3[01])(?!\d)")
_SYSLOG = re.compile(r"<(\d{1,3})>1 (\S+) (\S+) (\S+) (\S+) (\S+) (-|(?:\[(?:[^\]\\]|\\.)*\])+)(?: (.*))?", re.DOTALL)
_SD_PARAM = re.compile(r' ([^=\s]+)="((?:[^"\\\]]|\\.)*)"')
_SEVERITIES = {7: "debug", 6: "info", 5: "notice", 4: "warn", 3: "error", 2: "critical", 1: "alert", 0: "fatal"}
Read = Callable[[str], "Values | None"]


class LogReader:
    """Reads one or several log files that a template wrote; afterwards it knows what did not fit."""

    def __init__(
        self, template: Template, *, encoding: str = "utf-8", day: date | None = None, default_level: str = "info"
    ) -> None:
        """Invert ``template``; raise Refused where it cannot be read back. ``day`` completes times without a date."""
        self.template = template
        self.encoding = encoding
        self.misfits = 0
        self.bad_lines: list[BadLine] = []
        self.events = 0
        self._day = day
        self._given_day = day
        self._last_clock = timedelta(0)
        self._level = default_level
        self._inverse: Inverse | None = None
        self._columns: list[Inverse] = []
        try:
            self._read = self._reader(template)
        except Collision as collision:
            what = f"this template cannot be read back: {collision.what}"
            raise Refused([Fault("not-invertible", what, fix=collision.fix, where="read")]) from None

    def _reader(self, template: Template) -> Read:
        if isinstance(template, JsonObjectForm):
            return _json_reader(template)
        if isinstance(template, CsvRow):
            self._columns = [invert(text) for text in template.texts]
            return lambda _record: None
        if isinstance(template, SyslogLine):
            return _syslog_reader(invert(template.texts[0]))
        if isinstance(template, TableRow):
            raise Collision("a table is no log file", "query the database")
        ending = template.own_ending()
        if "\n" not in ending and "\r" not in ending:
            raise Collision("its events do not end their lines", 'give the template an ending with "\\n"')
        self._inverse = invert(template.texts[0])
        return self._inverse.values

    def read(self, file: IO[bytes], name: str) -> Iterator[Event]:
        """Yield the events of one file, in order."""
        self._day = self._given_day or _date_of(name)
        if self._inverse is not None and not self._inverse.has_date and self._day is None:
            what = "its times have no date" if self._inverse.has_time else "it has no time at all"
            raise Refused(
                [
                    Fault(
                        "no-date",
                        f"{what}, and neither has the file's name",
                        fix="give the day with --date 2026-11-13",
                        where=name,
                    )
                ]
            )
        lines = Lines(name)
        batches = self._decoded(lines.batches(file), name)
        if isinstance(self.template, CsvRow):
            yield from self._read_csv(_numbered(batches), name, self.template)
        elif self._inverse is not None:
            yield from self._read_text(batches, name, self._inverse)
        else:
            for number, line in _numbered(batches):
                if line:
                    yield from self._one(self._read(line), number, name, "it is not of this format")
        if lines.broken:
            self._misfit(name, 0, lines.broken)

    def _decoded(self, batches: Iterator[list[bytes]], name: str) -> Iterator[tuple[int, list[str]]]:
        """Yield decoded lines in batches, each with the number of its first line; what cannot be decoded is told."""
        if self.encoding.startswith("utf-16"):
            data = b"\n".join(line for lines in batches for line in lines)
            yield 1, _without_returns(data.decode(self.encoding, "replace").split("\n"))
            return
        number = 1
        for lines in batches:
            texts = self._all_at_once(lines)
            if texts is not None:
                yield number, _without_returns(texts)
            else:
                for at, line in enumerate(lines, start=number):
                    if len(line) > LONGEST_LINE:
                        self._misfit(name, at, f"the line is longer than {LONGEST_LINE >> 20} MiB")
                        continue
                    try:
                        yield at, [line.decode(self.encoding).removesuffix("\r")]
                    except UnicodeDecodeError:
                        self._misfit(name, at, f"the line is not {self.encoding} (--encoding names another)")
            number += len(lines)

    def _all_at_once(self, lines: list[bytes]) -> list[str] | None:
        """Return lines decoded together, None where one of them is too long or not of the encoding."""
        if len(max(lines, key=len)) > LONGEST_LINE:
            return None
        try:
            return b"\n".join(lines).decode(self.encoding).split("\n")
        except UnicodeDecodeError:
            return None

    def _read_text(  # noqa: C901  (the inner loop of millions of lines, in one piece)
        self, batches: Iterator[tuple[int, list[str]]], name: str, inverse: Inverse
    ) -> Iterator[Event]:
        """Join further lines to the event before them, where the template has a place for them."""
        event: Event | None = None
        further: list[str] = []
        place = inverse.further
        quick = inverse.quick if inverse.has_date and inverse.quick is not None else self._slowly(inverse)
        default = self._level
        levelless = not any(one.source in {"level", "severity"} for one in inverse.placeholders)
        for first, lines in batches:
            for at, line in enumerate(lines):
                try:
                    found = quick(line)
                except ValueError:
                    found = None
                if found is None:
                    if event is not None and place:
                        further.append(line)
                    elif line:
                        self._misfit(name, first + at, f"it stops fitting at character {inverse.stops_fitting(line) + 1}")
                        if not self.events and self.misfits == PATIENCE:
                            raise self._no_fit(line, inverse, name)
                    continue
                if event is not None:
                    self.events += 1
                    if further:
                        event, further = _extended(event, further, place), []
                    yield event
                event = found
                if levelless:
                    event.level = default
        if event is not None:
            self.events += 1
            yield _extended(event, further, place) if further else event

    def _slowly(self, inverse: Inverse) -> Callable[[str], Event | None]:
        """Return the function from a line to its event for templates of any parts, and for times without a day."""

        def event(line: str) -> Event | None:
            values = inverse.values(line)
            return None if values is None else self._event(values)

        return event

    def _no_fit(self, line: str, inverse: Inverse, name: str) -> Refused:
        at = inverse.stops_fitting(line)
        return Refused([
            Fault("no-fit", f"none of the first {PATIENCE} lines fits the template", f"this one stops fitting at character {at + 1}: {line[:at][-60:]!r} | {line[at:][:60]!r}",
                  "check the template, or name another appender", where=name)
        ])  # fmt: skip

    def _read_csv(self, lines: Iterator[tuple[int, str]], name: str, template: CsvRow) -> Iterator[Event]:
        columns = self._columns
        seen = 0

        def feed() -> Iterator[str]:
            nonlocal seen
            for number, line in lines:
                seen = number
                yield line + "\n"

        rows = csv.reader(feed(), strict=True)
        first = True
        while True:
            try:
                row = next(rows)
            except StopIteration:
                return
            except csv.Error as error:
                self._misfit(name, seen, f"not RFC 4180: {error}")
                continue
            if (first and template.with_header and tuple(row) == template.columns) or not row:
                first = False
                continue
            first = False
            values: Values | None = {}
            for inverse, cell in zip(columns, row, strict=False):
                found = inverse.values(cell)
                values = None if found is None or values is None else _merged(values, found)
            if len(row) != len(columns):
                self._misfit(name, seen, f"it has {len(row)} columns, and {len(columns)} are wanted")
                continue
            yield from self._one(values, seen, name, "a cell does not fit its column's template")

    def _one(self, values: Values | None, number: int, name: str, reason: str) -> Iterator[Event]:
        event = None if values is None else self._event(values)
        if event is None:
            self._misfit(name, number, reason)
            return
        self.events += 1
        yield event

    def _event(self, values: Values) -> Event | None:
        time = values.get("time")
        if time is None:
            time = self._complete(values.get("clock"))
        if time is None:
            return None
        get = values.get
        logger = get("logger", "")
        source = None
        if get("source.file") or get("source.line") or get("source.function"):
            line = get("source.line")
            source = SourcePosition(
                get("source.file"), int(line) if line and str(line).isdigit() else None, get("source.function")
            )
        return Event(
            time,
            get("level", self._level),
            "" if logger == "root" else logger,
            get("message", ""),
            get("fields") or None,
            get("error") or None,
            get("thread"),
            source,
            get("process"),
            get("host"),
        )

    def _complete(self, clock: tuple[timedelta, Any] | None) -> datetime | None:
        """Put a day to a time of day; when the clock jumps back by more than half a day, the next day has begun."""
        if self._day is None:
            return None
        span, zone = clock if clock is not None else (timedelta(0), UTC)
        if span < self._last_clock - timedelta(hours=12):
            self._day += timedelta(days=1)
        self._last_clock = span
        return datetime(self._day.year, self._day.month, self._day.day, tzinfo=zone) + span

    def _misfit(self, name: str, number: int, reason: str) -> None:
        self.misfits += 1
        if len(self.bad_lines) < SHOWN:
            self.bad_lines.append(BadLine(number, reason, name))


def _date_of(name: str) -> date | None:
    found = _DATE.search(name)
    try:
        return date(*map(int, found.groups())) if found else None
    except ValueError:
        return None


def _extended(event: Event, further: list[str], place: str) -> Event:
    """Put further lines where they belong: to the message, or as the error."""
    rest = "\n".join(further)
    if place == "error":
        event.error = f"{event.error}\n{rest}" if isinstance(event.error, str) and event.error else rest
    else:
        event.message = f"{event.message}\n{rest}" if event.message else rest
    return event


def _without_returns(lines: list[str]) -> list[str]:
    return [line.removesuffix("\r") for line in lines]


def _numbered(batches: Iterator[tuple[int, list[str]]]) -> Iterator[tuple[int, str]]:
    for first, lines in batches:
        yield from enumerate(lines, start=first)


def _merged(values: Values, found: Values) -> Values:
    for key, value in found.items():
        if key == "fields" and "fields" in values:
            values["fields"].update(value)
        else:
            values[key] = value
    return values


def _json_reader(template: JsonObjectForm) -> Read:
    decode = msgspec.json.Decoder(dict[str, Any]).decode
    readers = _member_readers(template.members)

    def read(line: str) -> Values | None:
        try:
            document = decode(line)
            values: Values = {}
            for name, reader in readers:
                if name in document:
                    reader(document[name], values)
        except (ValueError, RecursionError):
            return None
        return values

    return read


def _member_readers(members: Members) -> list[tuple[str, Callable[[Any, Values], None]]]:
    readers: list[tuple[str, Callable[[Any, Values], None]]] = []
    for name, member in members.items():
        if isinstance(member, TextTemplate):
            readers.append((name, _text_member(invert(member))))
        elif isinstance(member, RawMember):
            readers.append((name, _raw_member(member)))
        else:
            inner = _member_readers(member)

            def nested(value: Any, values: Values, inner: list[tuple[str, Callable[[Any, Values], None]]] = inner) -> None:
                for key, reader in inner:
                    if isinstance(value, dict) and key in value:
                        reader(value[key], values)

            readers.append((name, nested))
    return readers


def _text_member(inverse: Inverse) -> Callable[[Any, Values], None]:
    def read(value: Any, values: Values) -> None:
        found = inverse.values(value) if isinstance(value, str) else None
        if found is None:
            message = "a member does not fit its template"
            raise ValueError(message)
        _merged(values, found)

    return read


def _raw_member(member: RawMember) -> Callable[[Any, Values], None]:
    place = {
        "text": "message",
        "severity": "level",
        "file": "source.file",
        "line": "source.line",
        "function": "source.function",
    }.get(member.source, member.source)

    def read(value: Any, values: Values) -> None:
        if value is None or member.source == "sequence":
            return
        if member.source in {"fields", "other-fields"}:
            _merged(values, {"fields": dict(value)})
        elif member.source == "field":
            _merged(values, {"fields": {member.argument or "": value}})
        elif member.source == "time":
            values["time"] = datetime.fromisoformat(value)
        else:
            values[place] = msgspec.convert(value, str | ErrorDetail) if member.source == "error" else value

    return read


def _syslog_reader(inverse: Inverse) -> Read:
    def read(line: str) -> Values | None:
        match = _SYSLOG.fullmatch(line)
        if match is None:
            return None
        priority, time, host, _, process, _, data, message = match.groups()
        found = inverse.values(message or "")
        if found is None or int(priority) > 191:
            return None
        try:
            values: Values = {"time": datetime.fromisoformat(time), "level": _SEVERITIES[int(priority) % 8]}
        except ValueError:
            return None
        values |= {key: value for key, value in (("host", host), ("process", process)) if value != "-"}
        fields = {name: typed_value(re.sub(r"\\(.)", r"\1", value)) for name, value in _SD_PARAM.findall(data)}
        if fields:
            values["fields"] = fields
        return _merged(values, found)

    return read


def typed_value(text: str) -> Any:
    """Return a syslog value as the number, boolean or text that it stands for."""
    found = typed(text)
    return found if isinstance(found, int) and not isinstance(found, bool) and str(found) == text else text
