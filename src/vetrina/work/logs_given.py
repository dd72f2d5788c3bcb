"""What a call says of how logs are written: a template, a zone, an encoding, a day; each refused where it is none."""

from __future__ import annotations

from datetime import date

from vetrina.core.base import clocks
from vetrina.core.base.faults import Fault, Refused, refuse
from vetrina.core.templates.compiling import Setting, TextTemplate, text_template
from vetrina.core.templates.forms import PlainText
from vetrina.core.templates.language import BadTemplate


def setting_given(zone: str, separator: str = ".") -> Setting:
    """Return the setting of a zone by its name."""
    try:
        return Setting(clocks.zone(zone), separator)
    except (KeyError, ValueError, OSError):
        raise refuse(f'zone "{zone[:60]}" is not in the IANA time zone database', where="--zone") from None


def template_given(template: str, setting: Setting, option: str = "--template") -> TextTemplate:
    """Return the template of an option; its faults stop the command."""
    try:
        return text_template(template, setting)
    except BadTemplate as bad:
        raise Refused(
            Fault("bad-template", f"{one.what} at character {one.offset + 1}", fix=one.fix, where=option) for one in bad.faults
        ) from None


def form_given(template: str, setting: Setting) -> PlainText:
    """Return the form of lines that a template of an option writes."""
    return PlainText("text", setting, None, (template_given(template, setting),))


def encoding_given(name: str) -> str:
    """Return an encoding's name, an empty text as it is; refuse one that is not known, or is none of text in lines."""
    if not name:
        return ""
    try:
        lines = "a\n".encode(name)
        known = lines == b"a\n" or (name.lower().replace("_", "-").startswith(("utf-16", "utf-32")) and bool(lines))
    except (LookupError, UnicodeError):
        raise refuse(f'encoding "{name[:40]}" is not known', where="--encoding") from None
    if not known:
        raise refuse(f'encoding "{name[:40]}" is none of lines of text', where="--encoding")
    return name


def day_given(text: str) -> date | None:
    """Return a day, None for an empty text."""
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise refuse(f'"{text[:40]}" is no day', fix="write --date 2026-11-13", where="--date") from None
