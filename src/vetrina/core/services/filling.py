"""What a step sends for a logger, a level, a text: `{logger}`, `{level}` and `{text}` filled in, nothing else."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any
from urllib.parse import quote

from msgspec import UNSET, Struct, UnsetType

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.services.service import Step

_HOLE = re.compile(r"\{(logger|level|text)\}")
_STEPPING = frozenset({".", ".."})


class Request(Struct, frozen=True):
    """A request as it is sent: its ``target`` is a path below the service's base."""

    method: str
    target: str
    headers: Mapping[str, str]
    json: Any | UnsetType = UNSET
    form: Mapping[str, str] | None = None
    text: str | None = None


def request_of(step: Step, values: Mapping[str, str]) -> Request:
    """Return the request of a step; raise NotUnderstood for a name that has no place in a URL."""
    if "{logger}" in step.target and values.get("logger") in _STEPPING:
        raise NotUnderstood(f'a logger called "{values["logger"]}" has no place in a URL: it would name another path')

    def encoded(text: str) -> str:
        return quote(text, safe="", errors="strict")

    return Request(
        step.method.upper(),
        _filled(step.target, values, encoded),
        {name: _filled(text, values) for name, text in step.headers.items()},
        _filled_json(step.json, values),
        None if step.form is None else {name: _filled(text, values) for name, text in step.form.items()},
        None if step.text is None else _filled(step.text, values),
    )


def words_of(step: Step, values: Mapping[str, str]) -> tuple[str, ...]:
    """Return the program of a step with its arguments; raise NotUnderstood for a name that would be taken as an option."""
    logger = values.get("logger", "")
    if "\0" in "".join(values.values()):
        raise NotUnderstood("a name with a NUL character has no place among a program's arguments")
    safe = step.run.index("--") if "--" in step.run else len(step.run)
    for at, word in enumerate(step.run):
        if logger.startswith("-") and word.startswith("{logger}") and at < safe:
            raise NotUnderstood(f'the program would take a logger called "{logger}" as an option: put -- before {{logger}}')
    return tuple(_filled(word, values) for word in step.run)


def _filled(text: str, values: Mapping[str, str], change: Callable[[str], str] = str) -> str:
    return _HOLE.sub(lambda found: change(values[found[1]]) if found[1] in values else found[0], text)


def _filled_json(value: Any, values: Mapping[str, str]) -> Any:
    if isinstance(value, str):
        return _filled(value, values)
    if isinstance(value, dict):
        return {_filled(str(name), values): _filled_json(one, values) for name, one in value.items()}
    if isinstance(value, list | tuple):
        return [_filled_json(one, values) for one in value]
    return value
