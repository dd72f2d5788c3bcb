"""The JSON Schema (2020-12) of mappings, from the plan's own table of keys."""

from __future__ import annotations

from vetrina.core.config.grammar import PLAN_FILE
from vetrina.core.documents.look_up_specs import PRIMARY
from vetrina.core.documents.mapping import VERSION
from vetrina.core.documents.specs import NEW_KEYS, SECTIONS
from vetrina.core.schema.containers import ListOf, MapOf, Record
from vetrina.core.schema.kinds import Kind, Schema
from vetrina.formats.notations import notations

_LOOK_UP = {"$ref": "#/$defs/look-up"}
_TEXT: Schema = {"type": "string"}
_NUMBER: Schema = {"type": "integer", "minimum": 0}
_TEXTS: Schema = {"type": "object", "additionalProperties": {"type": ["string", "number", "boolean"]}}
_ANY_OF_TEXTS: Schema = {"anyOf": [_TEXT, {"type": "array", "items": _TEXT}]}


def mapping_schema() -> Schema:
    """Return the schema of a mapping."""
    maker = _Maker()
    plan = {name: key for name, key in PLAN_FILE.keys.items() if name not in {*SECTIONS, "stages", "vetrina", "$schema"}}
    sections = {name: maker.section(name) for name in SECTIONS}
    own = maker.nested(Record(name="the plan's own keys", keys=plan))
    stage = {"each": {"$ref": "#/$defs/each"}, "name": _LOOK_UP, "plan": own, **sections}
    properties: Schema = {
        "vetrina-mapping": {"const": VERSION, "description": "version of the mapping format"},
        "title": _described("what this mapping is for", _TEXT),
        "reads": _described("the notation of the documents", {"enum": notations()}),
        "spaces": _described("prefixes for XPath, and the namespaces that they stand for", _TEXTS),
        "levels": _described("the documents' words for levels, and ranges of their numbers (40..59)", _TEXTS),
        "yes": _described("further words for true", _ANY_OF_TEXTS),
        "no": _described("further words for false", _ANY_OF_TEXTS),
        "placeholder": _described("an RE2 expression for the documents' placeholders, with a group name, and default", _TEXT),
        "include": _described(
            "further documents", _one_or_many(_closed({"each": {"$ref": "#/$defs/each"}, "path": _LOOK_UP}, ["each", "path"]))
        ),
        "ignore": _described("parts that are meant to be left out", _ANY_OF_TEXTS),
        "plan": _described("the plan's own keys", own),
        **sections,
        "stages": _described(
            "parts that hold for one environment only", {"type": "array", "items": _closed(stage, ["each", "name"])}
        ),
        "tokens": _described(
            "the documents' own language of lines, by sets", {"type": "object", "additionalProperties": _tokens()}
        ),
        "tables": _described("words in place of words, for <group|TABLE>", {"type": "object", "additionalProperties": _TEXTS}),
        "strange": _described("what must not be left over in a text that tokens translate, by sets", _TEXTS),
        "new": _described("how an entry that is not there yet is written", _closed({"logger": _new_logger()}, [])),
    }
    nullable = {
        name: one if name in {"vetrina-mapping", "reads"} else {"anyOf": [one, {"type": "null"}]}
        for name, one in properties.items()
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Vetrina mapping",
        **_closed(nullable, ["vetrina-mapping", "reads"]),
        "$defs": {"look-up": _look_up(), "each": _each(), **dict(sorted(maker.definitions.items()))},
    }


def _described(words: str, schema: Schema) -> Schema:
    return {"description": words, **schema}


def _closed(properties: Schema, required: list[str]) -> Schema:
    found: Schema = {"type": "object", "properties": properties, "additionalProperties": False}
    return {**found, "required": required} if required else found


def _one_or_many(one: Schema) -> Schema:
    return {"anyOf": [one, {"type": "array", "items": one}]}


def _each() -> Schema:
    members = _closed({"members": _TEXT, "of": _TEXT, "value": _TEXT}, ["members"])
    return _described(
        "the parts that an item takes: a path, or members by an expression for their names", {"anyOf": [_TEXT, members]}
    )


