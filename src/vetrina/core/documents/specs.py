"""A mapping's file read into a mapping, guided by the plan's own kinds; every fault with its place."""

from __future__ import annotations

from vetrina.core.base.levels import Scale
from vetrina.core.documents.look_up_specs import PRIMARY, LookUpReader, Report, is_look_up, no_mapping
from vetrina.core.documents.mapping import (
    Each,
    Include,
    Item,
    Listed,
    Looked,
    LookedList,
    LookUp,
    Mapping,
    Named,
    Nested,
    NewLogger,
    Spec,
    Token,
)
from vetrina.core.documents.notation import Notation
from vetrina.core.documents.tree import Shape
from vetrina.core.documents.words import FlagWords, LevelWords, bounds, filling
from vetrina.core.schema import nodes
from vetrina.core.schema.containers import ListOf, MapOf, Record, unknown_key
from vetrina.core.schema.kinds import Kind
from vetrina.core.schema.nodes import Listing, Node, Scalar, kind_of

SECTIONS = ("values", "channels", "loggers", "appenders", "templates")
TOP = (
    "vetrina-mapping", "title", "reads", "spaces", "levels", "yes", "no", "placeholder", "include", "ignore", "plan",
    *SECTIONS, "stages", "tokens", "tables", "strange", "new",
)  # fmt: skip
"""The keys of a mapping, in the order in which they are documented."""
NEW_KEYS: dict[Shape, tuple[str, ...]] = {
    "elements": ("into", "text"), "objects": ("into", "member", "value", "item"), "sections": ("section", "text"), "lines": ("text",),
}  # fmt: skip
"""The keys by which a new logger is written, by the shape of documents."""


