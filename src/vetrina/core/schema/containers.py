"""Lists, mappings and records: the kinds that hold others."""

from __future__ import annotations

import keyword
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from msgspec import Struct, field

from vetrina.core.base.faults import Fault, Place, nearest, offer
from vetrina.core.schema.held import MergedNode
from vetrina.core.schema.kinds import Anything, Kind, Reader, Report, Schema, mismatch
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar, at, is_null_node

LIST_CHANGE = frozenset({"add", "remove"})
MOST_ENTRIES = 10_000
_LOOKED_AT = 100
"""Keys of a mapping with far too many that are looked at: enough to see what it is."""


def _too_many(most: int, count: int, place: Place) -> Fault:
    return Fault("too-many", f"there may be {most:,} entries here, and this is one more", why=f"in all there are {count:,}",
                 fix="leave some out", place=place)  # fmt: skip


class ListOf(Kind, frozen=True):
    """A list, at most ``most``; ``single`` lets one scalar stand for a list of it, ``removed_by`` names what `remove` goes by."""

    item: Kind = field(default_factory=Anything)
    single: bool = False
    removed_by: str = ""
    least: int = 0
    wants: str = "a list"
    most: int = MOST_ENTRIES

    def shape(self, node: Node, report: Report, *, layered: bool) -> Node | None:
        """Return the list with its items spelt out, or the change of a list (`{remove, add}`) likewise."""
        if isinstance(node, Scalar):
            if node.is_null():
                return node
            if not self.single:
                report(mismatch(node, self.wants))
                return None
            node = Listing(node.source, [node], at(node), flow=True)
        if isinstance(node, Mapping):
            if layered:
                return self._shape_change(node, report)
            report(mismatch(node, self.wants))
            return None
        if len(node.items) > self.most:
            report(_too_many(self.most, len(node.items), node.items[self.most].place))
            return None
        items: list[Node] = []
        for item in node.items:
            if isinstance(item, Scalar) and item.is_null() and not self.item.takes_null:
                report(Fault("wrong-value", "this item is empty", fix="write the item, or leave it out", place=item.place))
                continue
            shaped = self.item.shape(item, report, layered=False)
            if shaped is not None:
                items.append(shaped)
        return Listing(node.source, items, at(node), flow=node.flow)

    def _shape_change(self, node: Mapping, report: Report) -> Node | None:
        if not node.pairs or any(key.text not in LIST_CHANGE for key, _ in node.pairs):
            fault = mismatch(node, f"{self.wants} (or its change, {{remove: […], add: […]}})")
            report(fault)
            return None
        pairs: list[tuple[Scalar, Node]] = []
        for key, value in node.pairs:
            whole = value
            if isinstance(value, Scalar) and not value.is_null():
                whole = Listing(value.source, [value], at(value), flow=True)
            if not isinstance(whole, Listing):
                report(mismatch(value, f"a list of what to {key.text}"))
                continue
            shaped = self.shape(whole, report, layered=False)
            if shaped is not None:
                pairs.append((key, shaped))
        return Mapping(node.source, pairs, at(node), flow=node.flow)

    def read(self, held: MergedNode, reader: Reader) -> Any:
        """Return the items as a tuple; an item that fills to nothing is left out."""
        items = tuple(got for item in held.items or () if (got := self.item.read(item, reader)) is not None)
        if len(items) < self.least and len(held.items or ()) < self.least:
            name = f'"{held.key.text}" ' if held.key else ""
            reader.report(Fault("wrong-value", f"{name}must not be empty", place=held.place))
        return items

    def schema(self) -> Schema:
        """Return an array, its short form, or a change of the list below."""
        items = self.item.schema()
        array: Schema = {"type": "array", "items": items}
        if self.least:
            array["minItems"] = self.least
        change = {
            "type": "object",
            "properties": {"remove": {"type": "array", "items": items}, "add": {"type": "array", "items": items}},
            "additionalProperties": False,
            "minProperties": 1,
        }
        forms: list[Schema] = [array, change]
        if self.single:
            forms.insert(0, {"type": "string"})
        return {"anyOf": forms}

    def parts(self) -> Iterable[Kind]:
        """Return the items' kind."""
        return (self.item,)


