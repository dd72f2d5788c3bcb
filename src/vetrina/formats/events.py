"""Events from JSON Lines: files (also compressed), standard input, any binary stream.

A line is decoded at once into its typed record; one that does not fit goes a slower way, on which further keys become
fields. What stays unreadable is counted and kept with its line number and reason. Memory is bounded: a block of the
file, and no line longer than a stated limit.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import UTC
from operator import attrgetter, itemgetter
from pathlib import Path
from typing import IO, Any, Protocol

import msgspec

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.events import KNOWN_KEYS, LONGEST_LOGGER, Event
from vetrina.core.base.faults import Fault, Place, Refused
from vetrina.core.base.levels import Scale, Severities
from vetrina.formats.event_doubts import DEEPEST, Reason, is_deep, may_swell, refuse_swollen
from vetrina.formats.inputs import ManyFiles, open_input
from vetrina.formats.lines import LONGEST_LINE, Lines
from vetrina.formats.progress import watcher
from vetrina.formats.read_parts import BadLine, ReadPart, moved

SHOWN = 5
_SEVEN_DIGITS = rb"\.[0-9]{7}"
_MANY_BLOCKS = 32
_DECODE = msgspec.json.Decoder(Event).decode
_ANY = msgspec.json.Decoder().decode
_LONG_FRACTION = re.compile(rb'"time"\s*:\s*"[^"]{19}\.[0-9]{7}').search
_COLON = ord(":")
_LEVEL, _ZONE, _ONLY_UTC = attrgetter("level"), attrgetter("time.tzinfo"), {UTC}
_LONGEST_OFFSET_TIME = len("2026-11-16T05:12:00.123456+01:00")
_RFC3339 = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}[Tt ][0-9]{2}:[0-9]{2}:[0-9]{2}(\.[0-9]+)?([Zz]|[+-][0-9]{2}:[0-9]{2})\Z")


class _OpenEvent(Event, forbid_unknown_fields=False):
    """An event whose line may have further keys."""


_DECODE_OPEN = msgspec.json.Decoder(_OpenEvent).decode


class EventTaker(Protocol):
    """What events are sent to: a `Counter`, a `Comparison` of two plans, a `Rehearsal`."""

    def feed(self, events: Iterable[Event]) -> None:
        """Take events, in order."""


class EventStream:
    """The readable events of an input, in order; afterwards it knows what was not readable.

    ``strict`` raises Refused at the first line that is not as it should be.
    """

    def __init__(self, name: str, *, scale: Scale | None = None, strict: bool = False) -> None:
        self.name = name
        self.strict = strict
        self.unreadable = 0
        self.bad_lines: list[BadLine] = []
        self.number = 0
        self.broken = False
        self._severities = Severities(scale or Scale())
        self._scale = scale or Scale()
        self._part, self._before = name, 0
        self._further = self._blocks = 0
        self._expects_usual = True
        self._search: Callable[[bytes], object] = re.compile(_SEVEN_DIGITS).search
        self._refused: Refused | None = None

    def read(self, file: IO[bytes] | ManyFiles) -> Iterator[Event]:
        """Yield the events of an open binary file, or of many, one after the other."""
        return map(itemgetter(1), self.numbered(file))

    def numbered(self, file: IO[bytes] | ManyFiles) -> Iterator[tuple[int, Event]]:
        """Yield (line number, event); lines count from 1, and on from file to file."""
        for numbers, events in self.batches(file):
            yield from zip(numbers, events, strict=True)

    def send(self, file: IO[bytes] | ManyFiles, taker: EventTaker) -> None:
        """Send the events of an open binary file to ``taker``."""
        for _, events in self.batches(file):
            taker.feed(events)

    def severity(self, event: Event) -> int:
        """Return the severity of an event of this stream."""
        return self._severities[event.level]

    def batches(self, file: IO[bytes] | ManyFiles) -> Iterator[tuple[Sequence[int], list[Event]]]:
        """Yield events of an open binary file with the numbers of their lines, as many as a block of the file holds."""
        self.number = 0
        for name, part in file.parts() if isinstance(file, ManyFiles) else [(self.name, file)]:
            yield from self.part_batches(name, part)

    def part_batches(self, name: str, part: IO[bytes], *, begins: bool = True) -> Iterator[tuple[Sequence[int], list[Event]]]:
        """Yield events of one more file as `batches` does, or of a part of it that does not begin with it."""
        self._part, self._before = name, self.number
        number, reader, reading = self.number, Lines(name), watcher()
        for lines in reader.batches(part, begins=begins):
            found = self._events(lines, number + 1)
            if reading is not None:
                reading.events += len(found[1])
            yield found
            if self._refused is not None:
                raise self._refused
            number += len(lines)
        self.number = number
        if reader.broken:
            self.broken = True
            self._reject(number + 1, reader.broken)

    def read_part(self) -> ReadPart:
        """Return what was read, for the stream that this is a part of; numbers count from the part's beginning."""
        return ReadPart(self.number - self._before, self.unreadable, self.bad_lines, broken=self.broken)

    def add(self, part: ReadPart, name: str, *, begins: bool) -> None:
        """Take over what was read of a part that comes next; ``begins`` tells whether a file begins with it.

        Raise what ended the reading of it early.
        """
        if begins:
            self._before = self.number
        before = self.number - self._before
        self.number += part.lines
        self.unreadable += part.unreadable
        shown = "" if name == self.name else name
        for one in part.bad_lines[: SHOWN - len(self.bad_lines)]:
            self.bad_lines.append(BadLine(one.number + before, one.reason, shown))
        if part.refused is not None:
            raise Refused(moved(fault, before) for fault in part.refused)

    def _events(self, lines: list[bytes], first: int) -> tuple[Sequence[int], list[Event]]:
        """Return the events of lines, of which the first has the number ``first``, with their lines' numbers.

        Lines that are all usual take one call of the decoder each, and nothing more; others are looked at closely.
        """
        known, decode = self._severities, self._reader(lines)
        events = self._usual(lines, decode)
        if events is not None:
            return range(first, first + len(lines)), events
        events = []
        odd: set[int] = set()
        usual = 0
        for line in lines:
            try:
                event = decode(line)
                known[event.level]
                if event.time.tzinfo is UTC:
                    events.append(event)
                    usual += 1
                    continue
            except (ValueError, KeyError, RecursionError, _Odd) as error:
                if self.unreadable >= SHOWN and not self.strict and _is_hopeless(error, line):
                    odd.add(len(events) + len(odd))
                    self.unreadable += 1
                    continue
            at = len(events) + len(odd)
            try:
                rescued = self._rescue(first + at, line)
            except Refused as refused:  # the events before it are used first
                self._refused = refused
                lines = lines[:at]
                break
            if rescued is None:
                odd.add(at)
            else:
                events.append(rescued)
        self._expects_usual = 2 * usual > len(lines)
        if not odd:
            return range(first, first + len(lines)), events
        return [first + at for at in range(len(lines)) if at not in odd], events

    def _usual(self, lines: list[bytes], decode: Callable[[bytes], Event]) -> list[Event] | None:
        """Return the events of lines that are all usual, None where one is not; after mostly unusual ones that is not tried."""
        if not self._expects_usual:
            return None
        try:
            events = [*map(decode, lines)]
            for level in set(map(_LEVEL, events)):
                self._severities[level]
        except (ValueError, KeyError, RecursionError, _Odd):
            return None
        return events if set(map(_ZONE, events)) == _ONLY_UTC else None

    def _reader(self, lines: list[bytes]) -> Callable[[bytes], Event]:
        """Return what makes an event of one of these lines, and raises for one that must be looked at closely.

        That is a line that may be nested too deep, or that has a time finer than microseconds, which would be rounded.
        Where most lines had further keys so far, they are expected.
        """
        read, self._further = (self._read_open if 2 * self._further > len(lines) else _DECODE), 0
        odd: set[bytes] = set()
        if len(max(lines, key=len)) > 2 * DEEPEST:
            odd.update(line for line in lines if is_deep(line) or may_swell(line))
        if self._has_long_fraction(b"\n".join(lines)):
            odd.update(line for line in lines if _LONG_FRACTION(line))
        if not odd:
            return read

        def careful(line: bytes) -> Event:
            if line in odd:
                raise _Odd
            return read(line)

        return careful

    def _has_long_fraction(self, block: bytes) -> bool:
        """Tell whether more than six digits follow a point anywhere."""
        self._blocks += 1
        if self._blocks == _MANY_BLOCKS:
            import re2  # noqa: PLC0415  (it searches four times as fast, and takes 16 ms to load)

            self._search = re2.compile(_SEVEN_DIGITS).search
        return self._search(block) is not None

    def _read_open(self, line: bytes) -> Event:
        """Read a line whose further keys become fields."""
        event, members = _DECODE_OPEN(line), _ANY(line)
        if not KNOWN_KEYS.issuperset(members):
            self._further += 1
            fields = event.fields = event.fields or {}
            for name, value in members.items():
                if name not in KNOWN_KEYS and name not in fields:
                    fields[name] = value
        return event

    def _rescue(self, number: int, line: bytes) -> Event | None:
        """Read a line the slow way; None for a blank or unreadable one (which is noted)."""
        if not line.strip():
            return None
        try:
            return self._read_with_offset(line) or self._read_slowly(line)
        except Reason as reason:
            self._reject(number, str(reason))
            return None

    def _read_with_offset(self, line: bytes) -> Event | None:
        """Read a line that is unusual only for its time's offset, None for any other."""
        begun = line.find(b'"time":"') + 8
        ended = line.find(b'"', begun)
        usual = 8 <= begun < ended <= begun + _LONGEST_OFFSET_TIME and line[ended - 3] == _COLON
        if not usual or line.count(b'"time"') > 1 or b"\\u00" in line or is_deep(line) or may_swell(line):
            return None
        try:
            event = _DECODE(line)
            self._severities[event.level]
        except (ValueError, KeyError, RecursionError):
            return None
        return event

    def _read_slowly(self, line: bytes) -> Event:
        members = _members(line)
        if not KNOWN_KEYS.issuperset(members):
            further = {name: members.pop(name) for name in list(members) if name not in KNOWN_KEYS}
            if self.strict:
                raise Reason(f'unknown key "{next(iter(further))[:60]}" (without --strict it would become a field)')
            self._further += 1
            fields = members.get("fields")
            if fields is None or isinstance(fields, dict):
                members["fields"] = (
                    fields | {name: further[name] for name in further if name not in fields} if fields else further
                )
        event = _convert(members)
        try:
            self._severities[event.level]
        except KeyError:
            hint = self._scale.hint(event.level) if isinstance(event.level, str) else "; a number is from 1 to 24"
            raise Reason(f'level "{str(event.level)[:60]}" is not known{hint}') from None
        if may_swell(line):
            refuse_swollen(event)
        return event

    def _reject(self, number: int, reason: str) -> None:
        if self.strict:
            raise Refused([Fault("event", f"this line is not an event: {reason}", why="--strict stops at the first such line",
                                 fix="mend the line, or leave --strict out to count such lines", place=Place(self._part, number - self._before, 1))])  # fmt: skip
        self.unreadable += 1
        if len(self.bad_lines) < SHOWN:
            self.bad_lines.append(BadLine(number - self._before, reason, "" if self._part == self.name else self._part))


