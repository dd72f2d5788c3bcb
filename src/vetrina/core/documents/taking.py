"""What look-ups find in a document, before the plan's kinds type it.

A text from the document is literal: where the plan would see a placeholder or a template in it, it is escaped. The
document's own placeholders are set aside while it is matched, split and translated, and put back last.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.errors import NotUnderstood, VetrinaError
from vetrina.core.base.faults import Place
from vetrina.core.documents.mapping import Each, LookUp, Token
from vetrina.core.documents.mapping import Mapping as DocumentMapping
from vetrina.core.documents.notation import Path
from vetrina.core.documents.tree import Document, Part
from vetrina.core.documents.words import Filling, Holes, begins_with, joined, literal, matcher
from vetrina.core.schema.nodes import Listing, Node, Scalar, Source

LONGEST_TRANSLATED = 1 << 16
NOT_A_VALUE = {"object": "an object", "document": "the whole document"}


class Scope(Struct, frozen=True):
    """Where look-ups start: a part, and what the match that chose it took of its name."""

    part: Part
    groups: Mapping[str, str | None] = {}


class Found(Struct, frozen=True, kw_only=True):
    """A text that a look-up found.

    ``own`` says that it is the mapping's text, in the plan's language; ``translated`` that tokens made it (``by`` a set).
    ``refusal`` says why a change could not be written where it stands.
    """

    text: str
    source: Source
    spot: tuple[int, int, int, int]
    plain: bool = True
    part: Part | None = None
    own: bool = False
    translated: bool = False
    refusal: str = ""


class LookUpFault(VetrinaError):
    """A look-up that cannot be worked out: what is wrong, where in the document, and what to do."""

    def __init__(self, what: str, place: Place | None, why: str = "", fix: str = "", code: str = "wrong-value") -> None:
        """Keep it all."""
        super().__init__(what)
        self.what, self.place, self.why, self.fix, self.code = what, place, why, fix, code


class Taker:
    """Works out a mapping's look-ups over its documents."""

    def __init__(self, mapping: DocumentMapping, documents: Sequence[Document]) -> None:
        """Take ``documents``, the first being the one that was named.

        ``elsewhere`` are the identities of parts whose insides are not looked at: what lies in a stage's is that stage's alone.
        """
        self.mapping = mapping
        self.documents = documents
        self.elsewhere: frozenset[int] = frozenset()
        wanted = mapping.placeholder
        self.holes = Holes(self._placeholders, begins_with(wanted.text)) if wanted is not None else Holes(None)
        self._indexes: dict[int, dict[str, list[tuple[Part, Part]]]] = {}

    def _placeholders(self, text: str) -> Iterator[tuple[int, int, str, str | None]]:
        """Yield the bounds, the name and the default of each placeholder in a text."""
        assert self.mapping.placeholder is not None  # noqa: S101  (asked only then)
        has_default = "default" in self.mapping.placeholder.groups
        for found in self.mapping.placeholder.finditer(text):
            if found.end() > found.start() and found.group("name") is not None:
                yield found.start(), found.end(), found.group("name"), found.group("default") if has_default else None

    # parts

    def parts(self, each: Each, scope: Scope, *, whole: Iterable[Part]) -> Iterator[Scope]:
        """Yield what an item may take, in document order; ``whole`` are the objects that members without `of` are of."""
        if each.members is None:
            for part in self.select(each.path, scope.part, each.node):
                yield Scope(part, scope.groups)
            return
        holders = whole if each.of is None else self.select(each.of, scope.part, each.node)
        groups_of = matcher(each.members)
        for holder in holders:
            for part in holder.children if holder.kind == "object" else ():
                groups = groups_of(part.name or "")
                if groups is None:
                    continue
                if each.value is not None:
                    inside = each.value.search(part.string())
                    if inside is None:
                        continue
                    groups = {**groups, **inside.groupdict()}
                yield Scope(part, {**scope.groups, **groups})

    def select(self, path: Path | None, part: Part, node: Node) -> Sequence[Part]:
        """Return the parts that a path takes; one that makes a text instead takes none."""
        if path is None:
            return ()
        found = self._selected(path, part, node)
        if isinstance(found, str):
            raise LookUpFault("this path makes a text, and parts are wanted", node.place, fix="write a path that takes parts")
        return found

    def _selected(self, path: Path | None, part: Part, node: Node) -> Sequence[Part] | str:
        if path is None:
            return ()
        try:
            found = path.select(part)
        except NotUnderstood as reason:
            raise LookUpFault(f"this path cannot be worked out: {reason}", node.place, fix="write it otherwise") from None
        if not self.elsewhere or isinstance(found, str):
            return found
        return [one for one in found if not one.inside(self.elsewhere)]

    # values

    def values(self, look: LookUp, scope: Scope, *, single: bool, braced: bool = False, empty: bool = False) -> list[Found]:
        """Return what a look-up finds; only the first where a ``single`` value is wanted.

        In a ``braced`` text a literal brace is doubled. An ``empty`` text counts as not given, unless asked for.
        """
        alone = single and not look.split and not look.skip and look.join is None
        found: list[Found] = []
        for one in self._first(look, scope, braced=braced):
            got = one if look.match is None else self._matched(look, one, scope, braced=braced)
            if got is None:
                continue
            if got.part is not None:
                got.part.touch_value()
            if got.text or empty:
                found.append(got)
                if alone:
                    break
        if not alone and (look.split or look.skip or look.join is not None):
            found = self._cut(look, found)
        if look.words is not None:
            found = [self._worded(look.words, one) for one in found]
        if look.by:
            found = [self._translated(look, one) for one in found]
        if not found and look.or_ is not None:
            return [_own(one) for one in _some(look.or_)]
        return [self._whole(one, braced=braced) for one in (found[:1] if single else found)]

    def plain(self, look: LookUp, scope: Scope) -> tuple[str, Part] | None:
        """Return the text and the part of a path's first value, where that is an attribute or a member: most values are.

        None stands for everything else, which `values` finds: what this returns, it returns as well.
        """
        found = self._selected(look.at, scope.part, look.node) if look.member is None else self._members(look.member, scope)
        if isinstance(found, str):
            return None
        for one in found:
            if one.kind not in _PLAIN_KINDS or (one.document.typed and one.plain):
                return None
            one.touch()
            if one.text:
                text = self._aside(one.text, one)
                return (text, one) if text.isascii() and "{" not in text else None
        return None

    def _first(self, look: LookUp, scope: Scope, *, braced: bool) -> Iterator[Found]:
        """Yield what stands where the look-up says, as it stands, with placeholders set aside."""
        if look.text is not None:
            text = look.text.filled(scope.groups, self.mapping.tables, braced=braced)
            node = look.node
            yield Found(text=text, source=node.source, spot=(node.line, node.column, node.start, node.end), own=True,
                        refusal="the mapping says it")  # fmt: skip
        elif look.key is not None:
            yield from self._key(look.key, scope.part)
        elif look.member is not None:
            yield from self._of(self._members(look.member, scope), scope.part)
        elif look.of is not None:
            for part in self._referred(look, scope):
                inner = self._selected(look.at, part, look.node) if look.at is not None else [part]
                yield from (
                    replace(one, refusal="another entry gives it, to which this one refers") for one in self._of(inner, part)
                )
        else:
            yield from self._of(self._selected(look.at, scope.part, look.node), scope.part)

    def _of(self, found: Sequence[Part] | str, start: Part) -> Iterator[Found]:
        """Yield the values of parts, an array's as its items; of a text, it itself at the place where it was asked."""
        if isinstance(found, str):
            yield Found(text=self._aside(found.strip(), start), source=start.document.source, spot=start.spot,
                        refusal="it is put together from several parts")  # fmt: skip
            return
        for holder in found:
            for part in holder.values():
                yield self._value(part)

    def _value(self, part: Part) -> Found:
        document = part.document
        if part.kind == "attribute":
            text, spot = part.text, part.spot
        elif part.kind in NOT_A_VALUE:
            raise LookUpFault(f"a value is wanted here, and this is {NOT_A_VALUE[part.kind]}", part.place, code="wrong-type",
                              fix="write a path to a value in it")  # fmt: skip
        else:
            text, spot = (part.text if part.kind == "value" else part.string().strip()), part.value_spot
        if document.typed and part.plain and text in _NOTHING:
            text = ""
        return Found(
            text=self._aside(text, part), source=document.source, spot=spot, plain=part.plain or not document.typed, part=part
        )

    def _aside(self, text: str, part: Part) -> str:
        try:
            return self.holes.aside(text)
        except NotUnderstood as reason:
            raise LookUpFault(str(reason), part.place) from None

    def _key(self, levels: int, part: Part) -> Iterator[Found]:
        here: Part | None = part
        for _ in range(levels):
            here = here.parent if here is not None else None
        if here is None or here.name is None:
            return
        here.touch()
        line, column = here.document.line_column(here.key_start)
        end = here.key_start + len(here.name)
        yield Found(text=self._aside(here.name, here), source=here.document.source, spot=(line, column, here.key_start, end),
                    plain=False, refusal="it is a member's name")  # fmt: skip

    def _members(self, name: Filling, scope: Scope) -> Sequence[Part]:
        """Return the member of the first document that has one of that name."""
        wanted = name.filled(scope.groups, self.mapping.tables).replace("$${", "${")
        found = next((part for one in self.documents if (part := _named_member(one, wanted)) is not None), None)
        return () if found is None else (found,)

    def _referred(self, look: LookUp, scope: Scope) -> list[Part]:
        """Return the parts of the whole document whose `where` has the value that `is` finds here."""
        assert look.is_ is not None  # noqa: S101  (they belong together)
        wanted = self.values(look.is_, scope, single=True)
        if not wanted:
            return []
        index = self._indexes.get(id(look))
        if index is None:
            index = self._indexes[id(look)] = self._index(look)
        found = index.get(wanted[0].text, [])
        for part, where in found:
            part.touch()
            where.touch_value()
        return [part for part, _ in found]

    def _index(self, look: LookUp) -> dict[str, list[tuple[Part, Part]]]:
        index: dict[str, list[tuple[Part, Part]]] = {}
        for document in self.documents:
            for part in self.select(look.of, document.root, look.node):
                for where in self.select(look.where, part, look.node):
                    for value in where.values():
                        index.setdefault(self._whole(self._value(value)).text, []).append((part, value))
        return index

    # what is done with them

    def _matched(self, look: LookUp, one: Found, scope: Scope, *, braced: bool) -> Found | None:
        assert look.match is not None  # noqa: S101  (asked only then)
        found = look.match.search(one.text)
        if found is None:
            return None
        groups = found.groupdict()
        if "it" in groups:
            text = groups["it"] or ""
        elif look.match_text is not None:
            text = look.match_text.filled({**scope.groups, **groups}, self.mapping.tables, braced=braced)
            return replace(one, text=text, own=True, refusal="only a piece of the text is taken")
        else:
            text = found.group()
        return replace(one, text=text, refusal=one.refusal or ("" if text == one.text else "only a piece of the text is taken"))

    def _cut(self, look: LookUp, found: list[Found]) -> list[Found]:
        """Split, skip and join; parts are counted as they stand, then stripped, and empty ones left out."""
        if look.split:
            found = [
                replace(one, text=piece, refusal="it is one piece of a text")
                for one in found
                for piece in one.text.split(look.split)
            ]
        found = found[look.skip :] if look.skip else found
        if look.split:
            found = [replace(one, text=text) for one in found if (text := one.text.strip())]
        if look.join is not None and found:
            text = look.join.join(one.text for one in found)
            alone = len(found) == 1 and not found[0].refusal
            found = [
                replace(found[-1], text=text, refusal="" if alone else found[-1].refusal or "it is joined from several texts")
            ]
        return found

    def _worded(self, words: Mapping[str, Scalar], one: Found) -> Found:
        meant = words.get(one.text.strip().lower())
        return one if meant is None else replace(one, text=meant.text, own=True, plain=meant.plain)

    def _translated(self, look: LookUp, one: Found) -> Found:
        """Return a text of the document's own language in the plan's, by the tokens of a set."""
        text = one.text
        place = Place(one.source.name, one.spot[0], one.spot[1])
        if len(text) > LONGEST_TRANSLATED:
            raise LookUpFault(f"a text of {len(text):,} characters is too long to be translated", place,
                              f"at most {LONGEST_TRANSLATED:,} are", "shorten it")  # fmt: skip
        tokens, strange = self.mapping.tokens[look.by], self.mapping.strange.get(look.by)
        made, plain, position = "", "", 0
        literals: list[str] = []
        while position < len(text):
            found, token = _token_at(tokens, text, position)
            if token is None:
                plain += text[position]
                position += 1
                continue
            literals.append(plain)
            made = joined(made, literal(plain, braced=True))
            made = joined(made, token.text.filled(found.groupdict(), self.mapping.tables, braced=True))
            plain, position = "", found.end()
        literals.append(plain)
        made = joined(made, literal(plain, braced=True))
        for piece in literals if strange is not None else ():
            left = strange.search(piece) if strange is not None else None
            if left is not None and left.group():
                raise LookUpFault(f"no token of {look.by} reads {self._shown(left.group())}", place, f"the text is {self._shown(text)[:200]}",
                                  f"add one under tokens: {look.by}:")  # fmt: skip
        return replace(one, text=made, own=True, translated=True, refusal="tokens translate it")

    def _shown(self, text: str) -> str:
        """Return a text with its placeholders as the plan has them, for a message."""
        try:
            return self.holes.back(text)
        except NotUnderstood:
            return text

    def _whole(self, one: Found, *, braced: bool = False) -> Found:
        """Return a text with its placeholders put back, one of the document's escaped."""
        text = one.text if one.own else literal(one.text, braced=braced)
        if text is one.text and text.isascii():  # no placeholder is set aside in it
            return one
        try:
            return replace(one, text=self.holes.back(text))
        except NotUnderstood as reason:
            raise LookUpFault(str(reason), Place(one.source.name, one.spot[0], one.spot[1])) from None