class MapOf(Kind, frozen=True):
    """A mapping from free names to one kind, at most ``most``; ``rename`` puts names into their one form."""

    value: Kind = field(default_factory=Anything)
    wants: str = "a mapping"
    name_fault: Callable[[str], str] | None = None
    rename: Callable[[str], str] | None = None
    most: int = MOST_ENTRIES

    def shape(self, node: Node, report: Report, *, layered: bool) -> Node | None:
        """Return the mapping with its values spelt out."""
        if isinstance(node, Scalar) and node.is_null():
            return node
        if not isinstance(node, Mapping):
            report(mismatch(node, self.wants))
            return None
        if len(node.pairs) > self.most:
            report(_too_many(self.most, len(node.pairs), node.pairs[self.most][0].place))
            return None
        pairs: list[tuple[Scalar, Node]] = []
        seen: dict[str, Scalar] = {}
        for name, value in node.pairs:
            key = name
            if self.rename and (renamed := self.rename(name.text)) != name.text:
                key = Scalar(name.source, renamed, False, at(name))
            if key.text in seen and not node.repeats:
                report(
                    Fault(
                        "duplicate-key", f'"{name.text}" means "{key.text}", which is there already', place=name.place,
                        fix="join the two entries", related=((seen[key.text].place, "the first one"),),
                    )
                )  # fmt: skip
                continue
            seen[key.text] = key
            reason = self.name_fault(key.text) if self.name_fault else ""
            if reason:
                report(Fault("wrong-name", reason, place=name.place))
                continue
            shaped = value if is_null_node(value) else self.value.shape(value, report, layered=layered)
            if shaped is not None:
                pairs.append((key, shaped))
        return Mapping(node.source, pairs, at(node), flow=node.flow, repeats=node.repeats)

    def read(self, held: MergedNode, reader: Reader) -> Any:
        """Return name to value, without those not given."""
        found: dict[str, Any] = {}
        for name, child in held.living():
            if isinstance(self.value, Record) and self.value.is_part_by_option(child):
                others = [other for other, one in held.living() if one is not child]
                what = f'no {self.value.name.split(" ", 1)[-1]} is called "{name[:60]}", and --set gives only a part of one'
                reader.report(Fault("no-such-path", what, fix=offer(name, others), where=child.layer.label))
                continue
            got = self.value.read(child, reader)
            if got is not None:
                found[name] = got
        return found

    def schema(self) -> Schema:
        """Return an object of free keys; null removes one."""
        return {"type": "object", "additionalProperties": _or_null(self.value.schema())}

    def parts(self) -> Iterable[Kind]:
        """Return the values' kind."""
        return (self.value,)


class Section(Struct, frozen=True, kw_only=True):
    """A mapping of known keys as it was read: where it stands, and in its heirs the values, None where not given."""

    held: MergedNode

    def given(self) -> Iterator[tuple[str, Any]]:
        """Yield the keys that are given with their values, in the order in which they are held."""
        for name, _ in self.held.living():
            got = getattr(self, attribute(name), None)
            if got is not None:
                yield name, got


def attribute(name: str) -> str:
    """Return the name under which a section holds a key."""
    word = name.replace("-", "_")
    return f"{word}_" if keyword.iskeyword(word) or word == "any" else word


class Key(Struct, frozen=True):
    """A key of a record: its kind, what it means, the default as it would be written, and a value as YAML."""

    kind: Kind
    doc: str = ""
    default: str = ""
    required: bool = False
    example: str = ""


