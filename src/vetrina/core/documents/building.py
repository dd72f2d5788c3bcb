"""From documents and a mapping to the nodes of a plan, each with its place in the document.

Here: what the parts of a plan are made of. Not here: reading documents and mappings from files (formats/adopting.py),
what look-ups find (taking.py), single values (typing.py).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Fault, Place
from vetrina.core.documents.adopted import Adopted, Adoption, Use
from vetrina.core.documents.mapping import Each, Item, Listed, Looked, LookUp, Named, Nested, Spec
from vetrina.core.documents.taking import Found, LookUpFault, Scope, Taker
from vetrina.core.documents.tree import Part
from vetrina.core.documents.typing import Typist, Wants
from vetrina.core.schema import nodes
from vetrina.core.schema.containers import ListOf
from vetrina.core.schema.kinds import Kind
from vetrina.core.schema.nodes import Listing, Node, Scalar

Pairs = list[tuple[Scalar, Node]]
Wanted = Callable[[Part], bool]
_FORM_OF = {"text": "text", "members": "json", "columns": "csv"}
"""The form of a template that says what it is made of, but not its form."""


class _Layer:
    """The plan itself, or one of its stages, as it grows: its own keys, its sections, the templates that tokens made."""

    def __init__(self, scope: Scope, path: str, key: Scalar | None = None) -> None:
        self.scope, self.path, self.key = scope, path, key
        self.own: Pairs = []
        self.sections: dict[str, Pairs] = {}
        self.translated: list[tuple[str, nodes.Mapping, int]] = []


class Builder:
    """Builds one plan; faults go to ``faults``, and what each part became to the adoption."""

    def __init__(self, adoption: Adoption, faults: list[Fault]) -> None:
        """Begin with documents that were read."""
        self.adoption = adoption
        self.mapping = adoption.mapping
        self.faults = faults
        self.taker = Taker(adoption.mapping, adoption.documents)
        self._typist = Typist(adoption)
        self._taken: dict[int, tuple[Each, int]] = {}
        self._layer = _Layer(Scope(adoption.documents[0].root), "")

    def plan(self) -> nodes.Mapping:
        """Return the plan's document; what nothing took is remarked."""
        base = self._layer
        stages = self._stages()
        inside = frozenset(id(layer.scope.part) for layers in stages.values() for layer in layers)
        self.taker.elsewhere = inside
        self._fill(base, self.mapping.sections, self.mapping.plan, lambda part: not part.inside(inside))
        self.taker.elsewhere = frozenset()
        layers = [base, *(one for several in stages.values() for one in several)]
        self._name_templates(layers)
        whole = self.mapping.node
        pairs = [(self._key("vetrina", whole), Scalar(whole.source, "1", True, nodes.at(whole))), *_body(base)]
        named: Pairs = []
        for several in stages.values():
            joined: Pairs = [pair for layer in several for pair in _body(layer)]
            named.append((several[0].key or self._key("", whole), _over(several[0].scope.part, joined, repeats=True)))
        if named:
            pairs.append((self._key("stages", whole), nodes.Mapping(whole.source, named, nodes.at(whole))))
        self._remark()
        return _over(base.scope.part, pairs)

    def _stages(self) -> dict[str, list[_Layer]]:
        """Return the stages by their names; what several parts say of one is laid over each other."""
        found: dict[str, list[_Layer]] = {}
        filled = []
        for item, sections, plan in self.mapping.stages:
            for scope in self._scopes(item.each, self._roots(), lambda _part: True):
                name = self._name(item.name, scope, "stages")
                if name is None:
                    continue
                layer = _Layer(scope, f"stages[{name.text}].", name)
                self.adoption.uses.append(Use(scope.part, f"stages[{name.text}]"))
                found.setdefault(name.text, []).append(layer)
                filled.append((layer, sections, plan))
        for layer, sections, plan in filled:
            own = frozenset({id(layer.scope.part)})
            self._fill(layer, sections, plan, lambda part, own=own: part.inside(own))  # type: ignore[misc]
        return found

    def _roots(self) -> Iterator[Scope]:
        return (Scope(one.root) for one in self.adoption.documents)

    def _fill(self, layer: _Layer, sections: Mapping[str, Named], plan: Nested | None, wanted: Wanted) -> None:
        """Fill a layer; only ``wanted`` parts belong to it."""
        self._layer = layer
        if plan is not None:
            body = self._node(plan, layer.scope, layer.path.removesuffix("."))
            layer.own = body.pairs if isinstance(body, nodes.Mapping) else []
        starts = list(self._roots()) if layer.key is None else [layer.scope]
        for section, named in sections.items():
            pairs = layer.sections.setdefault(section, [])
            for item in named.items:
                for scope in self._scopes(item.each, starts, wanted):
                    pairs += self._entry(item, scope, section, f"{layer.path}{section}")

    def _scopes(self, each: Each, starts: Iterable[Scope], wanted: Wanted) -> list[Scope]:
        """Return what an item takes from some starts, and count it."""
        found: list[Scope] = []
        try:
            for start in starts:
                whole = [start.part.document.root]
                found += [one for one in self.taker.parts(each, start, whole=whole) if wanted(one.part)]
        except LookUpFault as fault:
            self._tell(fault, each.node)
        _, count = self._taken.get(id(each), (each, 0))
        self._taken[id(each)] = each, count + len(found)
        for one in found:
            one.part.touch()
        return found

    def _entry(self, item: Item, scope: Scope, section: str, path: str) -> Pairs:
        """Return the entry that one part gives, with its key."""
        key = self._name(item.name, scope, section)
        if key is None:
            return []
        path = f"{path}[{key.text}]"
        self.adoption.uses.append(Use(scope.part, path))
        value = self._node(item.body, scope, path)
        if section == "values":
            return [] if value is None else [(key, value)]
        body = value if isinstance(value, nodes.Mapping) else _over(scope.part, [])
        if section == "templates":
            self._finish_template(body)
        if section == "appenders":
            self._note_translated(key.text, body)
        return [(key, body)]

    def _name(self, look: LookUp | None, scope: Scope, section: str) -> Scalar | None:
        """Return an entry's name as a key, None where it has none (told)."""
        assert look is not None  # noqa: S101  (entries of free names have a look-up for it)
        try:
            one, text = self._named_by(look, scope, section)
        except LookUpFault as fault:
            self._tell(fault, look.node)
            return None
        except NotUnderstood as reason:
            self._tell(LookUpFault(str(reason), scope.part.place, code="wrong-name"), look.node)
            return None
        key = Scalar(one.source, text, False, one.spot)
        if one.part is not None:
            self.adoption.uses.append(Use(one.part, f"the name of {section.removesuffix('s')} {text}", key, look))
        return key

    def _named_by(self, look: LookUp, scope: Scope, section: str) -> tuple[Found, str]:
        """Return what names an entry, and the name; raise LookUpFault where nothing does."""
        found = self.taker.values(look, scope, single=True)
        if not found or (not found[0].text and not found[0].own):
            raise LookUpFault("this entry has no name", scope.part.place, "what it is about is not said",
                              "name it, or give the look-up an or: (root is {text: root})", "wrong-name")  # fmt: skip
        one = found[0]
        if section == "values":
            return one, self.taker.holes.name(one.text)
        if one.part is not None and "${" in one.text.replace("$${", ""):
            raise LookUpFault("this name holds a placeholder", Place(one.source.name, *one.spot[:2]), "names are taken as they are",
                              "write the name out", "wrong-name")  # fmt: skip
        return one, one.text if one.own else one.text.replace("$${", "${")

    # specs

    def _node(self, spec: Spec, scope: Scope, path: str) -> Node | None:
        """Return what a spec finds, None where nothing is given."""
        if isinstance(spec, Looked):
            values = self._values(spec.kind, spec.look, scope, path)
            if isinstance(spec.kind, ListOf):
                return _list(values)
            return values[0] if values else None
        if isinstance(spec, Nested):
            return self._nested(spec, scope, path)
        if isinstance(spec, Listed):
            return self._listed(spec, scope, path)
        if isinstance(spec, Named):
            return self._named(spec, scope, path)
        return _list([one for look in spec.looks for one in self._values(spec.kind, look, scope, path)])

    def _nested(self, spec: Nested, scope: Scope, path: str) -> Node | None:
        pairs: Pairs = []
        for name, below in spec.keys.items():
            value = self._node(below, scope, f"{path}.{name}" if path else name)
            if value is None and spec.kind.empties and isinstance(below, Nested):
                value = _over(scope.part, [])
            if value is not None:
                pairs.append((Scalar(value.source, name, False, nodes.at(value)), value))
        return _over(scope.part, pairs) if pairs else None

    def _listed(self, spec: Listed, scope: Scope, path: str) -> Node | None:
        items: list[Node] = []
        for item in spec.items:
            for inner in self._scopes(item.each, [scope], lambda _part: True):
                below = f"{path}[{len(items)}]"
                self.adoption.uses.append(Use(inner.part, below))
                items.append(self._node(item.body, inner, below) or _over(inner.part, []))
        return Listing(scope.part.document.source, items, scope.part.spot) if items else None

    def _named(self, spec: Named, scope: Scope, path: str) -> Node | None:
        pairs: Pairs = []
        for key, below in spec.keys:
            value = self._node(below, scope, f"{path}[{key.text}]")
            if value is not None:
                pairs.append((key, value))
        for item in spec.items:
            for inner in self._scopes(item.each, [scope], lambda _part: True):
                pairs += self._entry(item, inner, "values" if isinstance(item.body, Looked) else "", path)
        return _over(scope.part, pairs, repeats=bool(spec.items)) if pairs else None

    def _values(self, kind: Kind, look: LookUp, scope: Scope, path: str) -> list[Adopted]:
        """Return the values that a look-up finds, each typed as its kind wants."""
        wants = self._typist.wants(kind)
        several, uses = wants.several, self.adoption.uses
        if look.plain and not several and not wants.empty:
            quick = self._plain_value(wants, look, scope)
            if quick is not None and quick.part is not None:
                uses.append(Use(quick.part, path, quick, look))
                return [quick]
        try:
            found = self.taker.values(look, scope, single=not several, braced=wants.braced, empty=wants.empty)
        except LookUpFault as fault:
            self._tell(fault, look.node)
            return []
        made = []
        for at, one in enumerate(found):
            value = self._typist.value(wants, one, look)
            if value is not None:
                made.append(value)
                if one.part is not None:
                    uses.append(Use(one.part, f"{path}[{at}]" if several else path, value, look))
        return made

    def _plain_value(self, wants: Wants, look: LookUp, scope: Scope) -> Adopted | None:
        """Return a value that a path takes as it stands, None for all that needs more (docs/benchmarks.md, documents)."""
        try:
            found = self.taker.plain(look, scope)
        except LookUpFault:
            return None  # told by those that look again
        return None if found is None else self._typist.plain_value(wants, *found, look)

    # templates that tokens made

    def _note_translated(self, appender: str, body: nodes.Mapping) -> None:
        for at, (key, value) in enumerate(body.pairs):
            if key.text == "template" and isinstance(value, Adopted) and value.translated:
                self._layer.translated.append((appender, body, at))

    def _finish_template(self, body: nodes.Mapping) -> None:
        """Give a template the form that its keys say, and the ending that tokens made."""
        given = {key.text: value for key, value in body.pairs}
        made = given.get("text")
        if "as" not in given and (form := next((_FORM_OF[name] for name in _FORM_OF if name in given), None)):
            body.pairs.insert(0, (self._key("as", body), Scalar(body.source, form, False, nodes.at(body))))
        if isinstance(made, Adopted) and made.translated and "ending" not in given:
            body.pairs.append((self._key("ending", made), _cut_ending(made)))

    def _name_templates(self, layers: list[_Layer]) -> None:
        """Make templates of what tokens made for appenders, each named after its appender where that name is free."""
        taken = {key.text for layer in layers for key, _ in layer.sections.get("templates", ())}
        names: dict[str, str] = {}
        for layer in layers:
            for appender, body, at in layer.translated:
                name = names.setdefault(appender, _free(appender, taken))
                key, text = body.pairs[at]
                assert isinstance(text, Adopted)  # noqa: S101  (noted as such)
                ending = _cut_ending(text)
                form = Scalar(text.source, "text", False, nodes.at(text))
                template = nodes.Mapping(text.source, [(self._key("as", text), form), (self._key("text", text), text),
                                                       (self._key("ending", text), ending)], nodes.at(text))  # fmt: skip
                layer.sections.setdefault("templates", []).append((Scalar(text.source, name, False, nodes.at(text)), template))
                body.pairs[at] = key, Scalar(text.source, name, False, nodes.at(text))

    # what is told

    def _key(self, name: str, node: Node) -> Scalar:
        return Scalar(node.source, name, False, nodes.at(node))

    def _tell(self, fault: LookUpFault, node: Node) -> None:
        within = fault.place is None or fault.place.file == node.source.name
        related = () if within else ((node.place, "the look-up in the mapping"),)
        self.faults.append(
            Fault(fault.code, fault.what, why=fault.why, fix=fault.fix, place=fault.place or node.place, related=related)
        )

    def _remark(self) -> None:
        """Remark what nothing took, keys that were given twice, and items that took nothing."""
        adoption = self.adoption
        for document in adoption.documents:
            for scalar, path in self.mapping.ignore:
                try:
                    for part in self.taker.select(path, document.root, scalar):
                        adoption.ignored |= _touch_all(part)
                except LookUpFault as fault:
                    self._tell(fault, scalar)
        adoption.left_over = [part for document in adoption.documents for part in document.left_over()]
        adoption.remarks += [_left_over(part, self.mapping.name) for part in adoption.left_over]
        adoption.remarks += [
            Fault("repeated-key", f'"{(lost.name or "")[:60]}" is given again further down', why="the last one wins, and this one says nothing",
                  fix="remove one of the two", place=lost.place, related=((winner.place, "the one that wins"),))
            for document in adoption.documents
            for lost, winner in document.repeated
        ]  # fmt: skip
        adoption.remarks += [
            Fault("takes-nothing", "no part of the document is taken here", why="the path leads nowhere in this document",
                  fix="check its names; a document may also have no such part", place=each.node.place)
            for each, count in self._taken.values()
            if not count
        ]  # fmt: skip
        adoption.names = list(self.taker.holes.names)
        adoption.read = len({id(one.part) for one in adoption.uses if one.value is not None})