def _look_up() -> Schema:
    properties: Schema = {
        "at": _described("a path", _TEXT),
        "text": _described("this text, or beside match what the match becomes; <group> is filled in", {"type": ["string", "number", "boolean"]}),
        "key": _described("the name of the member under which the part stands, so many levels up", _NUMBER),
        "member": _described("the member of the whole document with this name", _TEXT),
        "of": _described("a reference: the parts of the whole document …", _TEXT),
        "where": _described("… whose value at this path …", _TEXT),
        "is": _described("… is what this look-up finds here", _LOOK_UP),
        "match": _described("an RE2 expression that is searched in the value", _TEXT),
        "split": _described("cut into a list at this text", {"type": "string", "minLength": 1}),
        "skip": _described("without its first parts", _NUMBER),
        "join": _described("one text of many", _TEXT),
        "words": _described("words in place of words, ignoring case", _TEXTS),
        "by": _described("translated by the tokens of this set", _TEXT),
        "or": _described("where nothing is given", {}),
    }  # fmt: skip
    whole = {**_closed(properties, []), "anyOf": [{"required": [name]} for name in PRIMARY]}
    return _described("a path, or how a value is found", {"anyOf": [_TEXT, whole]})


def _tokens() -> Schema:
    return {"type": "array", "items": _closed({"match": _TEXT, "text": _TEXT}, ["match", "text"])}


def _new_logger() -> Schema:
    kinds: dict[str, Schema] = {"value": {}, "item": {}}
    return _closed({name: kinds.get(name, _TEXT) for names in NEW_KEYS.values() for name in names}, [])


class _Maker:
    """Makes the schema of each kind's spec, once."""

    def __init__(self) -> None:
        self.definitions: dict[str, Schema] = {}

    def section(self, name: str) -> Schema:
        """Return the schema of a section's items."""
        kind = PLAN_FILE.keys[name].kind
        assert isinstance(kind, MapOf)  # noqa: S101  (the plan's table says so)
        items = {"type": "array", "items": self._item(kind.value, named=True)}
        return _described(PLAN_FILE.keys[name].doc, items)

    def nested(self, kind: Record) -> Schema:
        """Return a reference to the schema of a mapping of known keys."""
        name = "keys-of-" + kind.name.removeprefix("a ").removeprefix("an ").removeprefix("the ").replace("'s", "").replace(
            " ", "-"
        )
        if name not in self.definitions:
            self.definitions[name] = {}
            self.definitions[name] = _closed(self._keys(kind), [])
        return {"$ref": f"#/$defs/{name}"}

    def _keys(self, kind: Record) -> Schema:
        return {name: _described(key.doc, self._spec(key.kind)) for name, key in kind.keys.items()}

    def _item(self, kind: Kind, *, named: bool) -> Schema:
        own: Schema = {"each": {"$ref": "#/$defs/each"}, **({"name": _LOOK_UP} if named else {})}
        if isinstance(kind, Record):
            return _closed({**self._keys(kind), **own}, list(own)) if named else self._listed(kind, own)
        return _closed({**own, "value": self._spec(kind)}, [*own, "value"])

    def _listed(self, kind: Record, own: Schema) -> Schema:
        """Return a reference to the schema of an item in a list: conditions hold conditions."""
        name = "item-of-" + kind.name.removeprefix("a ").removeprefix("an ").replace(" ", "-")
        if name not in self.definitions:
            self.definitions[name] = {}
            self.definitions[name] = _closed({**self._keys(kind), **own}, list(own))
        return {"$ref": f"#/$defs/{name}"}

    def _spec(self, kind: Kind) -> Schema:
        if isinstance(kind, Record):
            return {"anyOf": [_LOOK_UP, self.nested(kind)]} if kind.short else self.nested(kind)
        if isinstance(kind, ListOf):
            if isinstance(kind.item, Record):
                return {"anyOf": [{"type": "array", "items": self._item(kind.item, named=False)}, _LOOK_UP]}
            return {"anyOf": [_LOOK_UP, {"type": "array", "items": _LOOK_UP}]}
        if isinstance(kind, MapOf):
            if type(kind) is not MapOf:
                return {"anyOf": [_LOOK_UP, {"type": "object"}]}
            free = {"type": "object", "additionalProperties": self._spec(kind.value)}
            return {"anyOf": [free, {"type": "array", "items": self._item(kind.value, named=True)}]}
        operators = getattr(kind, "operators", None)
        return {"anyOf": [_LOOK_UP, self.nested(operators)]} if isinstance(operators, Record) else _LOOK_UP
