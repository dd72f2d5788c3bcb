"""The kinds of value that only plans have: new levels, tests of fields, members of JSON templates."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any, ClassVar

from vetrina.core.base.faults import Fault, offer
from vetrina.core.config import sections
from vetrina.core.plan.rush_policy import SAME_WORDS, UNITS, Drain, Full
from vetrina.core.schema.containers import Key, ListOf, MapOf, Record
from vetrina.core.schema.kinds import (
    Anything,
    Flag,
    InvalidValue,
    Kind,
    Read,
    Reader,
    Report,
    Schema,
    Text,
    describe,
    or_placeholder,
    unknown_level,
)
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar

_DRAIN = re.compile(f"([0-9]{{1,15}})\\s*/\\s*({'|'.join(UNITS)})")


def same_fault(text: str) -> str:
    """Return what is wrong with a word of `same`, nothing where it is fine."""
    kind, space, name = text.partition(" ")
    if text in SAME_WORDS or (kind == "field" and name.strip()):
        return ""
    if kind == "field" and not space:
        return "field needs a name: write field NAME"
    close = offer(text, [*SAME_WORDS, "field"])
    return f'"{text[:60]}" is nothing that events are told apart by; {close}'


class LevelNumber(Kind, frozen=True):
    """A severity for a new level name: 1 to 24, quoted or not."""

    wants: str = "a severity from 1 to 24"

    def convert(self, got: Read, reader: Reader) -> int:
        """Return the severity."""
        number = reader.scale.severity(got.value)
        if number is None or (isinstance(got.value, str) and not got.value.isdigit()):
            raise InvalidValue(f"wants {self.wants}, and this is {describe(got.value)}")
        return number

    def schema(self) -> Schema:
        """Return an integer from 1 to 24, or one as text."""
        return {"anyOf": [{"type": "integer", "minimum": 1, "maximum": 24}, {"type": "string", "pattern": "^[0-9]+$"}]}


class DrainKind(Kind, frozen=True):
    """How many events a sink takes in a second, a minute or an hour."""

    wants: str = "a speed"

    def convert(self, got: Read, reader: Reader) -> Drain:
        """Return the number and the unit."""
        del reader
        match = _DRAIN.fullmatch(got.text.strip())
        if not match or not int(match.group(1)):
            raise InvalidValue(f"wants a whole number of events and a unit, and this is {describe(got.value)}",
                               "write 50/second, 20/minute or 5/hour")  # fmt: skip
        return Drain(int(match.group(1)), match.group(2))

    def schema(self) -> Schema:
        """Return the pattern of speeds."""
        return or_placeholder({"type": "string", "pattern": f"^\\s*{_DRAIN.pattern}\\s*$"})


class FullKind(Kind, frozen=True):
    """What happens to events while a line is full."""

    wants: str = "wait, drop or drop-below LEVEL"

    def convert(self, got: Read, reader: Reader) -> Full:
        """Return the lowest level that waits."""
        word, _, level = got.text.strip().partition(" ")
        if got.text.strip() in {"wait", "drop"}:
            return Full(0 if word == "wait" else None)
        if word != "drop-below" or not level:
            raise InvalidValue(f"wants {self.wants}, and this is {describe(got.value)}",
                               offer(word, ("wait", "drop", "drop-below")))  # fmt: skip
        found = reader.scale.threshold(level.strip())
        if found is None:
            raise unknown_level(level.strip(), reader.scale)
        return Full(found)

    def schema(self) -> Schema:
        """Return the words."""
        return or_placeholder({"type": "string", "pattern": "^(wait|drop|drop-below .+)$"})


class FieldTest(Kind, frozen=True):
    """What is asked of a field: a JSON value to be equal to (null is one), or a mapping of operators."""

    takes_null: ClassVar[bool] = True
    operators: Record = Record(
        name="a field's condition",
        into=sections.Operators,
        keys={
            "is": Key(Anything(), "equal to this JSON value", example="'upper'"),
            "one-of": Key(ListOf(Anything(), least=1), "equal to one of these", example="[upper, lower]"),
            "matches": Key(Text(), "an RE2 expression, searched in its text", example="'^gate-[0-9]+$'"),
            "present": Key(Flag(), "whether the field is there at all", example="true"),
            "at-least": Key(Anything(), "a number not below this", example="4.5"),
            "at-most": Key(Anything(), "a number not above this", example="100"),
        },
    )

    def shape(self, node: Node, report: Report, *, layered: bool) -> Node | None:
        """Return the value or the operators; any other mapping is a fault."""
        if not isinstance(node, Mapping):
            return node
        unknown = [key for key, _ in node.pairs if key.text not in self.operators.keys]
        if unknown or not node.pairs:
            words = ", ".join(self.operators.keys)
            report(
                Fault(
                    "wrong-type", "a field is compared with a value, or by operators, and this is another mapping",
                    why=f"operators: {words}", fix="for an object write {is: {…}}", place=(unknown[0] if unknown else node).place,
                )
            )  # fmt: skip
            return None
        for key, value in node.pairs:
            if isinstance(value, Scalar) and value.is_null() and not self.operators.keys[key.text].kind.takes_null:
                what = f'"{key.text}" asks for nothing'
                report(Fault("wrong-value", what, fix="give a value, or leave the operator out", place=value.place))
                return None
        return self.operators.shape(node, report, layered=layered)

    def read(self, held: Any, reader: Reader) -> Any:
        """Return the operators; a bare value is `is`."""
        if held.children is not None:
            return self.operators.read(held, reader)
        if isinstance(held.node, Mapping):
            from vetrina.core.config.merging import merge  # noqa: PLC0415  (shapes know nothing of layers but in this one place)

            return self.operators.read(merge(self.operators, None, held.layer, held.node, held.key), reader)
        return Anything().read(held, reader)

    def schema(self) -> Schema:
        """Return anything that is no mapping, or the operators."""
        return {"anyOf": [{"type": ["string", "number", "boolean", "null", "array"]}, self.operators.schema()]}

    def parts(self) -> Iterable[Kind]:
        """Return the operators."""
        return (self.operators,)


class MemberKind(MapOf, frozen=True):
    """A member of a JSON template: a text template, `{raw: SOURCE}`, or members within."""

    def shape(self, node: Node, report: Report, *, layered: bool) -> Node | None:
        """Accept a text as well as a mapping."""
        if isinstance(node, Listing):
            return super().shape(node, report, layered=layered)
        if isinstance(node, Scalar):
            return node
        nested = MapOf(MEMBER, "members", rename=None)
        return nested.shape(node, report, layered=layered)

    def read(self, held: Any, reader: Reader) -> Any:
        """Return a Sourced text, or a dict of members (`raw` is told apart when the template is built)."""
        if held.children is None:
            return _TEXT.read(held, reader)
        return {name: got for name, child in held.living() if (got := self.read(child, reader)) is not None}

    def schema(self) -> Schema:
        """Return a reference to the definition."""
        return {"$ref": "#/$defs/member"}

    def definition(self) -> tuple[str, Schema]:
        """Return a text, `{raw: SOURCE}`, or members within."""
        raw = {
            "type": "object", "properties": {"raw": {"type": "string"}}, "required": ["raw"], "additionalProperties": False,
        }  # fmt: skip
        nested = {"type": "object", "additionalProperties": {"anyOf": [self.schema(), {"type": "null"}]}}
        return "member", {"anyOf": [{"type": "string"}, raw, nested]}


_TEXT = Text(braced=True)


MEMBER = MemberKind()
