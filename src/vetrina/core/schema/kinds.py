"""The kinds of thing that a plan is made of: what each accepts, how it is spelt out, read and described.

One table of kinds (grammar.py) serves reading, merging, the faults, `resolve` and the JSON Schema. Every kind does
three things: ``shape`` refuses what cannot be and spells short forms out, before merging; ``read`` turns a filled
value into Python; ``schema`` describes it as JSON Schema 2020-12.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any, ClassVar, Protocol

from msgspec import Struct

from vetrina.core.base.errors import NotUnderstood, VetrinaError
from vetrina.core.base.faults import Fault, nearest, offer
from vetrina.core.base.levels import LevelRange, Scale
from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.base.quantities import DURATION_PATTERN, SIZE_PATTERN, duration, size
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar, is_null_node, kind_of

if TYPE_CHECKING:
    from vetrina.core.schema.held import MergedNode

Report = Callable[[Fault], None]
Schema = dict[str, Any]


class Read(Struct, frozen=True):
    """A filled scalar on its way into a kind: its value, its text, what may be shown of it, and its origin."""

    value: object
    text: str
    shown: str
    origin: Origin


class Reader(Protocol):
    """What reading needs from outside: placeholders filled, the level scale, and an ear for faults."""

    scale: Scale

    def scalar(self, held: MergedNode) -> Read | None:
        """Return the filled scalar; None when it counts as not given, or has a fault (told already)."""

    def report(self, fault: Fault) -> None:
        """Take a fault."""


class InvalidValue(VetrinaError):
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

    def read(self, held: MergedNode, reader: Reader) -> Any:
        """Return the value with its origin, None where it is not given or at fault."""
        got = reader.scalar(held)
        if got is None:
            return None
        try:
            return Sourced(self.convert(got, reader), got.origin, got.shown)
        except InvalidValue as wrong:
            named = wrong.what.split(" ", 1)[0] in {"wants", "is", "must"}
            name = f'"{held.key.text}" ' if held.key and named else ""
            if got.shown != got.text:
                wrong = InvalidValue(f"wants {self.wants}, and the hidden value {got.shown[:60]} is none", code=wrong.code)
            where = held.node.source.name if held.layer.kind == "option" else ""
            place = None if where else held.place
            reader.report(Fault(wrong.code, f"{name}{wrong.what}", fix=wrong.fix, place=place, where=where, swap=wrong.swap))
            return None

    def convert(self, got: Read, reader: Reader) -> Any:
        """Return the Python value of a filled scalar, or raise InvalidValue."""
        raise NotImplementedError

    def schema(self) -> Schema:
        """Return the JSON Schema of this kind; `#/$defs/…` stands for one that has a name of its own."""
        return {}

    def parts(self) -> Iterable[Kind]:
        """Return the kinds that this one is made of."""
        return ()

    def definition(self) -> tuple[str, Schema] | None:
        """Return the name under `$defs` and the schema that a reference to it stands for, None for a kind without a name."""
        return None


def definitions(*kinds: Kind) -> dict[str, Schema]:
    """Return the named schemas that the schemas of ``kinds`` refer to, by their name."""
    found: dict[str, Schema] = {}
    waiting = list(kinds)
    while waiting:
        kind = waiting.pop()
        named = kind.definition()
        if named is not None:
            if named[0] in found:
                continue
            found[named[0]] = named[1]
        waiting.extend(kind.parts())
    return dict(sorted(found.items()))


def mismatch(node: Node, wants: str) -> Fault:
    """Return the fault of a list, a mapping or a value where something else is wanted."""
    braces = isinstance(node, Mapping) and node.flow and any(is_null_node(value) for _, value in node.pairs)
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
    """Text; ``allow`` returns why a text will not do, or nothing. In a ``braced`` one a { begins a placeholder."""

    wants: str = "a text"
    allow: Callable[[str], str] | None = None
    empty: bool = True
    pattern: str = ""
    as_written: bool = False
    braced: bool = False

    def convert(self, got: Read, reader: Reader) -> str:
        """Return the text; a plain number or boolean has to be quoted, so that nothing is guessed."""
        del reader
        if self.as_written:
            return got.text
        if not isinstance(got.value, str):
            raise InvalidValue(
                f"wants {self.wants}, and this is {describe(got.value)}", f'quote it: "{got.shown}"', "wrong-type"
            )
        if not self.empty and not got.text:
            raise InvalidValue(f"wants {self.wants}, and this is empty")
        reason = self.allow(got.text) if self.allow else ""
        if reason:
            raise InvalidValue(reason)
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
            raise InvalidValue(
                f"wants true or false, and this is {describe(got.value)}",
                f"write {hint}" if hint else "write true or false, without quotes",
                "wrong-type",
            )
        return got.value

    def schema(self) -> Schema:
        """Return `boolean`, or a text with a placeholder."""
        return or_placeholder({"type": "boolean"})


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
            raise InvalidValue(f"wants {self.wants}, and this is {describe(value)}", code="wrong-type")
        if not self.low <= value <= self.high:
            raise InvalidValue(f"must be from {self.low} to {self.high}, and this is {str(value)[:40]}")
        return value

    def schema(self) -> Schema:
        """Return `integer` with its bounds."""
        return or_placeholder({"type": "integer", "minimum": self.low, "maximum": self.high})


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
            raise InvalidValue(f"wants {self.wants}, and this is {describe(got.value)}", offer(got.text, self.words))
        return got.text

    def schema(self) -> Schema:
        """Return `enum`."""
        return or_placeholder({"enum": list(self.words)})


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


def unknown_level(value: object, scale: Scale) -> InvalidValue:
    """Return the fault of a level that no name or number of the scale means."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        low_high = "all" if value <= 0 else "off"
        return InvalidValue(
            f"wants a level, and {str(value)[:40]} is not a whole number from 1 to 24",
            f"write {low_high} for a threshold outside the scale",
            "unknown-level",
        )
    if not isinstance(value, str):
        return InvalidValue(f"wants a level, and this is {describe(value)}", code="unknown-level")
    close = nearest(value[:60], scale.names())
    swap = (value, close[0]) if close else None
    return InvalidValue(f'level "{value[:60]}" is not known', scale.hint(value[:60]).removeprefix("; "), "unknown-level", swap)


class RangeKind(Kind, frozen=True):
    """A range of levels: `warn..`, `..info`, `debug..warn`, or one level."""

    wants: str = "a range of levels"

    def convert(self, got: Read, reader: Reader) -> LevelRange:
        """Return the range of severities."""
        try:
            return reader.scale.range(got.value if isinstance(got.value, int) else got.text)
        except NotUnderstood as reason:
            raise InvalidValue(f"is no range of levels: {reason}", code="unknown-level") from None

    def schema(self) -> Schema:
        """Return text or number."""
        return {"type": ["string", "integer"]}


class DurationKind(Kind, frozen=True):
    """A span of time."""

    wants: str = "a duration"

    def convert(self, got: Read, reader: Reader) -> Any:
        """Return a timedelta."""
        del reader
        try:
            return duration(got.text)
        except NotUnderstood as reason:
            raise InvalidValue(f"is no duration: {reason}") from None

    def schema(self) -> Schema:
        """Return the pattern of durations."""
        return {"$ref": "#/$defs/duration"}

    def definition(self) -> tuple[str, Schema]:
        """Return the pattern of durations."""
        return "duration", {
            "description": "a span of time: 5 seconds, 10min, 2 h, 30 days, 1 week, PT90S",
            **or_placeholder({"type": "string", "pattern": DURATION_PATTERN}),
        }


class SizeKind(Kind, frozen=True):
    """A number of bytes."""

    least: int = 1
    wants: str = "a size"

    def convert(self, got: Read, reader: Reader) -> int:
        """Return bytes."""
        del reader
        try:
            found = size(got.text)
        except NotUnderstood as reason:
            raise InvalidValue(f"is no size: {reason}") from None
        if found < self.least:
            raise InvalidValue(f"must be at least {self.least} B")
        return found

    def schema(self) -> Schema:
        """Return the pattern of sizes."""
        return {"$ref": "#/$defs/size"}

    def definition(self) -> tuple[str, Schema]:
        """Return the pattern of sizes."""
        return "size", or_placeholder({"type": "string", "pattern": SIZE_PATTERN})


class Anything(Kind, frozen=True):
    """Any JSON value, compared and carried as it is."""

    wants: str = "any value"
    takes_null: ClassVar[bool] = True

    def shape(self, node: Node, report: Report, *, layered: bool) -> Node | None:
        """Accept everything."""
        del report, layered
        return node

    def read(self, held: MergedNode, reader: Reader) -> Any:
        """Return the JSON value with its origin (null is a value here)."""
        return Sourced(self._json(held.node, held, reader), Origin(held.layer.kind, held.place, held.layer.label))

    def _json(self, node: Node, held: MergedNode, reader: Reader) -> object:
        if isinstance(node, Mapping):
            return {key.text: self._json(value, held, reader) for key, value in node.pairs}
        if isinstance(node, Listing):
            return [self._json(item, held, reader) for item in node.items]
        got = reader.scalar(type(held)(held.layer, node, held.key))
        return None if got is None else got.value


PLACEHOLDER: Schema = {"description": "a text with a placeholder", "type": "string", "pattern": r"\$\{"}


def or_placeholder(schema: Schema) -> Schema:
    """Return the schema of a value, or of a text with a placeholder in its place."""
    return {"anyOf": [schema, {"$ref": "#/$defs/placeholder"}]}
