"""One file that several appenders write."""

from __future__ import annotations

from datetime import datetime

from vetrina.rehearsal.outlets.file import RolledFile
from vetrina.rehearsal.outlets.outlet import NotRead, RenderedEvent


class SharedFile(NotRead):
    """A file that several appenders write, as one of them sees it: one writer, by the first one's policy."""

    def __init__(self, file: RolledFile, owner: int) -> None:
        self._file, self._owner = file, owner

    @property
    def dropped(self) -> dict[int, int]:
        """Return the events of this appender that a roll could not write."""
        return {0: self._file.dropped.get(self._owner, 0)}

    def arrive(self, time: datetime, parcel: RenderedEvent) -> None:
        """Decide which file an event belongs to; its bytes wait."""
        self._file.arrive(time, parcel, self._owner)

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Write what waits of this appender."""
        self._file.deliver(time, group, self._owner)

    def lose(self, group: list[RenderedEvent]) -> None:
        """Forget what waits of this appender."""
        self._file.lose(group, self._owner)

    def start(self, time: datetime) -> None:
        """Hear of a start once."""
        if not self._owner:
            self._file.start(time)

    def finish(self) -> None:
        """Close the file, whoever comes first."""
        self._file.finish()
