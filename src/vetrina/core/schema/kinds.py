"""The kinds of thing that a plan is made of: what each accepts, how it is spelt out, read and described.

One table of kinds (grammar.py) serves reading, merging, the faults, `resolve` and the JSON Schema. Every kind does
three things: ``shape`` refuses what cannot be and spells short forms out, before merging; ``read`` turns a filled
value into Python; ``schema`` describes it as JSON Schema 2020-12.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, ClassVar, Protocol

from msgspec import Struct, field

from vetrina.core.base.faults import Fault, Place, nearest, offer
from vetrina.core.base.levels import LevelRange, Scale
from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.base.quantities import DURATION_PATTERN, SIZE_PATTERN, duration, size
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar, at, kind_of

if TYPE_CHECKING:
    from vetrina.core.schema.held import Held

Report = Callable[[Fault], None]
Schema = dict[str, Any]
LIST_CHANGE = frozenset({"add", "remove"})
MOST_ENTRIES = 10_000
_LOOKED_AT = 100
"""Keys of a mapping with far too many that are looked at: enough to see what it is."""


class Read(Struct, frozen=True):
    """A filled scalar on its way into a kind: its value, its text, what may be shown of it, and its origin."""

    value: object
    text: str
    shown: str
    origin: Origin


class Reader(Protocol):
    """What reading needs from outside: placeholders filled, the level scale, and an ear for faults."""

    scale: Scale

    def scalar(self, held: Held) -> Read | None:
        """Return the filled scalar; None when it counts as not given, or has a fault (told already)."""

    def report(self, fault: Fault) -> None:
        """Take a fault."""


class Wrong(Exception):
    """Why a value does not fit its kind."""

    def __init__(self, what: str, fix: str = "", code: str = "wrong-value", swap: tuple[str, str] | None = None) -> None:
        """Keep the sentence, the remedy, the finding's code, and the edit that would mend it."""
        super().__init__(what)
        self.what, self.fix, self.code, self.swap = what, fix, code, swap


class Kind(Struct, frozen=True):
    """A kind of value; by itself it accepts one scalar."""

    wants = "a value"
    takes_null: ClassVar[bool] = False
    """Whether null is a value here; elsewhere it removes what is below it."""

    def shape(self, node: Node, report: Report, *, layered: bool) -> Node | None:
        """Return ``node`` spelt out, None where it cannot be this kind (told to ``report``)."""
        del layered
        if isinstance(node, Scalar):
            return node
        report(mismatch(node, self.wants))
        return None

    def read(self, held: Held, reader: Reader) -> Any:
        """Return the value with its origin, None where it is not given or at fault."""
        got = reader.scalar(held)
        if got is None:
            return None
        try:
            return Sourced(self.convert(got, reader), got.origin, got.shown)
        except Wrong as wrong:
            named = wrong.what.split(" ", 1)[0] in {"wants", "is", "must"}
            name = f'"{held.key.text}" ' if held.key and named else ""
            if got.shown != got.text:
                wrong = Wrong(f"wants {self.wants}, and the hidden value {got.shown[:60]} is none", code=wrong.code)
            where = held.node.source.name if held.layer.kind == "option" else ""
            place = None if where else held.place
            reader.report(Fault(wrong.code, f"{name}{wrong.what}", fix=wrong.fix, place=place, where=where, swap=wrong.swap))
            return None

    def convert(self, got: Read, reader: Reader) -> Any:
        """Return the Python value of a filled scalar, or raise Wrong."""
        raise NotImplementedError

    def schema(self) -> Schema:
        """Return the JSON Schema of this kind."""
        return {}


def mismatch(node: Node, wants: str) -> Fault:
    """Return the fault of a list, a mapping or a value where something else is wanted."""
    braces = isinstance(node, Mapping) and node.flow and any(_null(value) for _, value in node.pairs)
    fix = "quote a text that begins with {" if braces and "text" in wants else ""
    return Fault("wrong-type", f"{wants} is wanted here, and this is {kind_of(node)}", fix=fix, place=node.place)


def describe(value: object) -> str:
    """Return what a typed value is, in the words of a message."""
    if isinstance(value, bool):
        return f"the boolean {str(value).lower()}"
    if isinstance(value, int | float):
        return f"the number {str(value)[:40]}"
    return f'the text "{str(value)[:60]}"'


class Text(Kind, frozen=True):
    """Text; ``allow`` returns why a text will not do, or nothing."""

    wants: str = "a text"
    allow: Callable[[str], str] | None = None
    empty: bool = True
    pattern: str = ""
    as_written: bool = False

    def convert(self, got: Read, reader: Reader) -> str:
        """Return the text; a plain number or boolean has to be quoted, so that nothing is guessed."""
        del reader
        if self.as_written:
            return got.text
        if not isinstance(got.value, str):
            raise Wrong(f"wants {self.wants}, and this is {describe(got.value)}", f'quote it: "{got.shown}"', "wrong-type")
        if not self.empty and not got.text:
            raise Wrong(f"wants {self.wants}, and this is empty")
        reason = self.allow(got.text) if self.allow else ""
        if reason:
            raise Wrong(reason)
        return got.text

    def schema(self) -> Schema:
        """Return `string`, with the pattern where there is one."""
        found: Schema = {"type": "string"} if not self.as_written else {"type": ["string", "number", "boolean"]}
        if self.pattern:
            found["pattern"] = self.pattern
        return found


