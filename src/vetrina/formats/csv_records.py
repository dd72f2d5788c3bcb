"""CSV logs (RFC 4180) cut into records: a quoted cell may hold line breaks, and a quote that is lost swallows nothing."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterator

from vetrina.core.base.wording import counted
from vetrina.core.templates.forms import CsvRow
from vetrina.core.templates.reading_back import Inverse, Values
from vetrina.core.templates.undoing import Misfit
from vetrina.formats.lines import LONGEST_LINE
from vetrina.formats.log_records import merge_values

Taken = tuple[int, int, Callable[[], Values | None]]
"""A record: its first line, how many lines it has, and what reads it (None for a header; raises Misfit)."""
csv.field_size_limit(LONGEST_LINE)


class CsvRecords:
    """Puts lines together to records. A line that is a record by itself ends one whose quote was never closed."""

    def __init__(self, template: CsvRow, columns: list[Inverse]) -> None:
        """Read cells by the inverses of the columns' templates."""
        self._template, self._columns = template, columns
        self._waiting: list[str] = []
        self._number = self._size = 0

    @property
    def open(self) -> bool:
        """Tell whether a quoted cell goes on."""
        return bool(self._waiting)

    def take(self, number: int, line: str) -> Iterator[Taken]:
        """Take a line; yield the records that it ends."""
        even = line.count('"') % 2 == 0
        if self._waiting and not even and self._begins(line):
            yield from self.end()
        if not self._waiting:
            if even:
                yield number, 1, lambda: self._values(line)
            else:
                self._number, self._size = number, len(line)
                self._waiting = [line]
            return
        self._size += len(line)
        if even and (self._size > LONGEST_LINE or self._stands_alone(line)):
            yield from self.end()
            yield number, 1, lambda: self._values(line)
            return
        self._waiting.append(line)
        if not even:
            yield from self.end()

    def end(self) -> Iterator[Taken]:
        """Yield the record that waits for its last line, as it is."""
        if self._waiting:
            whole, self._waiting = "\n".join(self._waiting), []
            yield self._number, whole.count("\n") + 1, lambda: self._values(whole)

    def _begins(self, line: str) -> bool:
        """Tell whether a line begins a record: its first cells are whole, and fit columns that not every text fits."""
        cells = next(csv.reader([line]), [])[:-1]
        fits = [inverse.values(cell) is not None for inverse, cell in zip(self._columns, cells, strict=False)]
        picky = any(inverse.values("\0") is None for inverse in self._columns[: len(cells)])
        return bool(cells) and picky and all(fits)

    def _stands_alone(self, line: str) -> bool:
        try:
            return self._values(line) is not None
        except Misfit:
            return False

    def _values(self, record: str) -> Values | None:
        """Return the values of a record, None for the header; raise Misfit for one that does not fit."""
        try:
            (row,) = csv.reader([record], strict=True) if "\n" not in record else csv.reader(_with_ends(record), strict=True)
        except csv.Error as error:
            raise Misfit(f"not by RFC 4180: {error}") from None
        except ValueError:
            raise Misfit("not by RFC 4180: a quote ends inside a line") from None
        if self._template.with_header and tuple(row) == self._template.columns:
            return None
        if len(row) != len(self._columns):
            raise Misfit(
                f"it has {counted(len(row), 'column')}, and {len(self._columns)} {'is' if len(self._columns) == 1 else 'are'} wanted"
            )
        values: Values = {}
        for name, inverse, cell in zip(self._template.columns, self._columns, row, strict=True):
            found = inverse.values(cell)
            if found is None:
                raise Misfit(f'column "{name[:60]}": {inverse.why_not(cell)}')
            merge_values(values, found)
        return values


def _with_ends(record: str) -> list[str]:
    *lines, last = record.split("\n")
    return [*(f"{line}\n" for line in lines), last]