class _Odd(VetrinaError):
    """A line must be looked at closely."""


def _is_hopeless(error: Exception, line: bytes) -> bool:
    """Tell by the decoder's error whether a line is no event however closely it is looked at.

    Its reason is wanted of the first few only: the slow way costs five times a good line.
    """
    if isinstance(error, KeyError):
        return True  # a level that is not known
    if type(error) is msgspec.DecodeError:
        return bool(line.strip())  # no JSON
    words = str(error)
    if words.startswith("Expected"):
        return not words.endswith(("`$.level`", "`$.count`"))  # 9.0 is taken for 9
    if words.startswith("Invalid RFC3339"):
        return not _LONG_FRACTION(line)
    return words.startswith("Object missing required")


def _members(line: bytes) -> dict[str, Any]:
    if len(line) > LONGEST_LINE:
        raise Reason(f"the line is longer than {LONGEST_LINE >> 20} MiB")
    try:
        members = _ANY(line)
    except UnicodeDecodeError:
        raise Reason("a text in it is not UTF-8") from None
    except RecursionError:
        raise Reason(f"nested more than {DEEPEST} deep") from None
    except ValueError as error:
        reason = str(error).removeprefix("JSON is malformed: ")
        if "surrogate" in reason or (reason == "Input data was truncated" and line.rstrip().endswith(b"}")):
            reason = "a lone surrogate in a text"
        raise Reason(f"not JSON: {reason[:1].lower()}{reason[1:]}") from None
    if not isinstance(members, dict):
        raise Reason("not a JSON object")
    if is_deep(line) and _depth(members) > DEEPEST:
        raise Reason(f"nested more than {DEEPEST} deep")
    return members