class Flag(Kind, frozen=True):
    """True or false."""

    wants: str = "true or false"

    def convert(self, got: Read, reader: Reader) -> bool:
        """Return the boolean; YAML 1.2 has no yes, no, on, off."""
        del reader
        if not isinstance(got.value, bool):
            hint = {"yes": "true", "on": "true", "no": "false", "off": "false"}.get(got.text.lower(), "")
            raise Wrong(
                f"wants true or false, and this is {describe(got.value)}",
                f"write {hint}" if hint else "write true or false, without quotes",
                "wrong-type",
            )
        return got.value

    def schema(self) -> Schema:
        """Return `boolean`, or a text with a placeholder."""
        return _or_placeholder({"type": "boolean"})


class Whole(Kind, frozen=True):
    """A whole number from ``low`` to ``high``."""

    low: int = 0
    high: int = 1 << 53
    wants: str = "a whole number"

    def convert(self, got: Read, reader: Reader) -> int:
        """Return the number."""
        del reader
        value = got.value
        if isinstance(value, bool) or not isinstance(value, int):
            raise Wrong(f"wants {self.wants}, and this is {describe(value)}", code="wrong-type")
        if not self.low <= value <= self.high:
            raise Wrong(f"must be from {self.low} to {self.high}, and this is {str(value)[:40]}")
        return value

    def schema(self) -> Schema:
        """Return `integer` with its bounds."""
        return _or_placeholder({"type": "integer", "minimum": self.low, "maximum": self.high})


class Choice(Kind, frozen=True):
    """One of a few words."""

    words: tuple[str, ...] = ()

    @property
    def wants(self) -> str:  # type: ignore[override]
        """Return the words, for messages."""
        return "one of " + ", ".join(self.words)

    def convert(self, got: Read, reader: Reader) -> str:
        """Return the word."""
        del reader
        if got.value not in self.words:
            raise Wrong(f"wants {self.wants}, and this is {describe(got.value)}", offer(got.text, self.words))
        return got.text

    def schema(self) -> Schema:
        """Return `enum`."""
        return _or_placeholder({"enum": list(self.words)})


class LevelKind(Kind, frozen=True):
    """A level's name or number; with ``threshold`` also `all` and `off`."""

    threshold: bool = True
    wants: str = "a level"

    def convert(self, got: Read, reader: Reader) -> int:
        """Return the severity."""
        found = reader.scale.threshold(got.value) if self.threshold else reader.scale.severity(got.value)
        if found is None:
            raise unknown_level(got.value, reader.scale)
        return found

    def schema(self) -> Schema:
        """Return a reference to the level's definition."""
        return {"$ref": "#/$defs/level"}


