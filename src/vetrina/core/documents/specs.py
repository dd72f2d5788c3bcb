"""A mapping's file read into a mapping, guided by the plan's own kinds; every fault with its place."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.base.faults import Fault, offer
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
from vetrina.core.documents.notation import Notation, Path
from vetrina.core.documents.words import Filling, FlagWords, LevelWords, bounds, filling
from vetrina.core.schema import nodes
from vetrina.core.schema.containers import ListOf, MapOf, Record, unknown_key
from vetrina.core.schema.kinds import Anything, Kind
from vetrina.core.schema.nodes import Listing, Node, Scalar, kind_of

Report = Callable[[Fault], None]
SECTIONS = ("values", "loggers", "appenders", "templates")
_PRIMARY = ("at", "text", "key", "member", "of")
_LOOK_UP = (*_PRIMARY, "where", "is", "match", "split", "skip", "join", "words", "by", "or")
TOP = (
    "vetrina-mapping", "title", "reads", "spaces", "levels", "yes", "no", "placeholder", "include", "ignore", "plan",
    *SECTIONS, "stages", "tokens", "tables", "strange", "new",
)  # fmt: skip
"""The keys of a mapping, in the order in which they are documented."""
_NEW_KEYS = {"xml": ("into", "text"), "json": ("into", "member", "value", "item"), "yaml": ("into", "member", "value", "item"),
             "ini": ("section", "text"), "lines": ("text",)}  # fmt: skip


class SpecReader:
    """Reads one mapping for documents of one notation."""

    def __init__(self, notation: Notation, plan: Record, report: Report) -> None:
        """Keep the notation, the plan's kinds, and who is told of faults."""
        self._notation = notation
        self._plan = plan
        self._report = report
        self._spaces: dict[str, str] = {}
        self._sets: frozenset[str] = frozenset()
        self._tables: dict[str, dict[str, str]] = {}
        self._groups: tuple[frozenset[str], ...] = ()
        self._paths: dict[str, Path] = {}

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
        level_words = [(key.text, self._text(value)) for key, value in self._pairs(given.get("levels"))]
        placeholder = self._expression(given.get("placeholder"))
        if placeholder is not None and "name" not in placeholder.groups:
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
            ignore=tuple((one, path) for one in self._some(given.get("ignore")) if (path := self._ignored(one)) is not None
                         and isinstance(one, Scalar)),
            plan=self._plan_keys(given.get("plan")),
            sections=self._sections(given),
            stages=tuple(one for value in self._items(given.get("stages")) if (one := self._stage(value)) is not None),
            tokens={key.text: self._tokens(value) for key, value in self._pairs(given.get("tokens"))},
            tables=self._tables,
            strange={key.text: one for key, value in self._pairs(given.get("strange"))
                     if self._known_set(key, key.text) and (one := self._expression(value)) is not None},
            new_logger=self._new(given.get("new")),
        )  # fmt: skip

    # parts of the mapping

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
            node = nodes.Mapping(node.source, [one for one in node.pairs if one[0].text not in {*SECTIONS, "stages"}], nodes.at(node))
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
            raise_mapping(self._report, node, "an include is {each: PATH, path: LOOK-UP}")
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

    def _ignored(self, node: Node) -> Path | None:
        return self._path(node)

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
        given = dict((key.text, (key, value)) for key, value in self._pairs(node))
        for name, (key, _) in given.items():
            if name != "logger":
                self._report(unknown_key(key, ["logger"], "new"))
        if "logger" not in given:
            return None
        known = _NEW_KEYS.get(self._notation.name, ("into", "text"))
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
            self._wrong(node, "this item does not say which parts it takes", f"add each: {'//ear' if self._notation.name == 'xml' else '$.ears[*]'}",
                        "missing-key")  # fmt: skip
            return None
        each = given["each"]
        if isinstance(each, nodes.Mapping):
            return self._members(each)
        path = self._path(each)
        return None if path is None else Each(each, path)

    def _members(self, node: nodes.Mapping) -> Each | None:
        if not self._notation.by_members:
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
        if isinstance(operators, Record) and isinstance(node, nodes.Mapping) and not any(key.text in _PRIMARY for key, _ in node.pairs):
            return self._record(operators, node, ())
        look = self._look_up(node)
        return None if look is None else Looked(kind, look)

    def _record(self, kind: Record, node: Node, also: tuple[str, ...]) -> Spec | None:
        if isinstance(node, Scalar) and kind.short:
            look = self._look_up(node)
            return None if look is None else Looked(kind, look)
        if not isinstance(node, nodes.Mapping):
            self._wrong(node, f"{kind.name} is a mapping of its keys, and this is {kind_of(node)}", "nest its keys as in a plan")
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
        if nested and (isinstance(node, Scalar) or (isinstance(node, nodes.Mapping) and _is_look_up(node))):
            look = self._look_up(node)
            return None if look is None else Looked(kind, look)
        if not isinstance(node, nodes.Mapping):
            self._wrong(node, f"a mapping of names is wanted here, and this is {kind_of(node)}", "write NAME: LOOK-UP")
            return None
        below = kind if nested else kind.value
        keys = [(key, spec) for key, value in node.pairs if (spec := self._spec(below, value)) is not None]
        return Named(kind, node, tuple(keys))

    # look-ups

    def _look_up(self, node: Node) -> LookUp | None:
        if isinstance(node, Scalar):
            path = self._path(node)
            return None if path is None else LookUp(node=node, at=path)
        if not isinstance(node, nodes.Mapping):
            self._wrong(node, f"a look-up is wanted here, and this is {kind_of(node)}", "write a path, or {at: PATH, …}")
            return None
        given = {key.text: value for key, value in node.pairs}
        unknown = [key for key, _ in node.pairs if key.text not in _LOOK_UP]
        for key in unknown:
            self._report(unknown_key(key, list(_LOOK_UP), "a look-up"))
        if unknown or not self._possible(node, given):
            return None
        match = self._expression(given.get("match"))
        groups = match.groups if match else frozenset()
        known = frozenset().union(*self._groups)
        by = self._text(given["by"]) if "by" in given else ""
        if by and not self._known_set(given["by"], by):
            return None
        return LookUp(
            node=node,
            at=self._path(given["at"]) if "at" in given else None,
            text=self._filling(given["text"], known, check=True) if "text" in given and match is None else None,
            key=self._number(given["key"]) if "key" in given else None,
            member=self._filling(given["member"], known, check=True) if "member" in given else None,
            of=self._path(given["of"]) if "of" in given else None,
            where=self._path(given["where"]) if "where" in given else None,
            is_=self._look_up(given["is"]) if "is" in given else None,
            match=match,
            match_text=self._filling(given["text"], groups | known, check=True) if "text" in given and match else None,
            split=self._text(given["split"]) if "split" in given else "",
            skip=self._number(given["skip"]) if "skip" in given else 0,
            join=self._text(given["join"]) if "join" in given else None,
            words=self._words(given["words"]) if "words" in given else None,
            by=by,
            or_=given.get("or"),
        )  # fmt: skip

    def _possible(self, node: nodes.Mapping, given: dict[str, Node]) -> bool:
        """Tell whether a look-up has one way to its value; what is wrong is told."""
        ways = [one for one in _PRIMARY if one in given]
        if "match" in given and "text" in given:
            ways.remove("text")
        if "of" in given and "at" in given:
            ways.remove("at")
        if len(ways) != 1:
            what = f"a look-up has one of {', '.join(_PRIMARY)}, and this has {' and '.join(ways) or 'none'}"
            self._wrong(node, what, "beside match, text is the match's: add at" if "text" in given and not ways else "")
            return False
        if ("of" in given) != ("where" in given and "is" in given):
            self._wrong(node, "of, where and is belong together", "write {of: PATH, where: PATH, is: LOOK-UP}")
            return False
        if "key" in given and not self._notation.by_members:
            self._wrong(given["key"], "an element stands under no member", "write {at: \"name(..)\"}")
            return False
        return True

    def _words(self, node: Node) -> dict[str, Scalar]:
        return {key.text.lower(): value for key, value in self._pairs(node) if isinstance(value, Scalar)}

    def _path(self, node: Node) -> Path | None:
        text = self._text(node)
        if not isinstance(node, Scalar):
            return None
        if text not in self._paths:
            try:
                self._paths[text] = self._notation.path(text, self._spaces)
            except NotUnderstood as reason:
                language = "XPath 1.0" if not self._notation.by_members else "JSONPath (RFC 9535)"
                self._wrong(node, f'"{text[:80]}" is no {language}: {reason}', "quote it, and write it as that standard says")
                return None
        return self._paths[text]

    def _expression(self, node: Node | None) -> Expression | None:
        if node is None:
            return None
        text = self._text(node)
        try:
            return Expression(text)
        except BadExpression as reason:
            self._wrong(node, f'"{text[:80]}" is no expression: {reason}', "write it as RE2 reads it", "bad-expression")
            return None

    def _filling(self, node: Node, groups: frozenset[str], *, check: bool) -> Filling | None:
        found = filling(self._text(node))
        for group in found.groups():
            if check and group not in groups:
                names = sorted(groups)
                self._wrong(node, f"no match here has a group called {group}", offer(group, names) if names else "write << for a literal <")
                return None
        for table in found.tables():
            if table not in self._tables:
                self._wrong(node, f'no table is called "{table}"', offer(table, self._tables, otherwise="define it under tables:"))
                return None
        return found

    def _known_set(self, node: Node, name: str) -> bool:
        if name in self._sets:
            return True
        self._wrong(node, f'no set of tokens is called "{name[:60]}"', offer(name, self._sets, otherwise="define it under tokens:"))
        return False

    # nodes of the file

    def _wrong(self, node: Node, what: str, fix: str = "", code: str = "wrong-value") -> None:
        self._report(Fault(code, what, fix=fix, place=node.place))

    def _text(self, node: Node) -> str:
        if isinstance(node, Scalar):
            return "" if node.is_null() and node.text != "~" and not node.text else node.text
        self._wrong(node, f"a text is wanted here, and this is {kind_of(node)}", code="wrong-type")
        return ""

    def _number(self, node: Node) -> int:
        text = self._text(node)
        if text.isascii() and text.isdigit() and len(text) < 6:
            return int(text)
        self._wrong(node, f"a whole number is wanted here, and this is {kind_of(node)}", code="wrong-type")
        return 0

    def _pairs(self, node: Node | None) -> list[tuple[Scalar, Node]]:
        if node is None or nodes.is_null_node(node):
            return []
        if isinstance(node, nodes.Mapping):
            return node.pairs
        self._wrong(node, f"a mapping is wanted here, and this is {kind_of(node)}", code="wrong-type")
        return []

    def _items(self, node: Node | None) -> list[nodes.Mapping]:
        """Return the items of a list of mappings; what is none is told."""
        if node is None or nodes.is_null_node(node):
            return []
        if not isinstance(node, Listing):
            self._wrong(node, f"a list of items is wanted here, and this is {kind_of(node)}", "begin each item with a dash", "wrong-type")
            return []
        found = []
        for one in node.items:
            if isinstance(one, nodes.Mapping):
                found.append(one)
            else:
                raise_mapping(self._report, one, "an item is a mapping, with each: and what it gives")
        return found

    def _some(self, node: Node | None) -> Iterable[Node]:
        if node is None or nodes.is_null_node(node):
            return []
        return node.items if isinstance(node, Listing) else [node]

    def _lowered(self, node: Node | None) -> frozenset[str]:
        return frozenset(self._text(one).strip().lower() for one in self._some(node))


def raise_mapping(report: Report, node: Node, what: str) -> None:
    """Report what is no mapping."""
    report(Fault("wrong-type", f"{what}, and this is {kind_of(node)}", place=node.place))


def _groups_of(each: Each) -> frozenset[str]:
    found: frozenset[str] = frozenset()
    for one in (each.members, each.value):
        found |= one.groups if one is not None else frozenset()
    return found


def _is_look_up(node: nodes.Mapping) -> bool:
    """Tell whether a mapping in a JSON template's members is a look-up, not members within."""
    names = {key.text for key, _ in node.pairs}
    return bool(names) and names <= set(_LOOK_UP) and any(name in names for name in _PRIMARY)


def _levels(words: list[tuple[str, str]]) -> LevelWords:
    ranges = tuple((*found, to) for word, to in words if (found := bounds(word)) is not None)
    return LevelWords({word.strip().lower(): to for word, to in words if bounds(word) is None}, ranges)


__all__ = ["SECTIONS", "TOP", "Any", "Anything", "SpecReader"]
