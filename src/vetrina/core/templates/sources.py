"""The sources of a template: what a placeholder may begin with."""

from __future__ import annotations

from typing import NamedTuple

from vetrina.core.base.faults import nearest
from vetrina.core.templates.language import Placeholder, TemplateFault


class Source(NamedTuple):
    """What a placeholder begins with: what it is (`time`, `level`, `logger`, `text`), the code of its text, what it means."""

    kind: str
    code: str
    doc: str


SOURCES: dict[str, Source] = {
    "time": Source("time", "e.time", "its time: by RFC 3339 in the plan's zone, or by steps"),
    "level": Source("level", "", "its level's name"),
    "severity": Source("level", "", "its level's number, 1 to 24"),
    "logger": Source("logger", "", "its logger's name"),
    "message": Source(
        "text", '(m if "{" not in (m := e.message) else fillings[m](e.fields))', "its message, holes filled from the fields"
    ),
    "text": Source("text", "e.message", "its message before the holes are filled"),
    "error": Source(
        "text", '(error_text(e) if e.error else "")', "its error: the stack, else `type: message`, else the one there is"
    ),
    "thread": Source("text", "(v if type(v := e.thread) is str else text(v))", "its thread"),
    "file": Source("text", 'position(e, "file")', "the source file that logged it"),
    "line": Source("text", 'position(e, "line")', "the line in that file"),
    "function": Source("text", 'position(e, "function")', "the function that logged it"),
    "process": Source("text", "(v if type(v := e.process) is str else text(v))", "its process"),
    "host": Source("text", '(e.host or "")', "its host"),
    "channel": Source("text", '(e.channel or "")', "the channel it came by; nothing for the configuration's own loggers"),
    "sequence": Source("text", "str(n)", "its number among the readable events of the input, from 1"),
    "fields": Source("text", "pairs(e.fields)", "all its fields, as `k=v k=v`"),
    "other-fields": Source("text", "pairs(other_fields(e))", "the fields that no hole of the message uses, as `k=v k=v`"),
    "field": Source("text", "", "one field by name; dotted paths lead into objects: `{field order.id}`"),
}
"""Every source by its name."""


def source_fault(placeholder: Placeholder) -> TemplateFault | None:
    """Return what is wrong with a placeholder's source, None where it is fine."""
    name = placeholder.source
    if name not in SOURCES:
        return TemplateFault(placeholder.offset + 1, f'"{name[:60]}" is not a source', _offer_source(name))
    if name == "field" and not placeholder.argument:
        return TemplateFault(placeholder.offset + 1, "field needs a name", "write {field NAME}")
    return None


def _offer_source(name: str) -> str:
    close = nearest(name, SOURCES)
    return f'did you mean "{close[0]}"?' if close else f"a field is written {{field {name[:40]}}}"
