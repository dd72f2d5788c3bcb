"""A template in pieces: what cuts a line, where it stops fitting, how a record begins."""

from __future__ import annotations

import re
from collections.abc import Callable

from msgspec import Struct

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.events import NOT_TEXT
from vetrina.core.templates import reading_times as times
from vetrina.core.templates.compiling import TextTemplate
from vetrina.core.templates.language import Placeholder
from vetrina.core.templates.reading_levels import Levels, shown_words
from vetrina.core.templates.undoing import applying

FREE = frozenset({"message", "text", "error"})


FIELDS = frozenset({"fields", "other-fields"})


class Collision(VetrinaError):
    """Why a template cannot be inverted: which placeholders collide, and what would help."""

    def __init__(self, what: str, fix: str) -> None:
        super().__init__(what)
        self.what, self.fix = what, fix


class Piece(Struct, frozen=True):
    """A literal, a closed placeholder (with its expression) or an open one (with its least width)."""

    literal: str = ""
    closed: str = ""
    least: int = 0
    name: str = ""
    wants: str = ""
    last_fields: bool = False
    pads_left: bool = False


def cut_into_pieces(parts: list[str | Placeholder], template: TextTemplate) -> list[Piece]:
    """Return a template's parts as pieces; raise Collision where two open ones meet."""
    pieces: list[Piece] = []
    for at, part in enumerate(parts):
        if isinstance(part, str):
            pieces.append(Piece(literal=part))
            continue
        following = parts[at + 1] if at + 1 < len(parts) else ""
        closed = _closed(part, template, following if isinstance(following, str) else "")
        last_fields = part.source in FIELDS and at == len(parts) - 1 and not part.steps
        if not closed:
            _no_collision(pieces, part, last_fields=last_fields)
        apply = applying(part, template)
        least = 0 if closed or part.source in FREE - {"message", "text"} else min(len(apply("")), len(apply("x")))
        pads_left = any(step.name == "pad-left" for step in part.steps)
        pieces.append(Piece("", closed, least, part.source, _wants(part), last_fields, pads_left))
    return pieces


def _no_collision(pieces: list[Piece], part: Placeholder, *, last_fields: bool) -> None:
    """Raise Collision where an open placeholder does not tell where the one before it ends."""
    before = pieces[-1] if pieces else None
    if before is not None and not before.literal and not before.closed:
        raise Collision(
            f"{{{before.name}}} and {{{part.source}}} collide: nothing between them tells where the one ends",
            f'put a literal between them, such as "{{{before.name}}} | {{{part.source}}}"',
        )
    free = pieces[-2] if len(pieces) > 1 and before is not None and not before.literal.strip(" ") else None
    if free is not None and free.name in FREE and not free.closed and not last_fields:
        raise Collision(
            f"{{{free.name}}} and {{{part.source}}} collide: a {free.name} holds the blanks that would end it",
            f'put more than blanks between them, such as "{{{free.name}}} | {{{part.source}}}", or the {free.name} last',
        )


def _wants(one: Placeholder) -> str:
    """Return what a closed placeholder wants, for people."""
    if one.source == "time":
        pattern = times.pattern_of(one)
        if pattern is not None:
            return f"a time as {pattern}"
        return "a time by RFC 3339" if not any(step.name.startswith("epoch") for step in one.steps) else "a whole number"
    return {"level": "a level", "severity": "a severity"}.get(one.source, "digits")


def _closed(one: Placeholder, template: TextTemplate, following: str) -> str:
    """Return the expression of a placeholder that tells by itself where it ends, nothing for an open one."""
    if one.source == "time":
        found = times.expression(one)
        if not found:
            raise Collision("{time} is changed by further steps and cannot be read back", "let its pattern be its last step")
        epoch = any(step.name == "epoch" for step in one.steps)
        return found + r"(?:\.\d{1,9})?" if epoch and not following.startswith(".") else found  # read freely, as RFC 3339 is
    if one.source in {"level", "severity"}:
        return Levels(one, template).expression(following)
    if one.source in {"sequence", "line"} and not one.steps:
        return r"\d*"
    if following.startswith('"') and [step.name for step in one.steps] == ["json"]:
        return r'(?:[^"\\]|\\.)*'  # a quote inside is escaped: the first one that is not ends it
    return ""


def cutter(pieces: list[Piece]) -> Callable[[str], tuple[str, ...] | None]:
    """Return a function that cuts a record into the texts of its placeholders."""
    if len(pieces) > 2 and pieces[-1].last_fields and not pieces[-3].closed and pieces[-2].literal:
        return _fields_last(pieces)
    match = re.compile(expression(pieces), re.DOTALL).fullmatch

    def cut(record: str) -> tuple[str, ...] | None:
        found = match(record)
        return found.groups() if found else None

    return cut


_PAIR_RE2 = r'[^=\s"]+=(?:"(?:[^"\\]|\\.)*"|[^\s"]*)'


