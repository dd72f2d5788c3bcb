"""Laying layers over a plan: who said what about each value, and who won.

Here: merging, guided by the plan's shape. Not here: placeholders (placeholders.py), types (kinds.py), reading files.
Laws: an empty layer changes nothing; a layer laid twice changes nothing more; order matters only where two speak of
one key.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from vetrina.core.base.faults import Fault, nearest
from vetrina.core.base.wording import counted
from vetrina.core.schema.containers import ListOf, MapOf, Record, child_kind
from vetrina.core.schema.held import Assignment, Layer, MergedNode
from vetrina.core.schema.kinds import Kind
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar, Source, same

Report = Callable[[Fault], None]


def merge(kind: Kind, below: MergedNode | None, layer: Layer, node: Node, key: Scalar | None = None) -> MergedNode:
    """Lay ``node`` over ``below`` and return what then holds; ``below`` may be changed and must not be used again."""
    said = [*below.said, Assignment(layer, node)] if below else [Assignment(layer, node)]
    if isinstance(node, Scalar) and node.is_null() and not kind.takes_null:
        return MergedNode(layer, node, key, said=said, gone=True)
    key = key or (below.key if below else None)
    if isinstance(node, Mapping) and isinstance(kind, Record | MapOf):
        if below is None or below.children is None or below.gone or _changes_form(kind, below, node):
            held = MergedNode(layer, node, key, {}, said=said)
        else:
            held = below
            held.said = said
        children = held.children if held.children is not None else {}
        for name_node, value in node.pairs:
            name = name_node.text
            children[name] = merge(child_kind(kind, name), children.get(name), layer, value, name_node)
        return held
    if isinstance(kind, ListOf):
        if isinstance(node, Mapping):
            return _change_list(kind, below, layer, node, key, said)
        if isinstance(node, Listing):
            return MergedNode(layer, node, key, items=[_hold(kind.item, layer, item) for item in node.items], said=said)
    return MergedNode(layer, node, key, said=said)


def _hold(kind: Kind, layer: Layer, node: Node) -> MergedNode:
    """Hold an item of a list: nothing lies below it."""
    return merge(kind, None, layer, node)


def _changes_form(kind: Kind, below: MergedNode, node: Mapping) -> bool:
    if not (isinstance(kind, Record) and kind.form_key):
        return False
    form, old = node.get(kind.form_key), below.get(kind.form_key)
    return form is not None and (old is None or not same(form, old.node))


def _change_list(
    kind: ListOf, below: MergedNode | None, layer: Layer, node: Mapping, key: Scalar | None, said: list[Assignment]
) -> MergedNode:
    items = list(below.items or []) if below and not below.gone else []
    removed, added = node.get("remove"), node.get("add")
    if isinstance(removed, Listing):
        for unwanted in removed.items:
            items = [item for item in items if not _matches(kind, item, unwanted)]
    if isinstance(added, Listing):
        items += [_hold(kind.item, layer, item) for item in added.items]
    return MergedNode(layer, node, key, items=items, said=said)


def _matches(kind: ListOf, item: MergedNode, unwanted: Node) -> bool:
    if kind.removed_by:
        wanted = unwanted.get(kind.removed_by) if isinstance(unwanted, Mapping) else unwanted
        mine = item.get(kind.removed_by)
        return isinstance(wanted, Scalar) and mine is not None and same_text(mine.node, wanted)
    return same(item.node, unwanted)


def same_text(first: Node, second: Scalar) -> bool:
    """Tell whether two scalars bear the same text, quoted or not."""
    return isinstance(first, Scalar) and first.text == second.text


class PathStep(NamedTuple):
    """One step of a `--set` path: a key, or the index of a list item where a list is; ``bracketed`` as it was written."""

    name: str
    position: int | None = None
    bracketed: bool = False

    def __str__(self) -> str:
        """Return it as it would be written."""
        return f"[{self.name}]" if self.position is not None or not self.name.isidentifier() else f".{self.name}"


def way_down(kind: Kind, held: MergedNode | None, steps: Sequence[PathStep]) -> Iterator[tuple[Kind, MergedNode | None]]:
    """Yield the kind at the end of each step of a path, and what is held there: None from where nothing is."""
    for step in steps:
        if isinstance(kind, ListOf):
            items = held.items or [] if held is not None else []
            held = items[step.position] if step.position is not None and step.position < len(items) else None
            kind = kind.item
        else:
            held = (held.children or {}).get(step.name) if held is not None else None
            kind = child_kind(kind, step.name) if not isinstance(kind, Record) or step.name in kind.keys else kind
        yield kind, held


def merge_at(
    kind: Kind, held: MergedNode, steps: Sequence[PathStep], layer: Layer, node: Node, source: Source, report: Report
) -> MergedNode:
    """Lay ``node`` at the end of a path below ``held``; report a step that the plan's shape does not have."""
    if not steps:
        shaped = kind.shape(node, report, layered=True)
        return held if shaped is None else merge(kind, held, layer, shaped, held.key)
    step, rest = steps[0], steps[1:]
    key = Scalar(source, step.name, False, (1, 1, 0, 0))
    if isinstance(kind, ListOf):
        if step.position is None or held.items is None:
            report(Fault("no-such-path", f'"{step.name[:60]}" stands where the index of a list is wanted',
                         fix="write [0] for the first item", where=source.name))  # fmt: skip
        elif not 0 <= step.position < len(held.items):
            count = len(held.items)
            report(
                Fault(
                    "no-such-path",
                    f"item [{step.position}] does not exist",
                    why=f"the list has {counted(count, 'item')}, counted from 0",
                    fix="add an item with {add: […]}" if not count else f"use an index from 0 to {count - 1}",
                    where=source.name,
                )
            )
        else:
            _lay_item(kind, held.items, step.position, rest, layer, node, source, report)
            held.said = [*held.said, Assignment(layer, node)]
        return held
    known = kind.known() if isinstance(kind, Record) else None
    if not isinstance(kind, Record | MapOf) or (known is not None and step.name not in known):
        close = nearest(step.name, known or [])
        report(
            Fault(
                "no-such-path",
                f'there is no "{step.name}" at this place of a plan',
                fix=f'did you mean "{close[0]}"?' if close else _known_words(known),
                where=source.name,
            )
        )
        return held
    if held.children is None:
        held = MergedNode(layer, Mapping(source, [], (1, 1, 0, 0)), held.key, {}, said=held.said)
    assert held.children is not None  # noqa: S101  (made so two lines above)
    below = held.children.get(step.name)
    child = child_kind(kind, step.name)
    if below is None or below.gone:
        earlier = below.said if below else []
        empty: Node = Listing(source, [], (1, 1, 0, 0)) if isinstance(child, ListOf) else Mapping(source, [], (1, 1, 0, 0))
        below = MergedNode(layer, empty, key, said=list(earlier), gone=not rest)
        if rest and isinstance(child, ListOf):
            below.items = []
    held.children[step.name] = merge_at(child, below, rest, layer, node, source, report)
    return held


def _lay_item(
    kind: ListOf,
    items: list[MergedNode],
    at: int,
    rest: Sequence[PathStep],
    layer: Layer,
    node: Node,
    source: Source,
    report: Report,
) -> None:
    """Lay ``node`` on or below an item of a list. Inside lists nothing is merged: on the item itself it takes its place."""
    if rest:
        items[at] = merge_at(kind.item, items[at], rest, layer, node, source, report)
        return
    if isinstance(node, Scalar) and node.is_null() and not kind.item.takes_null:
        items.pop(at)
        return
    shaped = kind.item.shape(node, report, layered=False)
    if shaped is not None:
        below = items[at]
        items[at] = merge(kind.item, None, layer, shaped)
        items[at].said = [*below.said, Assignment(layer, shaped)]


def _known_words(known: list[str] | None) -> str:
    return "known here: " + ", ".join(known) if known else "a single value has nothing below it"
