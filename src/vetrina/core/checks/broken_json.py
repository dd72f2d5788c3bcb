"""broken-json: JSON that an awkward message breaks.

Found by trying: the template gives JSON for a harmless event, and none for one with quotes, line breaks or objects in it.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: '{{"say":"{message}"}}'}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: t}}
    templates: {t: {as: json, members: {say: "{message}"}}}
"""

from __future__ import annotations

import json
from collections.abc import Iterator

from vetrina.core.checks._trying import HARMLESS, short, tries
from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find templates whose output is JSON sometimes."""
    for one in tries(scene):
        if not _is_json(one.render(HARMLESS)):
            continue
        for event, output in one.awkward():
            if not _is_json(output):
                yield Hit(
                    one.origin,
                    one.subject,
                    f"this message breaks the JSON: {short(event.message)}",
                    f"it gives {short(output)}",
                    "use a template with as: json, or the step json on each value",
                )
                break


def _is_json(text: str) -> bool:
    try:
        return isinstance(json.loads(text), dict)
    except (ValueError, RecursionError):
        return False


CHECK = Check("broken-json", "error", "JSON that an awkward message breaks", find)
