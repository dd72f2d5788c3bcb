"""The language of text templates: `{source|step|step}`, with `{{` and `}}` for braces.

Here: text to parts, every fault with its position. Not here: what sources give and steps do (pieces.py, steps.py).
"""

from __future__ import annotations

import json
import re
from typing import NamedTuple

from msgspec import Struct

from vetrina.core.base.errors import VetrinaError

_WORD = re.compile(r'\s*("(?:[^"\\]|\\.)*"|[^\s"|{}]+)')
_LONGEST = 1 << 20
MOST_STEPS = 64
"""Steps of one placeholder: the code that is made of them nests."""
MOST_PARTS = 10_000


class TemplateFault(NamedTuple):
    """What is wrong with a template, and at which character (from 0)."""

    offset: int
    what: str
    fix: str = ""


class BadTemplate(VetrinaError):
    """A template that cannot be used, with everything that is wrong with it."""

    def __init__(self, faults: list[TemplateFault]) -> None:
        """Keep the faults."""
        super().__init__("; ".join(fault.what for fault in faults))
        self.faults = faults


class StepCall(Struct, frozen=True):
    """A step as written: its name and argument (None where none is given)."""

    name: str
    argument: str | None
    offset: int


class Placeholder(Struct, frozen=True):
    """A placeholder as written: its source (with the field's name for `field`) and its steps."""

    source: str
    argument: str | None
    steps: tuple[StepCall, ...]
    offset: int
    end: int


def parse(text: str) -> list[str | Placeholder]:
    """Return the literal parts and the placeholders of a template; raise BadTemplate with all faults of form."""
    if len(text) > _LONGEST:
        raise BadTemplate([TemplateFault(0, f"the template is longer than {_LONGEST:,} characters")])
    parts: list[str | Placeholder] = []
    literal: list[str] = []
    faults: list[TemplateFault] = []
    position = 0
    while position < len(text):
        brace = _next_brace(text, position)
        literal.append(text[position:brace])
        if brace == len(text):
            break
        char = text[brace]
        if text.startswith(char * 2, brace):
            literal.append(char)
            position = brace + 2
        elif char == "}":
            faults.append(TemplateFault(brace, "a closing brace has no opening one", "write }} for a literal }"))
            position = brace + 1
        else:
            if any(literal):
                parts.append("".join(literal))
            literal = []
            position = _placeholder(text, brace, parts, faults)
    if any(literal):
        parts.append("".join(literal))
    if len(parts) > MOST_PARTS:
        faults.append(TemplateFault(0, f"the template has more than {MOST_PARTS:,} parts"))
    if faults:
        raise BadTemplate(faults)
    return parts


def _next_brace(text: str, position: int) -> int:
    found = [at for at in (text.find("{", position), text.find("}", position)) if at >= 0]
    return min(found, default=len(text))


def _placeholder(text: str, start: int, parts: list[str | Placeholder], faults: list[TemplateFault]) -> int:
    """Read one placeholder from its brace on; return where reading goes on."""
    try:
        source, position = _source(text, start)
        steps: list[StepCall] = []
        while text[position] == "|":
            step, position = _step(text, position + 1)
            steps.append(step)
        _refuse_many(steps)
    except _TemplateSyntaxError as broken:
        faults.append(TemplateFault(broken.offset, broken.what, broken.fix))
        closing = text.find("}", broken.offset)
        return len(text) if closing < 0 else closing + 1
    if len(source) > 2 or (len(source) == 2 and source[0] != "field"):
        faults.append(TemplateFault(start, f'"{" ".join(source)[:60]}" is not one source', "put steps after a |"))
    argument = source[1] if len(source) > 1 else None
    parts.append(Placeholder(source[0], argument, tuple(steps), start, position + 1))
    return position + 1


def _refuse_many(steps: list[StepCall]) -> None:
    if len(steps) > MOST_STEPS:
        what = f"a placeholder has more than {MOST_STEPS} steps"
        raise _TemplateSyntaxError(steps[MOST_STEPS].offset, what, "leave some of them out")


def _source(text: str, start: int) -> tuple[list[str], int]:
    source, position = _words(text, start + 1)
    if not source:
        raise _TemplateSyntaxError(start, "a placeholder without a source", "write {message}, {time}, … or {{ for a literal {")
    return source, position


class _TemplateSyntaxError(VetrinaError):
    def __init__(self, offset: int, what: str, fix: str = "") -> None:
        super().__init__(what)
        self.offset, self.what, self.fix = offset, what, fix


def _step(text: str, start: int) -> tuple[StepCall, int]:
    begin = start
    while begin < len(text) and text[begin] == " ":
        begin += 1
    if text.startswith("%", begin):
        end = begin
        while end < len(text) and text[end] not in "|}":
            end += 1
        if end == len(text):
            raise _TemplateSyntaxError(start, "a placeholder is not closed", "close it with }, or write {{ for a literal {")
        return StepCall("%", text[begin:end], begin), end
    words, position = _words(text, start)
    if not words:
        raise _TemplateSyntaxError(start, "a step without a name")
    if len(words) > 2:
        raise _TemplateSyntaxError(
            start, f'"{" ".join(words)[:60]}" has too many words for one step', "put the text in double quotes"
        )
    return StepCall(words[0], words[1] if len(words) == 2 else None, begin), position


def _words(text: str, position: int) -> tuple[list[str], int]:
    """Return the words up to the next `|` or `}` outside quotes, and where that stands."""
    words: list[str] = []
    while True:
        while position < len(text) and text[position] in " \t\r\n":
            position += 1
        if position >= len(text):
            raise _TemplateSyntaxError(
                max(0, position - 1), "a placeholder is not closed", "close it with }, or write {{ for a literal {"
            )
        if text[position] in "|}":
            return words, position
        match = _WORD.match(text, position)
        if match is None:
            char = text[position]
            what = "a quote is not closed" if char == '"' else f'"{char}" stands inside a placeholder'
            raise _TemplateSyntaxError(position, what, "put texts with spaces, | or braces in double quotes")
        word = match.group(1)
        if word.startswith('"'):
            try:
                word = json.loads(word, strict=False)
                word.encode()
            except ValueError:
                raise _TemplateSyntaxError(position, f"{word[:40]} is not a text with JSON escapes") from None
        words.append(word)
        position = match.end()
