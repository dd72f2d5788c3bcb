"""One event of a log while its lines come in."""

from __future__ import annotations

from vetrina.core.templates.reading_back import Inverse, Tail
from vetrina.formats.lines import LONGEST_LINE

MOST_JOINED = 100_000
UNDECODED = "\udfff"
"""What no text holds: a mark for bytes that are not of the encoding."""


class JoinedRecord:
    """The lines of the event that is being read: its first one, and those that may belong to it."""

    def __init__(self, inverse: Inverse) -> None:
        self._inverse = inverse
        self._tail: Tail | None = inverse.tail
        self.place = inverse.tail.place if inverse.tail else ""
        self.first: str | None = None
        self.further: list[str] = []
        self.begun = 0
        self.orphan = 0
        self._size = 0

    def takes(self, line: str, number: int) -> bool:
        """Take a line that may follow the first one; tell whether it was taken."""
        if self._tail is None or self.first is None or line == UNDECODED:
            return False
        self._size += len(line) + 1
        if self._size > LONGEST_LINE or len(self.further) >= MOST_JOINED or self._inverse.begins(line):
            return False
        self.begun = self.begun if self.further else number
        self.further.append(line)
        return True

    def begin_anew(self) -> None:
        """Forget the lines, for the next event."""
        self.first, self.further, self._size, self.orphan = None, [], 0, 0

    def tail_text(self, first: str | None, further: list[str]) -> str | None:
        """Return the message or the error that goes on in further lines, None where the template writes none like it."""
        tail = self._tail
        if tail is None or first is None:
            return None
        texts = None if tail.apart else self._inverse.cut(first)
        raw = "\n".join([texts[-1] if texts else "", *further])
        try:
            text = tail.undo(raw)
        except ValueError:
            return None
        return text if tail.apply(text) == raw else None
