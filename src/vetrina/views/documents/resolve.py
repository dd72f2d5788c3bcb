"""`resolve --json`."""

from __future__ import annotations

from typing import Any

from msgspec import Struct, structs

from vetrina.core.base.origins import Origin
from vetrina.core.config.dump import Entries, Items, Value, Written
from vetrina.views.documents.shared import OriginPlace, origin_place


class OriginOf(OriginPlace, kw_only=True, omit_defaults=True):
    """The origin of one value of the plan in force, by its path."""

    path: str


class Resolve(Struct):
    """`resolve --json`: the plan, every value's origin, the names of values shown as `***`."""

    plan: dict[str, Any]
    origins: list[OriginOf]
    hidden: list[str]


def document(body: Entries, secrets: list[str]) -> Resolve:
    """Return the plan, and the origin of every value by its path."""
    origins: list[OriginOf] = []
    return Resolve(_plain(body, "", origins), origins, secrets)


def _plain(one: Written, path: str, origins: list[OriginOf]) -> Any:
    if isinstance(one, Value):
        origins.append(_at(path, one.origin))
        return one.json
    if isinstance(one, Items):
        if not one.items:
            origins.append(_at(path, one.origin))
        return [_plain(item, f"{path}[{at}]", origins) for at, item in enumerate(one.items)]
    if not one.entries:
        origins.append(_at(path, one.origin))
    return {name: _plain(child, _below(path, name), origins) for name, child in one.entries.items()}


def _at(path: str, origin: Origin) -> OriginOf:
    return OriginOf(path=path, **structs.asdict(origin_place(origin)))


def _below(path: str, name: str) -> str:
    if name.replace("-", "_").isidentifier():
        return f"{path}.{name}" if path else name
    quoted = f'"{name}"' if any(char in name for char in '[]"') else name
    return f"{path}[{quoted}]"
