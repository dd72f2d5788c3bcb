"""What a call asks for by name, looked up in the plan: refused where the plan has no such thing.

``where`` is what the asking is called in messages: an option, or a parameter of the Python API.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import offer, refuse
from vetrina.core.base.levels import LevelRange, Scale
from vetrina.core.plan.model import Plan

if TYPE_CHECKING:
    from vetrina.core.rolling.streams import Stream


def known_appenders(plan: Plan, names: Iterable[str], where: str) -> None:
    """Refuse names that no appender of the plan has."""
    for name in names:
        if name not in plan.appenders:
            raise refuse(f'no appender is called "{name[:60]}"', fix=offer(name, plan.appenders), where=where)


def known_level(scale: Scale, level: object, where: str) -> None:
    """Refuse a level that the scale does not know."""
    if scale.severity(level) is None:
        raise refuse(f'level "{str(level)[:60]}" is not known{scale.hint(str(level))}', where=where)


def level_range(scale: Scale, text: str, where: str) -> LevelRange | None:
    """Return the levels that a range means, None for an empty text: all."""
    try:
        return scale.range(text) if text else None
    except NotUnderstood as reason:
        raise refuse(f"this is no range of levels: {reason}", where=f"{where} {text}") from None


def streams(scale: Scale, texts: Iterable[str], where: str) -> list[Stream]:
    """Return the streams that texts such as `LOGGER LEVEL N/second` mean."""
    from vetrina.core.rolling.streams import stream_of  # noqa: PLC0415  (few calls add streams)

    found = []
    for text in texts:
        try:
            found.append(stream_of(text, scale))
        except NotUnderstood as reason:
            raise refuse("this is no stream", fix=str(reason), where=f"{where} {text}") from None
    return found
