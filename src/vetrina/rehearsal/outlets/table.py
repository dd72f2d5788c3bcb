"""Rows of a table in a SQLite database below the rehearsal's folder."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from datetime import datetime
from itertools import repeat
from pathlib import Path
from typing import Any, TypeVar

from vetrina.core.base.faults import refuse
from vetrina.core.plan.model import Appender
from vetrina.core.sink_kinds.kind import full_path
from vetrina.core.templates.forms import TableRow
from vetrina.rehearsal.outlets.outlet import PlainOutlet, RehearsalSite, RenderedEvent, size_of
from vetrina.rehearsal.sandbox import rerooted

_ROWS = 5000
T = TypeVar("T")


class Table(PlainOutlet):
    """Inserts each event as one row; rows are committed with their group, or after every few thousand."""

    reads_events = True

    def __init__(self, appender: Appender, place: RehearsalSite) -> None:
        super().__init__(appender, place)
        template = appender.template
        assert isinstance(template, TableRow)  # noqa: S101  (a table takes nothing else)
        self._cells = [text.compile() for text in template.texts]
        self._columns = template.columns
        self._base: sqlite3.Connection | None = None
        self._since = 0
        self._path: Path | None = None

    def deliver(self, time: datetime, group: list[RenderedEvent]) -> None:
        """Insert the group's rows."""
        del time
        base = self._base or self._open()
        marks = ", ".join("?" * len(self._cells))
        rows = (row for one in group for row in repeat(tuple(cell(one.event, one.number) for cell in self._cells), one.times))
        self.place.sandbox.take(size_of(group))
        base.executemany(f"INSERT INTO {_quoted(self.appender.sink.text('table'))} VALUES ({marks})", rows)  # noqa: S608  (quoted names)
        self._since += sum(one.times for one in group)
        if self._since >= _ROWS or self.appender.buffer is not None:
            base.commit()
            self._since = 0

    def _open(self) -> sqlite3.Connection:
        path = full_path(self.appender.sink.text("database"), self.place.folder)
        self._path = self.place.sandbox.place("tables", path)
        if self._path.is_symlink():
            raise refuse(
                "a link stands where the database is wanted",
                "it could lead out of the folder",
                "remove it",
                where=str(self._path),
            )
        columns = ", ".join(f"{_quoted(name)} TEXT" for name in self._columns)
        try:
            base = sqlite3.connect(self._path)
            base.execute(f"CREATE TABLE IF NOT EXISTS {_quoted(self.appender.sink.text('table'))} ({columns})")
        except sqlite3.Error as error:
            raise refuse(f"the table cannot be made: {error}", fix="check table and columns", where=str(self._path)) from None
        self._base = base
        return base

    def finish(self) -> None:
        """Commit and close."""
        if self._base is not None:
            self._base.commit()
            self._base.close()

    def said(self) -> Iterator[bytes]:
        """Yield the rows in their order."""
        yield from self._asked("SELECT * FROM {} ORDER BY rowid", lambda row: repr(row).encode())

    def count(self) -> int | None:
        """Return how many rows there are; those of several appenders in one table are held against the events together."""
        appenders = self.place.plan.appenders.values()
        if sum(one.sink.place == self.appender.sink.place for one in appenders) > 1:
            return None
        return next(iter(self._asked("SELECT count(*) FROM {}", lambda row: int(row[0]))), 0)

    def _asked(self, query: str, made: Callable[[tuple[Any, ...]], T]) -> Iterator[T]:
        path = full_path(self.appender.sink.text("database"), self.place.folder)
        kept = self.place.sandbox.folder / "tables" / rerooted(path)
        if not kept.exists():
            return
        base = sqlite3.connect(kept)
        try:
            yield from map(made, base.execute(query.format(_quoted(self.appender.sink.text("table")))))
        finally:
            base.close()


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


OUTLET = Table
