"""Look-ups, paths, expressions and texts of a mapping's file; every fault with its place."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.base.faults import Fault, offer
from vetrina.core.documents.mapping import LookUp
from vetrina.core.documents.notation import Notation, Path
from vetrina.core.documents.words import Filling, filling
from vetrina.core.schema import nodes
from vetrina.core.schema.containers import unknown_key
from vetrina.core.schema.nodes import Listing, Node, Scalar, kind_of

Report = Callable[[Fault], None]
PRIMARY = ("at", "text", "key", "member", "of")
LOOK_UP = (*PRIMARY, "where", "is", "match", "split", "skip", "join", "words", "by", "or")


class LookUpReader:
    """Reads what stands in a mapping for documents of one notation."""

    def __init__(self, notation: Notation, report: Report) -> None:
        """Keep the notation, and who is told of faults."""
        self._notation = notation
        self._report = report
        self._spaces: dict[str, str] = {}
        self._sets: frozenset[str] = frozenset()
        self._tables: dict[str, dict[str, str]] = {}
        self._groups: tuple[frozenset[str], ...] = ()
        self._paths: dict[str, Path] = {}

    def _look_up(self, node: Node) -> LookUp | None:
        if isinstance(node, Scalar):
            path = self._path(node)
            return None if path is None else LookUp(node=node, at=path, plain=True)
        if not isinstance(node, nodes.Mapping):
            self._wrong(node, f"a look-up is wanted here, and this is {kind_of(node)}", "write a path, or {at: PATH, …}")
            return None
        given = {key.text: value for key, value in node.pairs}
        unknown = [key for key, _ in node.pairs if key.text not in LOOK_UP]
        for key in unknown:
            self._report(unknown_key(key, list(LOOK_UP), "a look-up"))
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
            plain=set(given) in ({"at"}, {"member"}),
        )  # fmt: skip

    def _possible(self, node: nodes.Mapping, given: dict[str, Node]) -> bool:
        """Tell whether a look-up has one way to its value; what is wrong is told."""
        ways = [one for one in PRIMARY if one in given]
        if "match" in given and "text" in given:
            ways.remove("text")
        if "of" in given and "at" in given:
            ways.remove("at")
        if len(ways) != 1:
            what = f"a look-up has one of {', '.join(PRIMARY)}, and this has {' and '.join(ways) or 'none'}"
            self._wrong(node, what, "beside match, text is the match's: add at" if "text" in given and not ways else "")
            return False
        if ("of" in given) != ("where" in given and "is" in given):
            self._wrong(node, "of, where and is belong together", "write {of: PATH, where: PATH, is: LOOK-UP}")
            return False
        if "key" in given and self._notation.shape == "elements":
            self._wrong(given["key"], "an element stands under no member", 'write {at: "name(..)"}')
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
                language = "XPath 1.0" if self._notation.shape == "elements" else "JSONPath (RFC 9535)"
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
                self._wrong(
                    node,
                    f"no match here has a group called {group}",
                    offer(group, names) if names else "write << for a literal <",
                )
                return None
        for table in found.tables():
            if table not in self._tables:
                self._wrong(
                    node, f'no table is called "{table}"', offer(table, self._tables, otherwise="define it under tables:")
                )
                return None
        return found

    def _known_set(self, node: Node, name: str) -> bool:
        if name in self._sets:
            return True
        self._wrong(
            node, f'no set of tokens is called "{name[:60]}"', offer(name, self._sets, otherwise="define it under tokens:")
        )
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
            self._wrong(
                node,
                f"a list of items is wanted here, and this is {kind_of(node)}",
                "begin each item with a dash",
                "wrong-type",
            )
            return []
        found = []
        for one in node.items:
            if isinstance(one, nodes.Mapping):
                found.append(one)
            else:
                no_mapping(self._report, one, "an item is a mapping, with each: and what it gives")
        return found

    def _some(self, node: Node | None) -> Iterable[Node]:
        if node is None or nodes.is_null_node(node):
            return []
        return node.items if isinstance(node, Listing) else [node]

    def _lowered(self, node: Node | None) -> frozenset[str]:
        return frozenset(self._text(one).strip().lower() for one in self._some(node))


def no_mapping(report: Report, node: Node, what: str) -> None:
    """Report what is no mapping."""
    report(Fault("wrong-type", f"{what}, and this is {kind_of(node)}", place=node.place))


def is_look_up(node: nodes.Mapping) -> bool:
    """Tell whether a mapping in a JSON template's members is a look-up, not members within."""
    names = {key.text for key, _ in node.pairs}
    return bool(names) and names <= set(LOOK_UP) and any(name in names for name in PRIMARY)
