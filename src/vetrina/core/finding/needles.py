r"""What the bytes of a record must hold so that it can be a hit: looked for before anything is parsed.

Law: no hit is lost. A text may stand in a message whose holes are filled from fields, so no line need hold it whole: where
it meets the ends of holes it is in pieces. With one end in it, its first or its second half is whole. With more, a hole
ends in it, and what follows that is either a part of it up to its end, or up to the next hole.

Only letters, digits and some signs that no notation escapes are looked for; JSON may still write any of them as `\u00..`,
and a number otherwise than it is shown: such lines are looked at, too.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from enum import Enum

from msgspec import Struct

from vetrina.core.base.events import text_of
from vetrina.core.finding.asked import Asked, quoted

_LEAST, _HALVES, _MOST = 3, 6, 48
_PLAIN = re.compile(r"[A-Za-z0-9 _.!?#$%&'()*+;<=>@^|~-]+")
_PRINTED = re.compile(r"[^\x00-\x1f\x7f-\x9f\ufeff\ufffd\u2028\u2029\ud800-\udfff]+")
_ESCAPES = r"\\u(?:00[2-7]|017[fF]|212[aA])"
_NUMBERS = tuple(rf"{sign}[ \t]*-?\d(?:[\d.]*[eE]|\d*\.0000|\d*\.\d{{16}}|\d{{15,}}\.)" for sign in (":", ",", r"\["))
"""JSON numbers that are shown otherwise than they are written: with exponents, or with very many digits."""
_HOLE = r"\{[^\"\s{}]"


class Form(Enum):
    """How records are written: as events in JSON; by a form that escapes; as text that shows everything as it is."""

    EVENTS = "events"
    RECORDS = "records"
    TEXT = "text"


class Needle(Struct, frozen=True):
    """What to look for in bytes: any of ``literals``, or of the RE2 ``signs``; ``text`` is what it was made of."""

    text: str
    literals: tuple[bytes, ...]
    signs: tuple[str, ...]

    @property
    def each(self) -> list[str]:
        """Return an expression of each, for bytes as Latin-1; one of text without regard to case has no literals."""
        return [*(quoted(one.decode("latin-1")) for one in self.literals), *self.signs]


def needle(asked: Asked, form: Form, encoding: str, *, fields: bool) -> Needle | None:
    """Return what records must hold, None where nothing can be said.

    Args:
        asked: What hits must meet.
        form: How the records are written.
        encoding: Of the text: one in which ASCII is a byte a sign.
        fields: Whether events have fields, so that their messages may have holes.
    """
    found = [*_in_texts(asked, form), *_in_fields(asked, form)]
    if not found:
        return None
    text, digits = max(found, key=lambda one: len(one[0]))
    text = text[:_MOST].rstrip(" ")
    digits = digits or (form is not Form.TEXT and len(text) == _MOST and _may_be_a_number(text))
    if asked.ignore_case:
        return Needle(text, (), (f"(?i:{_pieces(text, form, fields=fields)})", *_further(form, digits=digits, fields=fields)))
    if form is Form.EVENTS and len(text) < _HALVES:
        return Needle(text, (), (_pieces(text, form, fields=True), *_further(form, digits=digits, fields=True)))
    literal = text.encode(encoding)
    if form is Form.EVENTS:
        half = len(literal) // 2
        return Needle(text, (literal[:half], literal[half:]), (_after_holes(text), *_further(form, digits=digits, fields=True)))
    return Needle(text, (literal,), _further(form, digits=digits, fields=fields))


def _further(form: Form, *, digits: bool, fields: bool) -> tuple[str, ...]:
    """Return what else may hide a text."""
    if form is Form.TEXT:
        return (_HOLE,) if fields else ()
    hole = (_HOLE,) if form is Form.RECORDS and fields else ()
    return (_ESCAPES, *hole, *(_NUMBERS if digits else ()))


def _in_texts(asked: Asked, form: Form) -> Iterator[tuple[str, bool]]:
    """Yield parts of what the filled message, or the error, must hold, and whether numbers may be written otherwise."""
    texts = [*asked.texts, *(run for one in asked.messages for run in plain_runs(one.text))]
    for text in (*texts, *([] if asked.shared_value is None else [asked.shared_value])):
        for run in _runs(text, form, folded=asked.ignore_case):
            yield run, form is not Form.TEXT and _may_be_a_number(run)


def _in_fields(asked: Asked, form: Form) -> Iterator[tuple[str, bool]]:
    for _, value in asked.fields:
        if asked.ignore_case or isinstance(value, float | bool | list | dict) or value is None:
            continue
        for run in _runs(text_of(value), form):
            yield run, any(map(str.isdigit, run))


def _may_be_a_number(text: str) -> bool:
    """Tell whether a number that is written otherwise may supply so much of a text's end that no half of it is left whole.

    In its middle a number's hole ends, and what follows is looked for; the same holds for what stands before its end.
    """
    half = len(text) // 2
    begun, ended = _NUMBER_FIRST.match(text), _NUMBER_LAST.search(text)
    return (begun is not None and begun.end() > half) or (ended is not None and ended.start() < half)


_NUMBER_FIRST = re.compile(r"[0-9.eE+-]+")
_NUMBER_LAST = re.compile(r"-?[0-9][0-9.eE+-]*\Z")


def _runs(text: str, form: Form, *, folded: bool = False) -> Iterator[str]:
    """Yield the parts of a text that stand in a record as they are; for JSON rather one that no number may supply."""
    runs = [one.strip(" ") for one in (_PRINTED if form is Form.TEXT and not folded else _PLAIN).findall(text)]
    sure = [] if form is Form.TEXT else [one for one in runs if len(one) >= _HALVES and not _may_be_a_number(one)]
    yield from (one for one in sure or runs if len(one) >= _LEAST)


def _pieces(text: str, form: Form, *, fields: bool) -> str:
    """Return the expression of a text that may be in pieces."""
    whole = quoted(text)
    if form is not Form.EVENTS or not fields:
        return whole
    signs = _class(text)
    return rf"{whole}|{signs}\{{|\}}(?:{signs}|\{{)"


def _after_holes(text: str) -> str:
    """Return the expression of what follows a hole that ends in a text which holds the end of another one, too."""
    ends = "|".join(quoted(text[at:]) for at in range(1, len(text)))
    return rf"\}}(?:{ends}|{_class(text)}{{0,{len(text)}}}\{{)"


def _class(text: str) -> str:
    return "[" + "".join(map(quoted, sorted(set(text)))) + "]"


def plain_runs(expression: str) -> list[str]:
    """Return texts that every match of an RE2 expression holds; none where that is not plainly to be seen."""
    if "(?i" in expression or "\\Q" in expression or re.search(r"\(\?[a-zA-Z-]*i", expression):
        return []
    runs: list[str] = []
    run, at = "", 0
    while at < len(expression):
        sign = expression[at]
        following = expression[at + 1 : at + 2]
        if sign == "|":
            return []
        if sign == "\\" and following and not following.isalnum():
            run, at = run + following, at + 2
            continue
        if sign in "*?{":
            runs, run = [*runs, run[:-1]], ""
            at = expression.find("}", at) + 1 if sign == "{" and "}" in expression[at:] else at + 1
            continue
        if sign in "+.^$\\[(":
            runs, run = [*runs, run], ""
            at = _end(expression, at)
            continue
        run, at = run + sign, at + 1
    return [one for one in (*runs, run) if one]


def _end(expression: str, at: int) -> int:
    """Return where a sign that is no text ends, with what it encloses and how often that comes."""
    sign = expression[at]
    if sign == "\\":
        end = at + 2
        if expression[at + 1 : at + 2] in "pPx" and expression[end : end + 1] == "{":
            end = expression.find("}", end) + 1 or len(expression)
        elif expression[at + 1 : at + 2] == "x":
            end += 2
        elif expression[at + 1 : at + 2].isdigit():
            end = re.compile(r"\d*").match(expression, at + 1).end()  # type: ignore[union-attr]
        elif expression[at + 1 : at + 2] in {"p", "P"}:
            end += 1
    elif sign == "[":
        end = _class_end(expression, at)
    elif sign == "(":
        end = _group_end(expression, at)
    else:
        end = at + 1
    while end < len(expression) and expression[end] in "*+?{":
        end = expression.find("}", end) + 1 or len(expression) if expression[end] == "{" else end + 1
    return end


def _class_end(expression: str, at: int) -> int:
    end = at + 1 + expression.startswith("^", at + 1)
    end += expression.startswith("]", end)
    while end < len(expression) and expression[end] != "]":
        if expression.startswith("[:", end):
            end = expression.find(":]", end) + 1 or len(expression)
        end += 2 if expression[end : end + 1] == "\\" else 1
    return end + 1


def _group_end(expression: str, at: int) -> int:
    depth = 0
    while at < len(expression):
        sign = expression[at]
        if sign == "\\":
            at += 2
            continue
        if sign == "[":
            at = _class_end(expression, at)
            continue
        depth += (sign == "(") - (sign == ")")
        at += 1
        if not depth:
            break
    return at
