"""Existing log files back into events: text by a template read backwards, JSON, CSV and syslog by their standards.

Every line is part of an event, or counted: as one that does not fit (the first few are kept with their numbers and
reasons) or as an empty one. Lines that follow an event's first one go to it only where the template can have written
them there, and where they do not look like the beginning of another.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from datetime import date
from typing import IO

from msgspec import Struct

from vetrina.core.base.events import LONGEST_LOGGER, Event, SourcePosition
from vetrina.core.base.faults import Fault, Refused, refuse
from vetrina.core.base.logger_names import event_name
from vetrina.core.templates.forms import CsvRow, JsonObjectForm, PairsLine, SyslogLine, Template
from vetrina.core.templates.reading_back import Inverse, Values, invert, obstacle_to_reading
from vetrina.core.templates.reading_pieces import Collision
from vetrina.core.templates.reading_times import dated
from vetrina.core.templates.undoing import Misfit
from vetrina.formats.csv_records import CsvRecords
from vetrina.formats.days import Days, date_in
from vetrina.formats.decoded_lines import DecodedLines
from vetrina.formats.inputs import open_one
from vetrina.formats.lines import Lines
from vetrina.formats.log_record import UNDECODED, JoinedRecord
from vetrina.formats.log_records import Read, json_reader, pairs_reader, syslog_reader
from vetrina.formats.pieces import Range, open_range
from vetrina.formats.read_parts import BadLine

SHOWN = 5
PATIENCE = 1000


class LogPart(Struct):
    """What a `LogReader` has read of a part of a log."""

    events: int
    misfits: int
    blank: int
    joined_lines: int
    joined_events: int
    bad_lines: list[BadLine]
    unfit_before: int


class LogReader:
    """Reads one or several log files that a template wrote; afterwards it knows what did not fit.

    ``events`` were read from ``joined_events`` with ``joined_lines`` lines more than their first; ``misfits`` are lines
    that are part of no event, ``blank`` empty ones that are part of none, ``unfit_before`` those misfits before the first
    event. One that is ``patient`` gives up where of the first thousand lines none fits.
    """

    def __init__(
        self, template: Template, *, encoding: str = "utf-8", day: date | None = None, default_level: str = "info"
    ) -> None:
        """Invert ``template``; raise Refused where it cannot be read back. ``day`` completes times without a date."""
        self.template = template
        self.encoding = encoding
        self.events = self.misfits = self.blank = self.joined_lines = self.joined_events = 0
        self.bad_lines: list[BadLine] = []
        self.patient, self.unfit_before = True, 0
        self.line, self.lines = 0, 1
        self.read_lines = Lines("")
        self._name = ""
        self._before = 0
        self._in_head = self._in_tail = False
        self._given_day = day
        self._days, self._goes_on = Days(day), False
        self._level = default_level
        self._inverse: Inverse | None = None
        self._fits: Callable[[str], object] | None = None
        self._columns: list[Inverse] = []
        self._read: Read | None = None
        try:
            self._prepare(template)
        except Collision as collision:
            what = f"this template cannot be read back: {collision.what}"
            raise Refused([Fault("not-invertible", what, fix=collision.fix, where="read")]) from None

    def _prepare(self, template: Template) -> None:
        """Invert the template; raise Collision where it has no inverse."""
        obstacle = obstacle_to_reading(template, template.own_ending())
        if obstacle is not None:
            raise obstacle
        if isinstance(template, PairsLine):
            self._read = pairs_reader(template)
        elif isinstance(template, JsonObjectForm):
            self._read = json_reader(template)
        elif isinstance(template, CsvRow):
            self._columns = [invert(text) for text in template.texts]
        elif isinstance(template, SyslogLine):
            self._read = syslog_reader(invert(template.texts[0]), template.app)
        else:
            self._inverse = invert(template.texts[0])

    def read_all(self, names: Iterable[str]) -> Iterator[Event]:
        """Yield the events of files by their names, one file after the other; `-` is standard input."""
        for name in names:
            with open_one(name) as file:
                yield from self.read(file, name)

    @property
    def splits(self) -> bool:
        """Whether parts of a file can be read apart: where lines tell by themselves when they were and where an event begins."""
        narrow = len("\n".encode(self.encoding)) == 1
        known = all(dated(one) for one in self.template.placeholders if one.source == "time")
        return narrow and not isinstance(self.template, CsvRow) and known and (self._inverse is None or self._inverse.has_time)

    def begins(self, line: str) -> bool:
        """Tell whether a record begins with a line, as it does where that fits; of forms with a record a line, with each."""
        if self._inverse is None:
            return True
        if self._fits is None:
            quick = self._inverse.quick
            self._fits = quick if quick is not None and self._inverse.has_date else self._inverse.values
        try:
            return self._fits(line) is not None
        except (ValueError, KeyError, OverflowError):
            return False

    def read_range(self, one: Range, before: int) -> Iterator[Event]:
        """Yield the events that begin in a range of a file, before which so many lines stand.

        Lines at its beginning belong to an event before it; those after its end that begin no event, to its last one.
        """
        self._before = before
        self._in_head, self._in_tail = self._inverse is not None and not one.begins, False
        lines = Lines(one.file.name)
        yield from self._events_of(self._batches(one, lines), lines, one.file.name)
        self._in_head = False

    def _batches(self, one: Range, lines: Lines) -> Iterator[list[bytes]]:
        with open_range(one) as file:
            yield from lines.batches(file, begins=one.begins)
        after = one.after()
        if after is not None and self._inverse is not None:
            self._in_tail = True
            with open_range(after) as file:
                yield from lines.batches(file, begins=False)

    def add(self, part: LogPart) -> None:
        """Take over what was read of a part that comes next."""
        self.events += part.events
        self.misfits += part.misfits
        self.blank += part.blank
        self.joined_lines += part.joined_lines
        self.joined_events += part.joined_events
        self.bad_lines += part.bad_lines[: SHOWN - len(self.bad_lines)]

    def part(self) -> LogPart:
        """Return what was read, for the log that this is a part of."""
        return LogPart(
            self.events, self.misfits, self.blank, self.joined_lines, self.joined_events, self.bad_lines, self.unfit_before
        )

    def read(self, file: IO[bytes], name: str) -> Iterator[Event]:
        """Yield the events of one file, in order."""
        lines = self.read_lines = Lines(name)
        yield from self._events_of(lines.batches(file), lines, name)

    def read_on(self, file: IO[bytes], name: str, before: int) -> Iterator[Event]:
        """Yield the events of whole records of a file, before which so many lines stand."""
        self._before, self._goes_on = before, self.read_lines.name == name
        lines = self.read_lines = Lines(name)
        yield from self._events_of(lines.batches(file, begins=not before), lines, name)

    def _events_of(self, read: Iterator[list[bytes]], lines: Lines, name: str) -> Iterator[Event]:
        self._name = name
        if not self._goes_on:
            self._days = Days(self._given_day or date_in(name))
        if self._inverse is not None and not self._inverse.has_date and self._days.day is None:
            what = "its times have no date" if self._inverse.has_time else "it has no time at all"
            raise refuse(f"{what}, and neither has the file's name", fix="give the day with --date 2026-11-13", where=name)
        batches = DecodedLines(self.encoding, self._before, self._misfit).decoded(read)
        if self._inverse is not None:
            yield from self._read_text(batches, self._inverse)
        elif self._read is not None:
            yield from self._read_records(batches, self._read)
        elif isinstance(self.template, CsvRow):
            yield from self._read_csv(batches, self.template)
        if lines.broken:
            self._misfit(self._before + lines.number + 1, lines.broken)

    def _read_text(  # noqa: C901  (the inner loop of millions of lines, in one piece)
        self, batches: Iterator[tuple[int, list[str]]], inverse: Inverse
    ) -> Iterator[Event]:
        """Yield events; lines that begin none are put to the one before them where it can hold them."""
        quick = inverse.quick if inverse.has_date and inverse.quick is not None else self._slowly(inverse)
        levelless = not any(one.source in {"level", "severity"} for one in inverse.placeholders)
        record = JoinedRecord(inverse)
        batches = self._till_next(batches, quick)
        event: Event | None = None
        begun = 0
        for first, lines in batches:
            for at, line in enumerate(lines):
                try:
                    found = quick(line)
                except (ValueError, KeyError, OverflowError):
                    found = None
                if found is None:
                    if not record.takes(line, first + at):
                        if event is not None:
                            self.line, self.lines = begun, 1
                            yield self._closed(event, record)
                            event = None
                        self._unfit(line, first + at, inverse, record)
                    continue
                if event is not None:
                    self.line, self.lines = begun, 1
                    if record.further:
                        event = self._closed(event, record)
                    else:
                        self.events += 1
                    yield event
                else:
                    self._in_head = False
                event, begun = found, first + at
                record.first = line
                if levelless:
                    event.level = self._level
        if event is not None:
            self.line, self.lines = begun, 1
            yield self._closed(event, record)

    def _till_next(
        self, batches: Iterator[tuple[int, list[str]]], quick: Callable[[str], Event | None]
    ) -> Iterator[tuple[int, list[str]]]:
        """Yield batches; of those past the end of a range no line from the one on that begins an event."""
        for first, lines in batches:
            if not self._in_tail:
                yield first, lines
                continue
            for at, line in enumerate(lines):
                try:
                    begins = quick(line) is not None
                except (ValueError, KeyError, OverflowError):
                    begins = False
                if begins:
                    yield first, lines[:at]
                    return
            yield first, lines

    def _unfit(self, line: str, number: int, inverse: Inverse, record: JoinedRecord) -> None:
        """Count a line that is part of no event."""
        if self._in_head:
            return
        if line == UNDECODED:  # told already
            record.orphan = number
            return
        if not line:
            self.blank += 1
            return
        if len(self.bad_lines) >= SHOWN:  # why, is only told of the first few
            self._misfit(number, "")
        elif record.orphan and record.first is None and not inverse.begins(line):
            self._misfit(number, f"it follows line {record.orphan}, which does not fit")
        else:
            record.orphan = number
            self._misfit(number, inverse.why_not(line))
        if self.patient and not self.events and self.misfits == PATIENCE:
            at, what = inverse.stops(line)
            raise self._no_fit(
                f"this one stops fitting at character {at + 1} ({what}): {line[:at][-60:]!r} | {line[at:][:60]!r}"
            )

    def _closed(self, event: Event, record: JoinedRecord) -> Event:
        """Return an event with the lines that follow it; lines that the template cannot have written there are told."""
        self.events += 1
        first, further, begun = record.first, record.further, record.begun
        record.begin_anew()
        if not further:
            return event
        taken = record.tail_text(first, further)
        if taken is None:
            while further and not further[-1]:
                further.pop()
                self.blank += 1
            taken = record.tail_text(first, further) if further else None
        if taken is None:
            for at in range(len(further)):
                self._misfit(begun + at, f"the template does not write it below line {begun - 1}")
            return event
        self.joined_events += 1
        self.joined_lines += len(further)
        self.lines = 1 + len(further)
        setattr(event, record.place, taken)
        return event

    def _slowly(self, inverse: Inverse) -> Callable[[str], Event | None]:
        """Return the function from a line to its event for templates of any parts, and for times without a day."""

        def event(line: str) -> Event | None:
            values = inverse.values(line)
            return None if values is None else self._event(values)

        return event

    def _no_fit(self, why: str) -> Refused:
        fix = "check the template, or name another appender"
        return Refused(
            [Fault("no-fit", f"none of the first {PATIENCE} lines fits the template", why=why, fix=fix, where=self._name)]
        )

    def _read_records(self, batches: Iterator[tuple[int, list[str]]], read: Read) -> Iterator[Event]:
        """Yield the events of a log with one record a line."""
        for first, lines in batches:
            for at, line in enumerate(lines, start=first):
                if not line:
                    self.blank += 1
                    continue
                if line == UNDECODED:
                    continue
                yield from self._one(lambda line=line: read(line, self.template.setting.scale), at)  # type: ignore[misc]

    def _read_csv(self, batches: Iterator[tuple[int, list[str]]], template: CsvRow) -> Iterator[Event]:
        records = CsvRecords(template, self._columns)
        for first, lines in batches:
            for at, line in enumerate(lines, start=first):
                if line == UNDECODED:
                    yield from self._rows(records.end())
                elif not line and not records.open:
                    self.blank += 1
                else:
                    yield from self._rows(records.take(at, line))
        yield from self._rows(records.end())

    def _rows(self, records: Iterator[tuple[int, int, Callable[[], Values | None]]]) -> Iterator[Event]:
        """Yield the event of each record, given as its first line, how many lines it has, and what reads it."""
        for number, count, read in records:
            before = self.misfits
            self.lines = count
            yield from self._one(read, number)
            for further in range(1, count):
                if self.misfits > before:
                    self._misfit(number + further, f"it belongs to line {number}, which does not fit")
            if count > 1 and self.misfits == before:
                self.joined_events += 1
                self.joined_lines += count - 1

    def _one(self, read: Callable[[], Values | None], number: int) -> Iterator[Event]:
        try:
            values = read()
            if values is None:
                return
            event = self._event(values)
        except (Misfit, OverflowError) as misfit:
            self._misfit(number, str(misfit))
            if self.patient and not self.events and self.misfits == PATIENCE:
                raise self._no_fit(f"the last of them: {misfit}") from None
            return
        self.events += 1
        self.line = number
        yield event

    def _event(self, values: Values) -> Event:
        """Return the event of a line's values; raise OverflowError where its time has no place on the calendar."""
        time = values.get("time")
        if time is None:
            time = self._days.complete(values.get("clock"), values.get("month-day"))
        get = values.get
        logger = get("logger", "")
        if len(logger) > LONGEST_LOGGER:
            raise Misfit(f"its logger's name has {len(logger):,} characters, and a name may have {LONGEST_LOGGER:,}")
        source = None
        line = get("source.line")
        if get("source.file") or line not in {None, ""} or get("source.function"):
            number = None if line in {None, ""} else int(line)
            source = SourcePosition(get("source.file"), number, get("source.function"))
        return Event(
            time,
            get("level", self._level),
            event_name(logger),
            get("message", ""),
            get("fields"),
            get("error") or None,
            get("thread"),
            source,
            get("process"),
            get("host"),
            channel=get("channel"),
        )

    def _misfit(self, number: int, reason: str) -> None:
        if self._in_head:
            return
        self.misfits += 1
        if not self.events:
            self.unfit_before += 1
        if len(self.bad_lines) < SHOWN:
            self.bad_lines.append(BadLine(number, reason, self._name))
