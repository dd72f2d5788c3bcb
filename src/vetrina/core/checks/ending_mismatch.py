"""ending-mismatch: a file's ending that promises what the file is not.

An ending that means packing and packs nothing here (only .gz, .zst, .xz and .bz2 do), or one of JSON or CSV on a file of text.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/a-{period|%Y-%m-%d}.zip", keep: {age: 14 days}}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/a-{period|%Y-%m-%d}.log.gz", keep: {age: 14 days}}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.plan.rolling_policy import Roll

_PACKED = (".zip", ".7z", ".rar", ".tgz", ".tar", ".br", ".lz4", ".lzma", ".z")
_FORMS = {".json": "json", ".jsonl": "json", ".ndjson": "json", ".csv": "csv"}


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find endings of other packers and of other formats."""
    for appender in scene.appenders(lambda sink: sink.rolls):
        roll: Roll = appender.roll
        name = roll.names.text.lower()
        packed = next((ending for ending in _PACKED if name.endswith(ending)), "")
        if packed:
            yield Hit(
                roll.origin,
                f"appender {appender.name}",
                f"{roll.names.text} ends in {packed}, and nothing is packed",
                "the file is plain text under the name of an archive, and no tool will open it",
                "use .gz, .zst, .xz or .bz2",
            )
        ending = next((one for one in _FORMS if roll.path.text.lower().endswith(one)), "")
        if ending and appender.template.form != _FORMS[ending]:
            yield Hit(
                appender.template_origin if appender.template_origin.place else appender.origin,
                f"appender {appender.name}",
                f"{roll.path.text} ends in {ending}, and its template is as: {appender.template.form}",
                "who reads it by its name will stumble",
                f"use a template with as: {_FORMS[ending]}, or another ending",
            )


CHECK = Check("ending-mismatch", "warning", "a file's ending that promises what the file is not", find)
