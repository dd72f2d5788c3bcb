"""Steps undone: from the text that a placeholder wrote to the value that it was made of.

A text that the steps cannot have written is refused, so that what is read gives the same text again.
"""

from __future__ import annotations

import json
import re
from typing import Any

import msgspec

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.events import NOT_TEXT, pairs, text_of
from vetrina.core.templates.compiling import TextTemplate
from vetrina.core.templates.language import Placeholder
from vetrina.core.templates.masking import masker
from vetrina.core.templates.steps import TEXT_STEPS, Change

NAMES = frozenset({"logger", "thread", "process", "host", "channel", "file", "function"})
"""Sources whose values have no blanks at their ends."""


class Misfit(VetrinaError, ValueError):
    """Why a text is not what a placeholder writes."""


def noun(one: Placeholder) -> str:
    """Return what a placeholder stands for, for people."""
    return f"field {one.argument}" if one.source == "field" else one.source


def taking(one: Placeholder, template: TextTemplate) -> Change:
    """Return the function that takes a placeholder's text back; it raises Misfit where the template cannot have written it."""
    undo, apply = undoing(one), applying(one, template)
    names = {step.name for step in one.steps}
    checked = bool(names) and not names & {"mask", "json"}
    padded, zeros = names & {"pad", "pad-left"} or one.source in NAMES, "zeros" in names

    widest = max((int(step.argument or 0) for step in one.steps if step.name in {"pad", "pad-left"}), default=0)

    def bare(text: str) -> str:
        text = text.strip(" ") if padded else text
        return text.lstrip("0") if zeros else text

    def take(text: str) -> str:
        got = undo(text)
        if one.source in NAMES:
            got = got.strip(" ")
        if widest and one.source in NAMES and len(text) > widest and " " in got and text.strip(" ") != text:
            raise Misfit(f'"{got[:40]}" is wider than its column, and padded')
        if one.source == "logger" and not got and not apply("x.y") == "":
            raise Misfit("no logger's name stands there")
        if one.source == "line" and got and not (got.isascii() and got.isdigit() and len(got) < 16):
            raise Misfit(f'"{got[:40]}" is no line number')
        if checked and bare(apply(got)) != bare(text):
            raise Misfit(f'"{text[:40]}" is nothing that {{{noun(one)}|{"|".join(step.name for step in one.steps)}}} writes')
        if NOT_TEXT.search(got):
            raise Misfit("a lone surrogate in a text")
        return got

    return take


def undoing(one: Placeholder) -> Change:
    """Return the function that undoes a placeholder's steps, the last first; what they cut stays cut."""
    undo = [
        known.undo(*known.arguments(step.argument))
        for step in reversed(one.steps)
        if (known := TEXT_STEPS.get(step.name)) is not None and known.undo is not None
    ]

    def all_of_them(text: str) -> str:
        for one_step in undo:
            text = one_step(text)
        return text

    return all_of_them if undo else lambda text: text


def applying(one: Placeholder, template: TextTemplate, without: frozenset[str] = frozenset()) -> Change:
    """Return the function that does a placeholder's steps on a text again, ``without`` some of them."""
    steps: list[Change] = []
    for step in one.steps:
        known = TEXT_STEPS.get(step.name)
        if step.name == "mask":
            steps.append(masker(template.setting.mask))
        elif known is not None and step.name not in without:
            separator = [template.setting.separator] if known.on == "logger" else []
            steps.append(known.make(*known.arguments(step.argument), *separator))

    def all_of_them(text: str) -> str:
        for one_step in steps:
            text = one_step(text)
        return text

    return all_of_them if steps else lambda text: text


_PAIR = re.compile(r'([^=\s"]+)=("(?:[^"\\]|\\.)*"|[^\s"]*)(?: |$)')


def read_pairs(text: str) -> dict[str, Any]:
    """Return the fields of `k=v k=v`; raise ValueError where that is none."""
    fields: dict[str, Any] = {}
    position = 0
    while position < len(text):
        match = _PAIR.match(text, position)
        if match is None:
            raise Misfit(f'"{text[position : position + 40]}" is no field k=v')
        name, value = match.groups()
        if name in fields:
            raise Misfit(f'the field "{name[:40]}" is there twice')
        fields[name] = json.loads(value) if value.startswith('"') else typed_text(value)
        position = match.end()
    if pairs(fields) != text.rstrip(" "):
        raise Misfit(f'"{text[:40]}" is not how these fields are written: {pairs(fields)[:40]}')
    return fields


def typed_text(text: str) -> Any:
    """Return a value that stands as ``text`` in a hole: a number, true, false, null, a list or an object, else text."""
    if text[:1] not in _JSON_STARTS:
        return text
    try:
        value = _DECODE(text)
    except (ValueError, RecursionError):
        return text
    return value if not isinstance(value, str) and text_of(value) == text else text


_JSON_STARTS = frozenset("-0123456789{[tfn")
_DECODE = msgspec.json.Decoder().decode
