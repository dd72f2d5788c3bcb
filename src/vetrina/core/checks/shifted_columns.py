"""shifted-columns: columns that an awkward message shifts.

A text template with columns between separators, found by trying: a separator or a quote in a message makes more columns of it.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: "{time},{level},{message}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: t}}
    templates: {t: {as: csv, columns: {at: "{time}", level: "{level}", say: "{message}"}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.base.wording import counted
from vetrina.core.checks._trying import short, tries
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find hand-made rows."""
    for one in tries(scene):
        separator = _separator(one.literals())
        if not separator:
            continue
        wanted = sum(text.count(separator) for text in one.literals())
        for event, output in one.awkward():
            if output.count(separator) > wanted:
                yield Hit(
                    one.origin,
                    one.subject,
                    f"this message shifts the columns: {short(event.message)}",
                    f"it gives {counted(output.count(separator) + 1, 'column')} instead of {wanted + 1}: {short(output)}",
                    "use a template with as: csv",
                )
                break


def _separator(literals: list[str]) -> str:
    """Return the one character that stands alone between all columns, nothing where there is none."""
    if len(literals) < 2 or len(set(literals)) != 1 or literals[0] not in {",", ";", "\t", "|"}:
        return ""
    return literals[0]


CHECK = Check("shifted-columns", "error", "columns that an awkward message shifts", find)