class Record(Kind, frozen=True):
    """A mapping of known keys.

    ``short`` names the key that a single scalar stands for; ``form_key`` the key whose change replaces the whole;
    ``implied`` gives the form to a short form (`as: text`). With ``empties`` an empty mapping under one of its keys says
    something (a condition without questions always holds). ``into`` is the section that it is read into; one with ``own``
    takes keys there for which it has no attribute.
    """

    name: str = ""
    keys: dict[str, Key] = field(default_factory=dict)
    short: str = ""
    form_key: str = ""
    implied: tuple[tuple[str, str], ...] = ()
    empties: bool = False
    wants: str = "a mapping"
    into: type[Section] = Section

    def is_part_by_option(self, held: MergedNode) -> bool:
        """Tell whether options alone speak of this, and leave out what it needs: its name may be misspelt."""
        by_options = all(said.layer.kind == "option" for said in held.said) and held.layer.kind == "option"
        return by_options and any(key.required and held.get(name) is None for name, key in self.keys.items())

    def known(self) -> list[str]:
        """Return the names of the keys."""
        return list(self.keys)

    def shape(self, node: Node, report: Report, *, layered: bool) -> Node | None:
        """Return the mapping with known keys only; every unknown one is told, with the nearest."""
        if isinstance(node, Scalar):
            if node.is_null():
                return node
            if not self.short:
                report(mismatch(node, self.wants))
                return None
            pairs: list[tuple[Scalar, Node]] = [(Scalar(node.source, self.short, True, at(node)), node)]
            for name, text in self.implied:
                pairs.insert(
                    0,
                    (Scalar(node.source, name, True, at(node)), Scalar(node.source, text, True, at(node))),
                )
            return Mapping(node.source, pairs, at(node), flow=True)
        if not isinstance(node, Mapping):
            report(mismatch(node, self.wants))
            return None
        if len(node.pairs) > MOST_ENTRIES:
            report(_too_many(MOST_ENTRIES, len(node.pairs), node.pairs[MOST_ENTRIES][0].place))
            node = Mapping(node.source, node.pairs[:_LOOKED_AT], at(node), flow=node.flow)
        kept: list[tuple[Scalar, Node]] = []
        refused: list[str] = []
        for key, value in node.pairs:
            known = self.keys.get(key.text)
            if known is None:
                report(unknown_key(key, self.known(), self.name))
                refused.append(key.text)
                continue
            shaped = (
                value if is_null_node(value) and not known.kind.takes_null else known.kind.shape(value, report, layered=layered)
            )
            if shaped is not None:
                kept.append((key, shaped))
        found = Mapping(node.source, kept, at(node), flow=node.flow)
        found.refused = tuple(refused)
        return found

    def read(self, held: MergedNode, reader: Reader) -> Any:
        """Return a section; a required key that is missing is told, unless it stands there misspelt (told already)."""
        fields: dict[str, Any] = {}
        for name, child in held.living():
            got = self.keys[name].kind.read(child, reader)
            if got is not None:
                fields[name] = got
        for name, key in self.keys.items():
            if key.required and held.get(name) is None and not held.misspells(name):
                reader.report(Fault("missing-key", f'{self.name or "this"} needs "{name}"', why=key.doc, place=held.key_place))
        return self.into(held=held, **self._attributes(fields))

    def _attributes(self, fields: dict[str, Any]) -> dict[str, Any]:
        known = self.into.__struct_fields__
        found = {attribute(name): got for name, got in fields.items() if attribute(name) in known}
        own = {name: got for name, got in fields.items() if attribute(name) not in known}
        return {**found, "own": own} if own and "own" in known else found

    def schema(self) -> Schema:
        """Return a reference to the definition."""
        return {"$ref": f"#/$defs/{self._slug()}"}

    def parts(self) -> Iterable[Kind]:
        """Return the keys' kinds."""
        return (key.kind for key in self.keys.values())

    def definition(self) -> tuple[str, Schema]:
        """Return an object of known keys, or its short form; null removes a key."""
        found = self.as_object()
        return self._slug(), {"anyOf": [self.keys[self.short].kind.schema(), found]} if self.short else found

    def as_object(self) -> Schema:
        """Return the schema of the whole form."""
        properties: dict[str, Schema] = {}
        for name, key in self.keys.items():
            one = dict(_or_null(key.kind.schema()))
            if key.doc:
                one["description"] = key.doc
            if key.default:
                one["default"] = key.default
            properties[name] = one
        return {"type": "object", "properties": properties, "additionalProperties": False}

    def _slug(self) -> str:
        return self.name.removeprefix("a ").removeprefix("an ").replace("'s", "").replace(" ", "-")


def unknown_key(key: Scalar, known: list[str], owner: str = "") -> Fault:
    """Return the fault of a key that nobody knows, with the nearest known one."""
    if key.text == "<<":
        return Fault(
            "unknown-key", 'the merge key "<<" is not part of YAML 1.2', why="it would be ignored in silence",
            fix="repeat the keys, or put what differs into a stage", place=key.place,
        )  # fmt: skip
    where = f" in {owner}" if owner else ""
    close = nearest(key.text, known)
    swap = (key.text, close[0]) if close else None
    what = f'"{key.text[:60]}" is not a known key{where}'
    return Fault("unknown-key", what, fix=offer(key.text, known), place=key.place, swap=swap)


def child_kind(kind: Kind, name: str) -> Kind:
    """Return the kind of what stands under ``name``."""
    if isinstance(kind, Record):
        return kind.keys[name].kind
    if isinstance(kind, MapOf):
        return kind.value
    return Anything()


def _or_null(schema: Schema) -> Schema:
    if not schema:
        return schema
    return (
        {**schema, "anyOf": [*schema["anyOf"], {"type": "null"}]}
        if "anyOf" in schema
        else {"anyOf": [schema, {"type": "null"}]}
    )