def _left_over(part: Part, mapping: str) -> Fault:
    what = {"element": f"element {part.label}", "attribute": f"attribute {part.label}", "text": "this text"}.get(part.kind)
    what = what or (f'"{part.name}"' if part.name is not None else "this item")
    return Fault("left-over", f"nothing in the mapping reads {what[:80]}", why="what it says has no part in the plan",
                 fix=f"read it in {mapping}, or list {part.path[:120]} under ignore:", place=part.place)  # fmt: skip


def _touch_all(part: Part) -> set[int]:
    """Mark a part with all in it as read, and return the identities of those that nothing had read before."""
    found = set()
    waiting = [part]
    while waiting:
        one = waiting.pop()
        if not one.touched:
            found.add(id(one))
        waiting += [*one.attributes, *one.children]
    part.touch()
    waiting = [part]
    while waiting:
        one = waiting.pop()
        one.touched = True
        waiting += [*one.attributes, *one.children]
    return found


def _body(layer: _Layer) -> Pairs:
    pairs = list(layer.own)
    part = layer.scope.part
    for section, entries in layer.sections.items():
        if entries:
            first = entries[0][0]
            pairs.append((Scalar(first.source, section, False, nodes.at(first)), _over(part, entries, repeats=True)))
    return pairs


def _over(part: Part, pairs: Pairs, *, repeats: bool = False) -> nodes.Mapping:
    return nodes.Mapping(part.document.source, pairs, part.spot, repeats=repeats)


def _list(found: list[Adopted]) -> Listing | None:
    return Listing(found[0].source, list(found), nodes.at(found[0])) if found else None


def _cut_ending(text: Adopted) -> Scalar:
    """Take the line break off a text that tokens made, and return it as the ending: an empty one where there is none."""
    ending = next((one for one in ("\r\n", "\n", "\r") if text.text.endswith(one)), "")
    text.text = text.text[: len(text.text) - len(ending)]
    return Scalar(text.source, ending, False, nodes.at(text))


def _free(name: str, taken: set[str]) -> str:
    found, number = name, 1
    while found in taken:
        number += 1
        found = f"{name} {number}"
    return found