def _depth(value: Any) -> int:
    deepest, waiting = 0, [(value, 1)]
    while waiting:
        here, depth = waiting.pop()
        deepest = max(deepest, depth)
        inner = here.values() if isinstance(here, dict) else here
        waiting += [(one, depth + 1) for one in inner if isinstance(one, dict | list)]
    return deepest


def _convert(members: dict[str, Any]) -> Event:
    time = members.get("time")
    if isinstance(time, str) and time[19:20] == "." and time[20:27].isdigit():
        members["time"] = time[:26] + time[26:].lstrip("0123456789")
    try:
        return _converted(members)
    except (ValueError, OverflowError):
        pass
    for name in ("level", "count"):
        value = members.get(name)
        if isinstance(value, float) and value.is_integer():
            members[name] = int(value)
    try:
        return _converted(members)
    except (ValueError, OverflowError) as error:
        raise Reason(_why_not(members, str(error))) from None


def _converted(members: dict[str, Any]) -> Event:
    event = msgspec.convert(members, Event)
    time = members["time"]
    if time[-1] not in "Zz" and time[-3] != ":":  # all that RFC 3339 asks beyond what is asked by the decoder
        raise ValueError
    return event


def _why_not(members: dict[str, Any], error: str) -> str:
    """Return why some members are no event."""
    for name in ("time", "level", "logger", "message"):
        if members.get(name) is None:
            return f'"{name}" is missing' if name not in members else f'"{name}" is null'
    time = members["time"]
    if not isinstance(time, str) or not _RFC3339.match(time):
        return f'"time" is not by RFC 3339 (as 2026-11-16T05:12:00.123Z): {str(time)[:40]}'
    if isinstance(members["level"], bool) or not isinstance(members["level"], str | int):
        return '"level" is neither a name nor a whole number'
    if isinstance(logger := members["logger"], str) and len(logger) > LONGEST_LOGGER:
        return f'"logger" has {len(logger):,} characters, and a name may have {LONGEST_LOGGER:,}'
    what, _, where = error.partition(" - at `$.")
    name = where.rstrip("`")
    return f'"{name}": {what[:1].lower()}{what[1:]}' if name else what


def read_events(path: str | Path, *, scale: Scale | None = None, strict: bool = False) -> Iterator[Event]:
    """Yield the events of a file; raise Refused for an unreadable line when ``strict``, else leave it out.

    Use `EventStream` to learn what was left out.
    """
    stream = EventStream(str(path), scale=scale, strict=strict)
    with open_input(str(path)) as file:
        yield from stream.read(file)