def _token_at(tokens: Iterable[Token], text: str, position: int) -> tuple[Any, Token | None]:
    """Return the first token that matches something at a position, with its match."""
    for token in tokens:
        found = token.match.match(text, position)
        if found is not None and found.end() > position:
            return found, token
    return None, None


def _named_member(document: Document, name: str) -> Part | None:
    """Return the member of a whole document of that name; in ini, of the section that all before a dot names."""
    root = document.root
    if document.shape != "sections":
        return root.member(name)
    cut = len(name)
    while (cut := name.rfind(".", 0, cut)) >= 0:
        section = root.member(name[:cut])
        if section is not None:
            return section.member(name[cut + 1 :])
    return None


def _own(node: Node) -> Found:
    """Return a value of the mapping's own."""
    if not isinstance(node, Scalar):
        raise LookUpFault("a value is wanted here, and this is none", node.place, code="wrong-type")
    return Found(text=node.text, source=node.source, spot=(node.line, node.column, node.start, node.end), plain=node.plain,
                 own=True, refusal="the mapping says it")  # fmt: skip


def _some(node: Node) -> list[Node]:
    return node.items if isinstance(node, Listing) else [node]


_PLAIN_KINDS = frozenset({"attribute", "value"})
_NOTHING = frozenset({"", "null", "Null", "NULL", "~"})
