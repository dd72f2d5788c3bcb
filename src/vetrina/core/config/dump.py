"""The plan in force, written out in full form: no short forms, layers merged, placeholders filled, origins kept.

Here: the tree of what is to be written, as data. Law: read back in, it means the same. Secrets stand as `${NAME}`.
"""

from __future__ import annotations

import re
from typing import TypeAlias

from msgspec import Struct

from vetrina.core.base.faults import Fault
from vetrina.core.base.origins import DEFAULT, Origin
from vetrina.core.config.grammar import PLAN, VERSION
from vetrina.core.config.placeholders import Filled, typed
from vetrina.core.config.reading import origin_of
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.schema.containers import ListOf, MapOf, Record, child_kind
from vetrina.core.schema.held import MergedNode
from vetrina.core.schema.kinds import Anything, Kind
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar
from vetrina.core.sink_kinds import KINDS

_SAFE = re.compile(r"[A-Za-z_/.][A-Za-z0-9_./@+-]*(?: [A-Za-z0-9_./@+-]+)*\Z")
_ESCAPED = re.compile("[\x7f-\x9f\xad\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb\ufffe\uffff]")
"""What a text editor does not show as it is: controls, and characters of format, which turn the reading order."""
_SHORT = {"\n": "\\n", "\t": "\\t", "\r": "\\r", '"': '\\"', "\\": "\\\\"}


class Value(Struct, frozen=True):
    """One scalar: how it stands in YAML, what it is as JSON, where it came from."""

    yaml: str
    json: object
    origin: Origin


class Entries(Struct, frozen=True):
    """A mapping, in order."""

    entries: dict[str, Written]
    origin: Origin


class Items(Struct, frozen=True):
    """A list."""

    items: tuple[Written, ...]
    origin: Origin


Written: TypeAlias = Value | Entries | Items


def yaml_text(text: str) -> str:
    """Return a text as a YAML scalar that reads back as the same text."""
    if _SAFE.match(text) and isinstance(typed(text), str) and text not in {"---", "..."}:
        return text
    escaped = "".join(_SHORT.get(char) or (f"\\x{ord(char):02x}" if char < " " else char) for char in text)
    return '"' + _ESCAPED.sub(lambda found: f"\\u{ord(found.group()):04x}", escaped) + '"'


def dump(found: ResolvedPlan, *, defaults: bool = False) -> Entries:
    """Return the plan in force as it would be written out; ``defaults`` adds what holds without being said."""
    writer = _Writer(found, defaults=defaults)
    body = writer.write(PLAN, found.held)
    assert isinstance(body, Entries)  # noqa: S101  (a plan is a mapping)
    version = Value(str(VERSION), VERSION, Origin("file", found.document.place))
    folder = Value(
        yaml_text(found.full_folder),
        found.full_folder,
        body.entries["workdir"].origin if "workdir" in body.entries else DEFAULT,
    )
    rest = {name: one for name, one in body.entries.items() if name not in {"vetrina", "workdir", "$schema"}}
    return Entries({"vetrina": version, "workdir": folder, **rest}, body.origin)


class _Writer:
    """Walks what is held, guided by the plan's shape."""

    def __init__(self, found: ResolvedPlan, *, defaults: bool) -> None:
        self._filler = found.filler
        self._defaults = defaults

    def write(self, kind: Kind, held: MergedNode) -> Written | None:
        """Return a value as it would be written, None where it counts as not given."""
        if isinstance(kind, Anything):
            return self._node(held.node, held)
        if held.children is not None:
            return self._mapping(kind, held)
        if held.items is not None and isinstance(kind, ListOf):
            items = tuple(one for item in held.items if (one := self.write(kind.item, item)) is not None)
            return Items(items, _origin(held))
        if isinstance(held.node, Scalar) and not kind.takes_null:
            return self._scalar(held.node, held)
        return self._node(held.node, held)

    def _mapping(self, kind: Kind, held: MergedNode) -> Written:
        entries: dict[str, Written] = {}
        for name, child in held.living():
            below = child_kind(kind, name) if isinstance(kind, Record | MapOf) else Anything()
            one = self.write(below, child)
            if one is not None:
                entries[name] = one
        if self._defaults and isinstance(kind, Record):
            sink = entries.get("sink")
            for name, key in kind.keys.items():
                if key.default and name not in entries and _applies(key.doc, sink):
                    entries[name] = Value(
                        yaml_text(key.default) if isinstance(typed(key.default), str) else key.default,
                        typed(key.default),
                        DEFAULT,
                    )
        return Entries(entries, _origin(held))

    def _node(self, node: Node, held: MergedNode) -> Written | None:
        """Write a value that is carried as it is (of a field in a condition)."""
        if isinstance(node, Mapping):
            return Entries(
                {key.text: one for key, value in node.pairs if (one := self._node(value, held)) is not None}, _origin(held)
            )
        if isinstance(node, Listing):
            return Items(tuple(one for item in node.items if (one := self._node(item, held)) is not None), _origin(held))
        return self._scalar(node, held) or Value("null", None, _origin(held))

    def _scalar(self, node: Scalar, held: MergedNode) -> Value | None:
        filled = self._filler.fill(node)
        if isinstance(filled, Fault):
            return None
        value = typed(filled.text) if node.plain else filled.text
        if value is None:
            return None
        return Value(_yaml(filled, value), _shown(filled, value), origin_of(MergedNode(held.layer, node, held.key), filled))


def _applies(doc: str, sink: Written | None) -> bool:
    """Tell whether a key's default is one of this sink's: keys of sinks say so before a colon."""
    owner, colon, _ = doc.partition(": ")
    if not colon or " " in owner or sink is None or owner.startswith("for"):
        return not owner.startswith("for as") or not colon
    return isinstance(sink, Value) and (owner == sink.json or owner not in KINDS)


def _yaml(filled: Filled, value: object) -> str:
    if isinstance(value, str):
        return yaml_text(filled.kept)
    return filled.kept


def _shown(filled: Filled, value: object) -> object:
    return value if filled.shown == filled.text else filled.shown


def _origin(held: MergedNode) -> Origin:
    if held.layer.kind == "option":
        return Origin("option", None, held.layer.label)
    return Origin(held.layer.kind, held.key_place, held.layer.label)