def unknown_level(value: object, scale: Scale) -> Wrong:
    """Return the fault of a level that no name or number of the scale means."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        low_high = "all" if value <= 0 else "off"
        return Wrong(
            f"wants a level, and {str(value)[:40]} is not a whole number from 1 to 24",
            f"write {low_high} for a threshold outside the scale",
            "unknown-level",
        )
    if not isinstance(value, str):
        return Wrong(f"wants a level, and this is {describe(value)}", code="unknown-level")
    close = nearest(value[:60], scale.names())
    swap = (value, close[0]) if close else None
    return Wrong(f'level "{value[:60]}" is not known', scale.hint(value[:60]).removeprefix("; "), "unknown-level", swap)


class RangeKind(Kind, frozen=True):
    """A range of levels: `warn..`, `..info`, `debug..warn`, or one level."""

    wants: str = "a range of levels"

    def convert(self, got: Read, reader: Reader) -> LevelRange:
        """Return the range of severities."""
        found = reader.scale.range(got.value if isinstance(got.value, int) else got.text)
        if isinstance(found, str):
            raise Wrong(f"is no range of levels: {found}", code="unknown-level")
        return found

    def schema(self) -> Schema:
        """Return text or number."""
        return {"type": ["string", "integer"]}


class DurationKind(Kind, frozen=True):
    """A span of time."""

    wants: str = "a duration"

    def convert(self, got: Read, reader: Reader) -> Any:
        """Return a timedelta."""
        del reader
        found = duration(got.text)
        if isinstance(found, str):
            raise Wrong(f"is no duration: {found}")
        return found

    def schema(self) -> Schema:
        """Return the pattern of durations."""
        return _or_placeholder({"type": "string", "pattern": DURATION_PATTERN})


class SizeKind(Kind, frozen=True):
    """A number of bytes."""

    least: int = 1
    wants: str = "a size"

    def convert(self, got: Read, reader: Reader) -> int:
        """Return bytes."""
        del reader
        found = size(got.text)
        if isinstance(found, str):
            raise Wrong(f"is no size: {found}")
        if found < self.least:
            raise Wrong(f"must be at least {self.least} B")
        return found

    def schema(self) -> Schema:
        """Return the pattern of sizes."""
        return _or_placeholder({"type": "string", "pattern": SIZE_PATTERN})


class Anything(Kind, frozen=True):
    """Any JSON value, compared and carried as it is."""

    wants: str = "any value"
    takes_null: ClassVar[bool] = True

    def shape(self, node: Node, report: Report, *, layered: bool) -> Node | None:
        """Accept everything."""
        del report, layered
        return node

    def read(self, held: Held, reader: Reader) -> Any:
        """Return the JSON value with its origin (null is a value here)."""
        return Sourced(self._json(held.node, held, reader), Origin(held.layer.kind, held.place, held.layer.label))

    def _json(self, node: Node, held: Held, reader: Reader) -> object:
        if isinstance(node, Mapping):
            return {key.text: self._json(value, held, reader) for key, value in node.pairs}
        if isinstance(node, Listing):
            return [self._json(item, held, reader) for item in node.items]
        got = reader.scalar(type(held)(held.layer, node, held.key))
        return None if got is None else got.value


def _too_many(most: int, count: int, place: Place) -> Fault:
    return Fault("too-many", f"there may be {most:,} entries here, and this is one more", f"in all there are {count:,}",
                 "leave some out", place)  # fmt: skip


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

    def read(self, held: Held, reader: Reader) -> Any:
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
            if key.text in seen:
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
            shaped = value if _null(value) else self.value.shape(value, report, layered=layered)
            if shaped is not None:
                pairs.append((key, shaped))
        return Mapping(node.source, pairs, at(node), flow=node.flow)

    def read(self, held: Held, reader: Reader) -> Any:
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


class Section(Struct, frozen=True):
    """A mapping of known keys as it was read: its values by key, and where it stands."""

    fields: dict[str, Any]
    held: Held

    def __getitem__(self, name: str) -> Any:
        """Return the value under a key, None where it is not given."""
        return self.fields.get(name)


class Key(Struct, frozen=True):
    """A key of a record: its kind, what it means, and the default as it would be written."""

    kind: Kind
    doc: str = ""
    default: str = ""
    required: bool = False


class Record(Kind, frozen=True):
    """A mapping of known keys.

    ``short`` names the key that a single scalar stands for; ``form_key`` the key whose change replaces the whole;
    ``implied`` gives the form to a short form (`as: text`).
    """

    name: str = ""
    keys: dict[str, Key] = field(default_factory=dict)
    short: str = ""
    form_key: str = ""
    implied: tuple[tuple[str, str], ...] = ()
    wants: str = "a mapping"

    def is_part_by_option(self, held: Held) -> bool:
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
            shaped = value if _null(value) and not known.kind.takes_null else known.kind.shape(value, report, layered=layered)
            if shaped is not None:
                kept.append((key, shaped))
        found = Mapping(node.source, kept, at(node), flow=node.flow)
        found.refused = tuple(refused)
        return found

    def read(self, held: Held, reader: Reader) -> Any:
        """Return a Section; a required key that is missing is told, unless it stands there misspelt (told already)."""
        fields: dict[str, Any] = {}
        for name, child in held.living():
            got = self.keys[name].kind.read(child, reader)
            if got is not None:
                fields[name] = got
        for name, key in self.keys.items():
            if key.required and held.get(name) is None and not held.misspells(name):
                reader.report(Fault("missing-key", f'{self.name or "this"} needs "{name}"', key.doc, place=held.key_place))
        return Section(fields, held)

    def schema(self) -> Schema:
        """Return an object of known keys; null removes one."""
        properties: dict[str, Schema] = {}
        for name, key in self.keys.items():
            one = dict(_or_null(key.kind.schema()))
            if key.doc:
                one["description"] = key.doc
            if key.default:
                one["default"] = key.default
            properties[name] = one
        found: Schema = {"type": "object", "properties": properties, "additionalProperties": False}
        if not self.short:
            return found
        return {"anyOf": [self.keys[self.short].kind.schema(), found]}


def unknown_key(key: Scalar, known: list[str], owner: str = "") -> Fault:
    """Return the fault of a key that nobody knows, with the nearest known one."""
    if key.text == "<<":
        return Fault(
            "unknown-key", 'the merge key "<<" is not part of YAML 1.2', "it would be ignored in silence",
            "repeat the keys, or put what differs into a stage", key.place,
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


def _null(node: Node) -> bool:
    return isinstance(node, Scalar) and node.is_null()


def _or_null(schema: Schema) -> Schema:
    return {"anyOf": [schema, {"type": "null"}]} if schema else schema


def _or_placeholder(schema: Schema) -> Schema:
    return {"anyOf": [schema, {"type": "string", "pattern": r"\$\{"}]}