class SpecReader(LookUpReader):
    """Reads one mapping for documents of one notation."""

    def __init__(self, notation: Notation, plan: Record, report: Report) -> None:
        """Keep the notation, the plan's kinds, and who is told of faults."""
        super().__init__(notation, report)
        self._plan = plan

    def mapping(self, node: nodes.Mapping, name: str) -> Mapping:
        """Return the mapping; faults go to the report."""
        given = {key.text: value for key, value in node.pairs}
        for key, _ in node.pairs:
            if key.text not in TOP:
                self._report(unknown_key(key, list(TOP), "a mapping"))
        given = {key: value for key, value in given.items() if not nodes.is_null_node(value)}
        self._spaces = {key.text: self._text(value) for key, value in self._pairs(given.get("spaces"))}
        self._sets = frozenset(key.text for key, _ in self._pairs(given.get("tokens")))
        self._tables = {
            key.text: {word.text: self._text(to) for word, to in self._pairs(value)}
            for key, value in self._pairs(given.get("tables"))
        }
        level_words = self._level_words(given.get("levels"), given.get("plan"))
        placeholder = self._expression(given.get("placeholder"))
        if placeholder is not None and "name" not in placeholder.groups:  # before anything asks for it
            self._wrong(given["placeholder"], "a placeholder's expression has a group called name", "write (?P<name>…) in it")
            placeholder = None
        return Mapping(
            name=name,
            node=node,
            reads=self._notation.name,
            title=self._text(given["title"]) if "title" in given else "",
            levels=_levels(level_words),
            level_words=tuple(level_words),
            flags=FlagWords(self._lowered(given.get("yes")), self._lowered(given.get("no"))),
            placeholder=placeholder,
            includes=tuple(self._include(one) for one in self._some(given.get("include"))),
            ignore=tuple((one, path) for one in self._some(given.get("ignore")) if (path := self._path(one)) is not None
                         and isinstance(one, Scalar)),
            plan=self._plan_keys(given.get("plan")),
            sections=self._sections(given),
            stages=tuple(stage for value in self._items(given.get("stages")) if (stage := self._stage(value)) is not None),
            tokens={key.text: self._tokens(value) for key, value in self._pairs(given.get("tokens"))},
            tables=self._tables,
            strange={key.text: found for key, value in self._pairs(given.get("strange"))
                     if self._known_set(key, key.text) and (found := self._expression(value)) is not None},
            new_logger=self._new(given.get("new")),
        )  # fmt: skip

    # parts of the mapping

    def _level_words(self, node: Node | None, plan: Node | None) -> list[tuple[str, str]]:
        """Return what the documents' words for levels mean; a level that the plan would not know is told."""
        own = plan.get("levels") if isinstance(plan, nodes.Mapping) else None
        known = Scale({key.text: 1 for key, _ in own.pairs} if isinstance(own, nodes.Mapping) else {})
        words = []
        for key, value in self._pairs(node):
            text = self._text(value)
            if known.threshold(text) is None and not isinstance(own, Listing):
                self._wrong(value, f'"{text[:60]}" is no level of a plan', known.hint(text).removeprefix("; "), "unknown-level")
            words.append((key.text, text))
        return words

    def _sections(self, given: dict[str, Node]) -> dict[str, Named]:
        found = {}
        for section in SECTIONS:
            kind = self._plan.keys[section].kind
            assert isinstance(kind, MapOf)  # noqa: S101  (the plan's table says so)
            if section in given:
                items = [one for value in self._items(given[section]) if (one := self._item(kind.value, value, named=True))]
                found[section] = Named(kind, given[section], (), tuple(items))
        return found

    def _plan_keys(self, node: Node | None) -> Nested | None:
        if node is None:
            return None
        left = {name: key for name, key in self._plan.keys.items() if name not in {*SECTIONS, "stages", "vetrina", "$schema"}}
        if isinstance(node, nodes.Mapping):
            for key, _ in node.pairs:
                if key.text in SECTIONS or key.text == "stages":
                    self._wrong(key, f'"{key.text}" is a list of items of its own', "write it beside plan, not in it")
            node = nodes.Mapping(
                node.source, [one for one in node.pairs if one[0].text not in {*SECTIONS, "stages"}], nodes.at(node)
            )
        spec = self._spec(Record(name="the plan's own keys", keys=left), node)
        return spec if isinstance(spec, Nested) else None

    def _stage(self, node: nodes.Mapping) -> tuple[Item, dict[str, Named], Nested | None] | None:
        given = {key.text: value for key, value in node.pairs}
        known = ("each", "name", "plan", *SECTIONS)
        for key, _ in node.pairs:
            if key.text not in known:
                self._report(unknown_key(key, list(known), "a stage"))
        each = self._each_of(node, given)
        if each is None:
            return None
        self._groups = (*self._groups, _groups_of(each))
        name = self._name_of(node, given)
        body = self._sections(given), self._plan_keys(given.get("plan"))
        self._groups = self._groups[:-1]
        return None if name is None else (Item(each, Nested(Record(), node, {}), name), *body)

    def _include(self, node: Node) -> Include:
        if not isinstance(node, nodes.Mapping):
            no_mapping(self._report, node, "an include is {each: PATH, path: LOOK-UP}")
            return Include(Each(node), LookUp(node=node, text=filling("")))
        given = {key.text: value for key, value in node.pairs}
        for key, _ in node.pairs:
            if key.text not in {"each", "path"}:
                self._report(unknown_key(key, ["each", "path"], "an include"))
        each = self._each_of(node, given) or Each(node)
        self._groups = (*self._groups, _groups_of(each))
        path = self._look_up(given["path"]) if "path" in given else None
        self._groups = self._groups[:-1]
        if path is None:
            if "path" not in given:
                self._wrong(node, "an include needs the path of the document", 'write path: "@file"')
            path = LookUp(node=node, text=filling(""))
        return Include(each, path)

    def _tokens(self, node: Node) -> tuple[Token, ...]:
        found = []
        for one in self._items(node):
            given = {key.text: value for key, value in one.pairs}
            for key, _ in one.pairs:
                if key.text not in {"match", "text"}:
                    self._report(unknown_key(key, ["match", "text"], "a token"))
            if "match" not in given or "text" not in given:
                self._wrong(one, "a token needs match and text", "write {match: '\\$name', text: \"{logger}\"}")
                continue
            match = self._expression(given["match"])
            text = self._filling(given["text"], match.groups if match else frozenset(), check=match is not None)
            if match is not None and text is not None:
                found.append(Token(match, text))
        return tuple(found)

    def _new(self, node: Node | None) -> NewLogger | None:
        if node is None:
            return None
        given = {key.text: (key, value) for key, value in self._pairs(node)}
        for name, (key, _) in given.items():
            if name != "logger":
                self._report(unknown_key(key, ["logger"], "new"))
        if "logger" not in given:
            return None
        known = NEW_KEYS[self._notation.shape]
        body = given["logger"][1]
        inner: dict[str, Node] = {}
        for key, value in self._pairs(body):
            if key.text not in known:
                self._report(unknown_key(key, list(known), f"a new logger of {self._notation.name}"))
            else:
                inner[key.text] = value
        missing = next((name for name in known[:1] if name not in inner), None)
        if missing is not None:
            self._wrong(body, f'a new logger of {self._notation.name} needs "{missing}"', f"add {missing}:")
            return None
        if {"value", "item"} & set(known) and ("item" in inner) == ("member" in inner and "value" in inner):
            self._wrong(body, "a new logger is a member with its value, or an item", "write member and value, or item")
            return None
        return NewLogger(
            body,
            self._path(inner["into"]) if "into" in inner else None,
            self._text(inner["text"]) if "text" in inner else "",
            self._text(inner["member"]) if "member" in inner else "",
            inner.get("value"),
            inner.get("item"),
            self._text(inner["section"]) if "section" in inner else "",
        )

    # items and keys

    def _item(self, kind: Kind, node: nodes.Mapping, *, named: bool) -> Item | None:
        """Return an item: `each`, `name` where names are free, and the keys of its kind, or `value`."""
        given = {key.text: value for key, value in node.pairs}
        each = self._each_of(node, given)
        if each is None:
            return None
        self._groups = (*self._groups, _groups_of(each))
        name = self._name_of(node, given) if named else None
        own = {"each", "name"} if named else {"each"}
        rest = nodes.Mapping(node.source, [one for one in node.pairs if one[0].text not in own], nodes.at(node))
        body: Spec | None
        if isinstance(kind, Record):
            body = self._spec(kind, rest, also=tuple(sorted(own)))
        else:
            for key, _ in rest.pairs:
                if key.text != "value":
                    self._report(unknown_key(key, [*sorted(own), "value"], "an item"))
            body = self._spec(kind, given["value"]) if "value" in given else None
            if "value" not in given:
                self._wrong(node, "this item needs its value", 'write value: "@is"')
        self._groups = self._groups[:-1]
        return None if body is None or (named and name is None) else Item(each, body, name)

    def _each_of(self, node: nodes.Mapping, given: dict[str, Node]) -> Each | None:
        if "each" not in given:
            self._wrong(node, "this item does not say which parts it takes", f"add each: {'//ear' if self._notation.shape == 'elements' else '$.ears[*]'}",
                        "missing-key")  # fmt: skip
            return None
        each = given["each"]
        if isinstance(each, nodes.Mapping):
            return self._members(each)
        path = self._path(each)
        return None if path is None else Each(each, path)

    def _members(self, node: nodes.Mapping) -> Each | None:
        if self._notation.shape == "elements":
            self._wrong(node, "an element has no members", "write a path")
            return None
        given = {key.text: value for key, value in node.pairs}
        for key, _ in node.pairs:
            if key.text not in {"members", "of", "value"}:
                self._report(unknown_key(key, ["members", "of", "value"], "each"))
        if "members" not in given:
            self._wrong(node, "which members?", "add members: with an expression that matches their whole names")
            return None
        members = self._expression(given["members"])
        if members is None:
            return None
        return Each(node, None, members, self._path(given["of"]) if "of" in given else None,
                    self._expression(given["value"]) if "value" in given else None)  # fmt: skip

    def _name_of(self, node: nodes.Mapping, given: dict[str, Node]) -> LookUp | None:
        if "name" not in given:
            self._wrong(node, "this item does not say what the entry is called", "add name: with a look-up", "missing-key")
            return None
        return self._look_up(given["name"])

    def _spec(self, kind: Kind, node: Node, also: tuple[str, ...] = ()) -> Spec | None:
        """Return how a value of ``kind`` is found, None where the mapping does not say it (told)."""
        if isinstance(kind, MapOf):
            return self._free(kind, node)
        if isinstance(kind, Record):
            return self._record(kind, node, also)
        if isinstance(kind, ListOf):
            return self._list(kind, node)
        operators = getattr(kind, "operators", None)
        if (
            isinstance(operators, Record)
            and isinstance(node, nodes.Mapping)
            and not any(key.text in PRIMARY for key, _ in node.pairs)
        ):
            return self._record(operators, node, ())
        look = self._look_up(node)
        return None if look is None else Looked(kind, look)

    def _record(self, kind: Record, node: Node, also: tuple[str, ...]) -> Spec | None:
        if isinstance(node, Scalar) and kind.short:
            look = self._look_up(node)
            return None if look is None else Looked(kind, look)
        if not isinstance(node, nodes.Mapping):
            self._wrong(
                node, f"{kind.name} is a mapping of its keys, and this is {kind_of(node)}", "nest its keys as in a plan"
            )
            return None
        keys: dict[str, Spec] = {}
        for key, value in node.pairs:
            known = kind.keys.get(key.text)
            if known is None:
                self._report(unknown_key(key, [*also, *kind.keys], kind.name))
            elif (spec := self._spec(known.kind, value)) is not None:
                keys[key.text] = spec
        return Nested(kind, node, keys)

    def _list(self, kind: ListOf, node: Node) -> Spec | None:
        if not isinstance(node, Listing):
            look = self._look_up(node)
            return None if look is None else Looked(kind, look)
        if isinstance(kind.item, Record):
            items = [one for value in self._items(node) if (one := self._item(kind.item, value, named=False))]
            return Listed(kind, tuple(items))
        return LookedList(kind, tuple(look for one in node.items if (look := self._look_up(one)) is not None))

    def _free(self, kind: MapOf, node: Node) -> Spec | None:
        """Return how a mapping of free names is found; a member of a JSON template may be a single look-up as well."""
        if isinstance(node, Listing):
            found = [one for value in self._items(node) if (one := self._item(kind.value, value, named=True))]
            return Named(kind, node, (), tuple(found))
        nested = type(kind) is not MapOf
        if nested and (isinstance(node, Scalar) or (isinstance(node, nodes.Mapping) and is_look_up(node))):
            look = self._look_up(node)
            return None if look is None else Looked(kind, look)
        if not isinstance(node, nodes.Mapping):
            self._wrong(node, f"a mapping of names is wanted here, and this is {kind_of(node)}", "write NAME: LOOK-UP")
            return None
        below = kind if nested else kind.value
        keys = [(key, spec) for key, value in node.pairs if (spec := self._spec(below, value)) is not None]
        return Named(kind, node, tuple(keys))


def _groups_of(each: Each) -> frozenset[str]:
    found: frozenset[str] = frozenset()
    for one in (each.members, each.value):
        found |= one.groups if one is not None else frozenset()
    return found


def _levels(words: list[tuple[str, str]]) -> LevelWords:
    ranges = tuple((*found, to) for word, to in words if (found := bounds(word)) is not None)
    return LevelWords({word.strip().lower(): to for word, to in words if bounds(word) is None}, ranges)
