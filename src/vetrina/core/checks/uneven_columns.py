"""uneven-columns: a width that a longer value throws out.

`pad` fills short values and lets long ones stand: the columns of that line no longer stand below each other. Found by
trying with a long logger's name.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: "{level|pad 5} {logger|pad 20} {message}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: "{level|pad 8} {logger|cut-left 20|pad 20} {message}"}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks._templates import in_use
from vetrina.core.checks._trying import awkward_events, levels_of_scale
from vetrina.core.checks.context import Check, CheckContext, Hit
from vetrina.core.templates.compiling import TextTemplate
from vetrina.core.templates.language import Placeholder

_WIDTHS = {"pad", "pad-left"}


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find padded placeholders that some value overflows."""
    for template, origin, subject, _ in in_use(scene):
        for text in template.texts if template.form == "text" else ():
            for one in text.placeholders[:-1]:
                width = next((int(step.argument or 0) for step in one.steps if step.name in _WIDTHS), None)
                longest = "" if width is None else max(_values(scene, text, one), key=len)
                if width is not None and len(longest) > width:
                    yield Hit(
                        origin,
                        subject,
                        f"{one.source} is padded to {width}, and may be longer: {longest[:60]}",
                        "the columns of such a line do not stand below the others",
                        f"cut it to the same width first: {{{one.source}|cut-left {width}|pad {width}}}, or widen it to {len(longest)}",
                    )


def _values(scene: CheckContext, text: TextTemplate, one: Placeholder) -> list[str]:
    render = TextTemplate(text.text, (one,), text.setting).compile()
    events = levels_of_scale(scene) if one.source in {"level", "severity"} else awkward_events(scene)
    return [render(event, 1) for event in events]


CHECK = Check("uneven-columns", "hint", "a width that a longer value throws out", find)
