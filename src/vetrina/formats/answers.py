"""What a service answers, read by its step: the levels of loggers. Nothing of an answer is ever in a message."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from vetrina.core.base.errors import NotUnderstood, VetrinaError
from vetrina.core.base.events import LONGEST_LOGGER
from vetrina.core.services.levels_now import LevelNow
from vetrina.core.services.service import Look, Reading, Step
from vetrina.formats.notations.json_values import value_path

MOST_LOGGERS = 1_000_000
LONGEST_WORD = 200


class WrongAnswer(VetrinaError):
    """Why an answer cannot be read as the step says; the message is a clause, without anything of the answer."""


def levels_listed(step: Step, data: bytes) -> list[LevelNow]:
    """Return the levels of all loggers that an answer of `list` names; raise WrongAnswer for none."""
    found = list(_read(step.reading, data))
    if not found:
        what = "no line of it fits the expression under lines" if step.reading.lines else "nothing stands where each says"
        raise WrongAnswer(f"it names no logger: {what}")
    return found


def level_read(step: Step, data: bytes, name: str) -> LevelNow | None:
    """Return the level of the one logger that was asked for by its name, None where the answer does not name it."""
    reading = step.reading
    found = list(_read(reading, data, name))
    named = "name" in reading.looks or (reading.lines is not None and "name" in reading.lines.groups)
    if named and (reading.lines is not None or reading.each):
        found = [one for one in found if one.name == name]
    elif named and any(one.name != name for one in found):
        raise WrongAnswer("it is about another logger")
    if len(found) > 1 and any(one != found[0] for one in found):
        raise WrongAnswer("it says several things of this logger")
    return found[0] if found else None


def _read(reading: Reading, data: bytes, name: str = "") -> Iterator[LevelNow]:
    if reading.lines is not None:
        yield from _of_lines(reading, data, name)
        return
    try:
        document = msgspec.json.decode(data.removeprefix(b"\xef\xbb\xbf"))
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        what = "it is HTML" if data[:200].lstrip().lower().startswith((b"<!doctype html", b"<html")) else "it is no JSON"
        raise WrongAnswer(what if data.strip() else "it is empty") from None
    try:
        items = value_path(reading.each)(document) if reading.each else [((), document)]
        for at, (place, item) in enumerate(items, start=1):
            if at > MOST_LOGGERS:
                raise WrongAnswer(f"it names more than {MOST_LOGGERS:,} loggers")
            yield _level(reading, place, item, name, at)
    except NotUnderstood as reason:
        raise WrongAnswer(f"its paths cannot be followed: {reason}") from None


def _of_lines(reading: Reading, data: bytes, name: str) -> Iterator[LevelNow]:
    assert reading.lines is not None  # noqa: S101  (asked before)
    groups = reading.lines.groups
    for line in data.decode("utf-8", "replace").splitlines():
        found = reading.lines.search(line)
        if found is None:
            continue
        own = found["name"] if "name" in groups else name
        if own is None:
            raise WrongAnswer("a line fits the expression, and has no name")
        set_ = found["level"] if "level" in groups else None
        effective = found["effective"] if "effective" in groups else None
        if len(own) > LONGEST_LOGGER or max(len(set_ or ""), len(effective or "")) > LONGEST_WORD:
            raise WrongAnswer("a line fits the expression, and what it names is too long to be a name and a level")
        yield LevelNow(own, set_ or None, effective or None, "level" in groups, "effective" in groups)


def _level(reading: Reading, place: tuple[str | int, ...], item: Any, name: str, at: int) -> LevelNow:
    looks = reading.looks
    own = _look(looks["name"], place, item, "name", at) if "name" in looks else name
    if own is None:
        raise WrongAnswer(f"logger {at} in it has no name")
    set_ = _look(looks["level"], place, item, "level", at) if "level" in looks else None
    effective = _look(looks["effective"], place, item, "effective", at) if "effective" in looks else None
    return LevelNow(own, set_, effective, "level" in looks, "effective" in looks)


def _look(look: Look, place: tuple[str | int, ...], item: Any, what: str, at: int) -> str | None:
    """Return what stands where a look says, as text; None for null and for nothing."""
    if isinstance(look, int):
        if look >= len(place):
            raise WrongAnswer(f"the {what} of logger {at} stands {look} members up, and there are none")
        return str(place[-1 - look])
    found = value_path(look)(item)
    if len(found) > 1:
        raise WrongAnswer(f"the {what} of logger {at} stands in several places")
    value = found[0][1] if found else None
    if isinstance(value, str) and len(value) > (LONGEST_LOGGER if what == "name" else LONGEST_WORD):
        raise WrongAnswer(f"the {what} of logger {at} is too long to be one")
    if value is None or isinstance(value, str):
        return value or (None if what != "name" else value)
    if isinstance(value, int) and not isinstance(value, bool):
        return str(value)
    raise WrongAnswer(f"the {what} of logger {at} is no text")
