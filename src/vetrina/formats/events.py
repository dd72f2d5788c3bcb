"""Events from JSON Lines: files (also .gz, .zst), standard input, any binary stream.

A line is decoded at once into its typed record; one that does not fit goes a slower way, on which further keys become
fields. What stays unreadable is counted and kept with its line number and reason. Memory is bounded: a block of the
file, and no line longer than a stated limit.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from datetime import UTC
from pathlib import Path
from typing import IO, Any, Protocol, cast

import msgspec
from msgspec import Struct

from vetrina.core.events import KNOWN_KEYS, Event
from vetrina.core.faults import Fault, Place, Refused
from vetrina.core.levels import Scale, Severities
from vetrina.formats.documents import unreadable
from vetrina.formats.lines import LONGEST_LINE, Lines
from vetrina.formats.packed import PackedReader

DEEPEST = 500
SHOWN = 5
_LONG_FRACTION = re.compile(rb'"time"\s*:\s*"[^"]{19}\.[0-9]{7}').search
_FRACTION = re.compile(r"(\.[0-9]{6})[0-9]+")
_RFC3339 = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}[Tt ][0-9]{2}:[0-9]{2}:[0-9]{2}(\.[0-9]+)?([Zz]|[+-][0-9]{2}:[0-9]{2})\Z")
_OFFSET = re.compile(rb'[+-][0-9]{2}:[0-9]{2}"')


class BadLine(Struct, frozen=True):
    """A line that could not be read, and why."""

    number: int
    reason: str
    name: str = ""


class LineCounter(Protocol):
    """What counts lines by itself: a `Counter`, or a `Comparison` of two plans."""

    def feed_lines(
        self, lines: Iterable[bytes], read: Callable[[bytes], Event], rescue: Callable[[int, bytes], Event | None]
    ) -> int:
        """Count lines; return how many there were."""


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
        self._severities = Severities(scale or Scale())
        self._scale = scale or Scale()
        self._lines = Lines(name)

    def read(self, file: IO[bytes]) -> Iterator[Event]:
        """Yield the events of an open binary file."""
        for events, _ in self._decoded(file, numbered=False):
            yield from events

    def numbered(self, file: IO[bytes]) -> Iterator[tuple[int, Event]]:
        """Yield (line number, event); lines count from 1."""
        for events, numbers in self._decoded(file, numbered=True):
            yield from zip(numbers, events, strict=True)

    def _decoded(self, file: IO[bytes], *, numbered: bool) -> Iterator[tuple[list[Event], list[int]]]:
        """Yield the events of one block after the other, with the numbers of their lines where these are wanted."""
        number = 0
        for lines in self._lines.batches(file):
            events: list[Event] = []
            numbers: list[int] = []
            try:
                self._decode(lines, number, events, numbers if numbered else None)
            except Refused:  # what came before the line that stops everything is not lost
                yield events, numbers
                raise
            yield events, numbers
            number += len(lines)
        self._end(number)

    def _decode(self, lines: list[bytes], before: int, events: list[Event], numbers: list[int] | None) -> None:
        """Put the events of some lines into lists: one decoder's call for a usual line, the slow way for others."""
        decode, known = msgspec.json.Decoder(Event).decode, self._severities
        odd_block = self._odd(lines)
        for at, line in enumerate(lines, start=before + 1):
            try:
                event = decode(line)
                known[event.level]
                odd = event.time.tzinfo is not UTC or odd_block
            except (ValueError, KeyError, RecursionError):
                odd = True
            if odd:
                rescued = self._rescue(at, line)
                if rescued is None:
                    continue
                event = rescued
            events.append(event)
            if numbers is not None:
                numbers.append(at)

    def severity(self, event: Event) -> int:
        """Return the severity of an event of this stream."""
        return self._severities[event.level]

    def count(self, file: IO[bytes], counter: LineCounter) -> None:
        """Send the events of an open binary file through a counter: the quickest way, where only counts are asked."""
        decode = msgspec.json.Decoder(Event).decode

        def slow(_line: bytes) -> Event:
            raise KeyError

        number = 0
        for lines in self._lines.batches(file):
            read = slow if self._odd(lines) else decode
            start = number
            number += counter.feed_lines(lines, read, lambda at, line, start=start: self._rescue(start + at + 1, line))  # type: ignore[misc]
        self._end(number)

    @staticmethod
    def _odd(lines: list[bytes]) -> bool:
        """Tell whether a line may be nested too deep, or have a time finer than microseconds, which a decoder would round."""
        return len(max(lines, key=len)) > 2 * DEEPEST or _LONG_FRACTION(b"\n".join(lines)) is not None

    def _end(self, number: int) -> None:
        self.number = number
        if self._lines.broken:
            self._reject(number + 1, self._lines.broken)

    def _rescue(self, number: int, line: bytes) -> Event | None:
        """Read a line the slow way; None for a blank or unreadable one (which is noted)."""
        if not line.strip():
            return None
        try:
            return self._read_slowly(line)
        except _Reason as reason:
            self._reject(number, str(reason))
            return None

    def _read_slowly(self, line: bytes) -> Event:
        members = _members(line)
        extra = {name: members.pop(name) for name in list(members) if name not in KNOWN_KEYS}
        if extra and self.strict:
            raise _Reason(f'unknown key "{next(iter(extra))[:60]}" (without --strict it would become a field)')
        for name in ("level", "count"):
            value = members.get(name)
            if isinstance(value, float) and value.is_integer():
                members[name] = int(value)
        if extra:
            fields = members.get("fields")
            if fields is None or isinstance(fields, dict):
                members["fields"] = {**(fields or {}), **{name: extra[name] for name in extra if name not in (fields or {})}}
        event = _convert(members)
        try:
            self._severities[event.level]
        except KeyError:
            hint = self._scale.hint(event.level) if isinstance(event.level, str) else "; a number is from 1 to 24"
            raise _Reason(f'level "{str(event.level)[:60]}" is not known{hint}') from None
        return event

    def _reject(self, number: int, reason: str) -> None:
        if self.strict:
            raise Refused([Fault("event", f"this line is not an event: {reason}", "--strict stops at the first such line",
                                 "mend the line, or leave --strict out to count such lines", Place(self.name, number, 1))])  # fmt: skip
        self.unreadable += 1
        if len(self.bad_lines) < SHOWN:
            self.bad_lines.append(BadLine(number, reason))