def _fields_last(pieces: list[Piece]) -> Callable[[str], tuple[str, ...] | None]:
    """Return what cuts a record whose fields stand last, after an open placeholder: from the first word on that is a pair.

    RE2 looks for it, in time linear in the record.
    """
    import re2  # noqa: PLC0415  (16 ms of start-up, for such templates only)

    before = pieces[:-3]
    start = re.compile(expression(before) + "(.*)" if before else "(.*)", re.DOTALL).fullmatch
    options = re2.Options()
    options.log_errors = False
    literal = re2.escape(pieces[-2].literal)
    end = re2.compile(rf"(?s)(.*?){literal}((?:{_PAIR_RE2}(?: {_PAIR_RE2})*)?)", options=options).fullmatch

    def cut(record: str) -> tuple[str, ...] | None:
        begun = start(record)
        if begun is None or NOT_TEXT.search(record):
            return None
        found = end(begun.groups()[-1])
        return (*begun.groups()[:-1], *found.groups()) if found else None

    return cut


def expression(pieces: list[Piece]) -> str:
    """Return the expression of a record, a group for each placeholder.

    Every group is atomic, so a record is cut at the first place that ends a placeholder, and nothing is tried twice.
    """
    found = []
    for at, piece in enumerate(pieces):
        after = pieces[at + 1] if at + 1 < len(pieces) else None
        if piece.literal:
            found.append(re.escape(piece.literal))
        elif piece.closed:
            found.append(f"((?>{piece.closed}))")
        elif after is None:
            found.append(f"(.{{{piece.least},}})" if piece.least else "(.*)")
        else:
            end = re.escape(after.literal) if after.literal else f"(?:{after.closed})"
            if piece.name == "logger":  # never empty, and blanks before it are padding of the log's own
                found.append(
                    f"(?> *([^ ].{{{max(0, piece.least - 1)},}}?)(?={end}))"
                    if not piece.pads_left
                    else f"(?>(.{{{max(1, piece.least)},}}?)(?={end}))"
                )
            else:
                found.append(f"(?>(.{{{piece.least},}}?)(?={end}))")
    return "".join(found)


def stopping(pieces: list[Piece]) -> Callable[[str], tuple[int, str]]:
    """Return a function that tells at which character (from 0) a line stops fitting, and what is wanted there."""

    def where(line: str) -> tuple[int, str]:
        position = 0
        for at, piece in enumerate(pieces):
            if piece.literal:
                if not line.startswith(piece.literal, position):
                    return position, f'"{piece.literal}" is wanted there'
                position += len(piece.literal)
            elif piece.closed:
                match = re.compile(piece.closed).match(line, position)
                if match is None:
                    return position, _unlike(line, position, piece.wants)
                position = match.end()
            else:
                after = pieces[at + 1] if at + 1 < len(pieces) else None
                if piece.name == "logger" and not re.compile(r" *(?! )(?!$)").match(line, position):
                    return position, "a logger's name is wanted there"
                least = piece.least or int(piece.name == "logger")
                ends = after is None or not after.literal
                end = len(line) if ends else line.find(after.literal, position + least)  # type: ignore[union-attr]
                if end < 0:
                    wanted = after.literal if after else ""
                    return position, f'"{wanted}" is wanted after the {piece.name}'
                position = end
        return position, "more stands there than the template writes"

    return where


def _unlike(line: str, position: int, wants: str) -> str:
    word = re.compile(r"[^\s\])}>|,;]{1,40}").match(line, position)
    if word is None:
        return f"{wants} is wanted there"
    return (
        f'"{word.group()}" is no {wants.removeprefix("a ")}'
        if wants in {"a level", "a severity"}
        else f"{wants} is wanted there"
    )


def beginning(pieces: list[Piece], parts: list[str | Placeholder], template: TextTemplate) -> Callable[[str], bool]:
    """Return a function that tells whether a line looks like the beginning of a record.

    It does where it begins as the template does, holds what the template's time writes or, between the same neighbours,
    what its level writes, or begins with a usual time or a level of any spelling.
    """
    signs: list[str] = []
    if pieces and pieces[0].literal.strip():
        signs.append("^" + re.escape(pieces[0].literal))
    for at, part in enumerate(parts):
        if isinstance(part, str):
            continue
        before = pieces[at - 1].literal[-1:] if at else ""
        after = pieces[at + 1].literal[:1] if at + 1 < len(pieces) else ""
        if part.source == "time":
            lead = re.escape(pieces[0].literal) if at == 1 else ""
            if times.telling(part):
                signs.append(pieces[at].closed)
            elif at < 2:
                signs.append(f"^{lead}{pieces[at].closed}{re.escape(after)}")
        elif part.source == "level":
            words = shown_words(part, template)
            left = f"(?:^|{re.escape(before)})" if before else r"(?<!\w)"
            right = f"(?: *{re.escape(after)}|$)" if after else r"(?!\w)"
            anywhere = "" if words.isupper() else r"(?![ \t]).{0,64}?"
            signs.append(f"{anywhere}{left}(?:{words}){right}")
    known = "|".join(map(re.escape, sorted(template.setting.scale.names(), key=len, reverse=True)))
    signs.append(rf"^(?:[\[<(](?i:{known})[\])>]|(?:{known.upper()})[A-Z]{{0,2}}(?![\w.]))")
    search = re.compile("|".join(f"(?:{sign})" for sign in signs)).search
    usual = times.USUAL.match
    return lambda line: search(line) is not None or usual(line) is not None
