"""live-cell: a column of CSV that a spreadsheet may run.

A cell that begins with `=`, `+`, `-`, `@`, a tab or a carriage return is a formula to most spreadsheets, quoted or not, and
what a message says comes from outside. The file stays what the plan says; the step `inert` puts a `'` before such a text.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: gates.csv, template: rows}}
    templates: {rows: {as: csv, columns: {at: "{time}", say: "{message}"}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: gates.csv, template: rows}}
    templates: {rows: {as: csv, columns: {at: "{time}", say: "{message|inert}"}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._templates import in_use
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.templates.forms import live_columns


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find columns that may begin like a formula."""
    for template, origin, subject, _ in in_use(scene):
        live = live_columns(template)
        if live:
            yield Hit(
                origin,
                subject,
                f"a cell may begin like a formula: column {live}",
                "a spreadsheet that opens the file runs it, and what a message says comes from outside",
                "put |inert last into the column's placeholder, where people open the file in a spreadsheet",
            )


CHECK = Check("live-cell", "warning", "a column of CSV that a spreadsheet may run", find)