class _Reason(Exception):
    """Why a line is not an event."""


def _members(line: bytes) -> dict[str, Any]:
    if len(line) > LONGEST_LINE:
        raise _Reason(f"the line is longer than {LONGEST_LINE >> 20} MiB")
    try:
        members = msgspec.json.decode(line)
    except UnicodeDecodeError:
        raise _Reason("a text in it is not UTF-8") from None
    except RecursionError:
        raise _Reason(f"nested more than {DEEPEST} deep") from None
    except ValueError as error:
        reason = str(error).removeprefix("JSON is malformed: ")
        if "surrogate" in reason or (reason == "Input data was truncated" and line.rstrip().endswith(b"}")):
            reason = "a lone surrogate in a text"
        raise _Reason(f"not JSON: {reason[:1].lower()}{reason[1:]}") from None
    if not isinstance(members, dict):
        raise _Reason("not a JSON object")
    if line.count(b"[") + line.count(b"{") > DEEPEST and _depth(members) > DEEPEST:
        raise _Reason(f"nested more than {DEEPEST} deep")
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
    for name in ("time", "level", "logger", "message"):
        if members.get(name) is None:
            raise _Reason(f'"{name}" is missing' if name not in members else f'"{name}" is null')
    time = members["time"]
    if not isinstance(time, str) or not _RFC3339.match(time):
        raise _Reason(f'"time" is not by RFC 3339 (as 2026-11-16T05:12:00.123Z): {str(time)[:40]}')
    if isinstance(members["level"], bool) or not isinstance(members["level"], str | int):
        raise _Reason('"level" is neither a name nor a whole number')
    members["time"] = _FRACTION.sub(r"\1", time)
    try:
        return msgspec.convert(members, Event)
    except (ValueError, OverflowError) as error:
        what, _, where = str(error).partition(" - at `$.")
        name = where.rstrip("`")
        raise _Reason(f'"{name}": {what[:1].lower()}{what[1:]}' if name else what) from None


@contextmanager
def open_input(path: str) -> Iterator[IO[bytes]]:
    """Open an input for reading bytes: `-` is standard input, .gz and .zst are unpacked as they are read."""
    if path == "-":
        yield sys.stdin.buffer
        return
    file = Path(path)
    try:
        if file.is_dir():
            raise unreadable(path, "this is a directory, not a file", fix="name the file inside it")
        raw = file.open("rb")
    except FileNotFoundError:
        raise unreadable(path, "there is no such file", fix="check the path") from None
    except PermissionError:
        raise unreadable(path, "the file may not be read", "its permissions are in the way") from None
    except (OSError, ValueError) as error:
        raise unreadable(path, f"the file cannot be read: {error}") from None
    with raw:
        yield unpacked(raw, file.name)


def unpacked(raw: IO[bytes], name: str) -> IO[bytes]:
    """Return a stream that unpacks ``raw`` by the ending of its name."""
    for ending in (".gz", ".zst"):
        if name.endswith(ending):
            return cast(IO[bytes], PackedReader(raw, ending))
    return raw


def read_events(path: str | Path, *, scale: Scale | None = None, strict: bool = False) -> Iterator[Event]:
    """Yield the events of a file; raise Refused for an unreadable line when ``strict``, else leave it out.

    Use `EventStream` to learn what was left out.
    """
    stream = EventStream(str(path), scale=scale, strict=strict)
    with open_input(str(path)) as file:
        yield from stream.read(file)
