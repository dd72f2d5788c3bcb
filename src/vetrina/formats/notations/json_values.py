"""JSONPath (RFC 9535) over plain values: where in an answer something stands, and what it is."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any

from vetrina.core.base.errors import NotUnderstood
from vetrina.formats.notations.json_paths import Segment, environment, plain_path

Found = tuple[tuple[str | int, ...], Any]
"""A value with its location: names of members and indexes from the top."""


@lru_cache(64)
def value_path(text: str) -> Callable[[Any], list[Found]]:
    """Return what finds the values of a path, in their order; raise NotUnderstood where it is no JSONPath."""
    plain = plain_path(text.strip())
    if plain is not None and not any(one.deep for one in plain.segments):
        return lambda value: _walked(value, plain.segments)
    return _by_library(text.strip())


def _walked(value: Any, segments: tuple[Segment, ...]) -> list[Found]:
    found: list[Found] = [((), value)]
    for segment in segments:
        found = [((*place, name), below) for place, one in found for name, below in _below(one, segment.wanted)]
    return found


def _below(value: Any, wanted: str | int | None) -> Iterator[tuple[str | int, Any]]:
    if isinstance(value, dict):
        if wanted is None:
            yield from value.items()
        elif isinstance(wanted, str) and wanted in value:
            yield wanted, value[wanted]
    elif isinstance(value, list):
        if wanted is None:
            yield from enumerate(value)
        elif isinstance(wanted, int) and wanted < len(value):
            yield wanted, value[wanted]


def _by_library(text: str) -> Callable[[Any], list[Found]]:
    from jsonpath_rfc9535 import JSONPathError  # noqa: PLC0415  (70 ms, for such paths only)

    try:
        query = environment().compile(text)
    except (JSONPathError, RecursionError) as error:
        raise NotUnderstood(str(error).split("\n", 1)[0][:200]) from None

    def found(value: Any) -> list[Found]:
        try:
            return [(tuple(node.location), node.value) for node in query.finditer(value)]
        except (JSONPathError, RecursionError) as error:
            raise NotUnderstood(str(error).split("\n", 1)[0][:200]) from None

    return found
