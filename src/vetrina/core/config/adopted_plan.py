"""The plan that a document in another format amounts to: before layers and filling, each value with its place.

Here: the tree of what is to be written, as data. Law: read back in, it means the same; where a plan cannot say it, that
is told.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from vetrina.core.base.faults import Fault, Place
from vetrina.core.base.levels import HIGHEST, LOWEST, Scale, new_name_fault
from vetrina.core.base.origins import Origin
from vetrina.core.config.dump import Entries, Items, Value, Written, yaml_text
from vetrina.core.config.grammar import PLAN, PLAN_FILE
from vetrina.core.config.merging import merge
from vetrina.core.config.placeholders import Filler, typed
from vetrina.core.documents.adopted import Adopted, Adoption
from vetrina.core.schema.containers import ListOf, Record, child_kind
from vetrina.core.schema.held import Layer, MergedNode
from vetrina.core.schema.kinds import Anything, Flag, Kind, LevelKind
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar, is_null_node

_RAW = re.compile(r"(?:[A-Za-z0-9_./+-]|\$\{[A-Za-z_]\w*(?::-[A-Za-z0-9_./+-]*)?\})+")
"""Plain text with placeholders, which stands unquoted in YAML, so that it is typed once it is filled."""


def adopted_plan(document: Mapping, adoption: Adoption) -> tuple[Entries, list[Fault]]:
    """Return the plan, and what of it a plan's file cannot say."""
    faults: list[Fault] = []
    shaped = PLAN_FILE.shape(document, faults.append, layered=True)
    assert isinstance(shaped, Mapping)  # noqa: S101  (a mapping stays one)
    base = [(key, value) for key, value in shaped.pairs if key.text != "stages"]
    body = _mapping(PLAN, _held(Mapping(shaped.source, base, (1, 1, 0, 0))))
    stages = _stages(shaped.get("stages"))
    later = [
        use.value for use in adoption.uses if isinstance(use.value, Adopted) and use.value.meaning and "${" in use.value.text
    ]
    levels = _levels(body, adoption) if later else {}
    untold = list(_untold(later, levels, shaped)) if later else []
    entries = dict(body.entries)
    first: dict[str, Written] = {name: entries.pop(name) for name in ("vetrina", "title") if name in entries}
    return Entries({**first, **entries, **levels, **stages}, body.origin), [*faults, *untold]


def _held(node: Mapping) -> MergedNode:
    return merge(PLAN, None, Layer("file", node.source.name), node)


def _stages(stages: Node | None) -> dict[str, Written]:
    if not isinstance(stages, Mapping):
        return {}
    found: dict[str, Written] = {
        key.text: _mapping(PLAN, _held(value)) for key, value in stages.pairs if isinstance(value, Mapping)
    }
    return {"stages": Entries(found, Origin("file", stages.place))}


def _mapping(kind: Kind, held: MergedNode) -> Entries:
    entries: dict[str, Written] = {}
    for name, child in held.living():
        entries[name] = _written(child_kind(kind, name), child)
    return Entries(entries, Origin("file", held.key_place))


def _written(kind: Kind, held: MergedNode) -> Written:
    if held.children is not None and not isinstance(kind, Anything):
        return _mapping(kind, held)
    if held.items is not None and isinstance(kind, ListOf):
        return Items(tuple(_item(kind.item, one) for one in held.items), Origin("file", held.place))
    return _node(held.node)


def _item(kind: Kind, held: MergedNode) -> Written:
    """Return an item of a list, a short one where it says nothing else."""
    written = _written(kind, held)
    short = kind.short if isinstance(kind, Record) else ""
    if isinstance(written, Entries) and short and set(written.entries) == {short}:
        return written.entries[short]
    return written


def _node(node: Node) -> Written:
    if isinstance(node, Mapping):
        return Entries({key.text: _node(value) for key, value in node.pairs}, Origin("file", node.place))
    if isinstance(node, Listing):
        return Items(tuple(map(_node, node.items)), Origin("file", node.place))
    return _scalar(node)


def _scalar(node: Scalar) -> Value:
    origin = Origin("file", node.place)
    value = typed(node.text) if node.plain else node.text
    if is_null_node(node):
        return Value("null", None, origin)
    if not isinstance(value, str):
        return Value(node.text, value, origin)
    raw = node.plain and "${" in node.text and _RAW.fullmatch(node.text) is not None
    return Value(node.text if raw else yaml_text(value), value, origin)


def _levels(body: Entries, adoption: Adoption) -> dict[str, Written]:
    """Return the level names that the plan needs beside its own, for values that are filled later."""
    own = body.entries.get("levels")
    known = dict(own.entries) if isinstance(own, Entries) else {}
    lowered = {name.lower(): 0 for name in known}
    scale = _scale(known)
    for word, name in adoption.mapping.level_words:
        severity = scale.threshold(name)
        if (
            severity is None
            or not LOWEST <= severity <= HIGHEST
            or scale.threshold(word) is not None
            or new_name_fault(word, lowered)
        ):
            continue
        lowered[word.lower()] = severity
        known[word] = Value(str(severity), severity, Origin("file", adoption.mapping.node.place))
    return {"levels": Entries(known, body.origin)} if known else {}


def _scale(known: dict[str, Written]) -> Scale:
    return Scale({name: int(one.yaml) for name, one in known.items() if isinstance(one, Value) and one.yaml.isdigit()})


def _untold(later: list[Adopted], levels: dict[str, Written], shaped: Mapping) -> Iterator[Fault]:
    """Yield the values that would mean something else in the plan, once its placeholders are filled as the document says."""
    names = levels.get("levels")
    scale = _scale(names.entries if isinstance(names, Entries) else {})
    values = shaped.get("values")
    texts = {key.text: one for key, one in values.pairs if isinstance(one, Scalar)} if isinstance(values, Mapping) else {}
    filler = Filler(values=texts)
    for one in later:
        filled = filler.fill(Scalar(one.source, one.text, one.plain, (one.line, one.column, one.start, one.end)))
        meaning = one.meaning
        if meaning is None or (not isinstance(filled, Fault) and _same(one, filled.text, meaning(filled.text), scale)):
            continue
        text = "it comes from outside the document" if isinstance(filled, Fault) else f'it is "{filled.text[:60]}" there'
        yield Fault("untold", "a plan fills this value later, and does not know the document's words", why=text,
                    fix="give it in the plan's words with --env, or put them in by hand", place=Place(one.source.name, one.line, one.column))  # fmt: skip


def _same(one: Adopted, text: str, meant: str, scale: Scale) -> bool:
    if isinstance(one.kind, Flag):
        return typed(text) == typed(meant)
    return scale.threshold(text) == scale.threshold(meant) if isinstance(one.kind, LevelKind) else text == meant
