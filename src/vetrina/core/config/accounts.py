"""What was read of a plan's sources, and what no value in force uses."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from vetrina.core.base.faults import Place, nearest
from vetrina.core.config.grammar import PLAN
from vetrina.core.config.merging import merge
from vetrina.core.config.placeholders import names_used
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.loggers import Tree
from vetrina.core.schema.held import Layer, MergedNode
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar

_TYPO = 0.87


class SourceAccount(Struct, frozen=True):
    """One source that was read: how many values it set, and how many of them are in force."""

    kind: str
    name: str
    set_values: int
    in_force: int
    remark: str = ""


class Unused(Struct, frozen=True):
    """Something that no effective value uses."""

    kind: str
    name: str
    place: Place | None
    remark: str = ""


def leaves(held: MergedNode) -> Iterator[MergedNode]:
    """Yield the values of a held plan that are in force: scalars and lists."""
    waiting = [held]
    while waiting:
        one = waiting.pop()
        if one.gone:
            continue
        if one.children is None:
            yield one
        else:
            waiting += one.children.values()


def _count_leaves(node: Node) -> int:
    if not isinstance(node, Mapping) or not node.pairs:
        return 1
    if {key.text for key, _ in node.pairs} <= {"add", "remove"}:
        return 1
    return sum(_count_leaves(value) for _, value in node.pairs)


def sources(found: ResolvedPlan) -> list[SourceAccount]:
    """Return an account of every source that was read, in the order of precedence."""
    alive: dict[Layer, int] = {}
    for leaf in leaves(found.held):
        layers = (
            {said.layer for said in leaf.said} if leaf.items is not None and isinstance(leaf.node, Mapping) else {leaf.layer}
        )
        for layer in layers:
            alive[layer] = alive.get(layer, 0) + 1
    spoken: dict[Layer, int] = {}
    order: list[Layer] = []
    for layer, node in found.layers:
        order.append(layer)
        spoken[layer] = _count_leaves(node) if node is not None and node.pairs else 0
    accounts = []
    kinds = {"file": "plan", "stage": "stage", "layer": "layer file", "option": "option"}
    for layer in order:
        living, said = min(alive.get(layer, 0), spoken[layer]), spoken[layer]
        remark = ""
        if not said:
            remark = "says nothing"
        elif not living and layer.kind != "file":
            remark = "none of it is in force: " + ("it only removes" if _only_removes(found, layer) else "others overrule it")
        accounts.append(SourceAccount(kinds[layer.kind], layer.label, said, living, remark))
    return accounts + _outside(found)


def _only_removes(found: ResolvedPlan, layer: Layer) -> bool:
    node = next((node for one, node in found.layers if one == layer), None)

    def nulls(node: Node) -> bool:
        if isinstance(node, Mapping):
            return all(nulls(value) for _, value in node.pairs)
        return isinstance(node, Scalar) and node.is_null()

    return node is not None and nulls(node)


def _outside(found: ResolvedPlan) -> list[SourceAccount]:
    used = names_in_use(found)
    accounts = []
    files: dict[str, list[str]] = {name: [] for name in found.overrides.env_file_names}
    for name, given in found.overrides.env_file.items():
        files.setdefault(given.place.file if given.place else given.where, []).append(name)
    for file, names in files.items():
        wanted = sum(1 for name in names if name in used and name not in found.overrides.env)
        remark = "" if wanted or not names else "no placeholder asks for any of them"
        accounts.append(SourceAccount("env file", file, len(names), wanted, remark or ("" if names else "says nothing")))
    for name in found.overrides.env:
        wanted = int(name in used)
        accounts.append(SourceAccount("option", f"--env {name}", 1, wanted, "" if wanted else "no placeholder asks for it"))
    return accounts


def changes_nothing(found: ResolvedPlan) -> list[tuple[Layer, Place | None]]:
    """Return the stages and layer files that were asked for and without which the plan in force would be the same."""
    idle: list[tuple[Layer, Place | None]] = []
    for layer, node in found.layers:
        if layer.kind not in {"stage", "layer"}:
            continue
        others = [(one, said) for one, said in found.layers if one is not layer and one.kind != "option"]
        if node is None or _meaning(_relaid(others)) == _meaning(
            _relaid([one for one in found.layers if one[0].kind != "option"])
        ):
            idle.append((layer, node.place if node is not None else Place(layer.label, 1, 1)))
    return idle


def _relaid(layers: list[tuple[Layer, Mapping | None]]) -> MergedNode | None:
    held: MergedNode | None = None
    for layer, node in layers:
        if node is not None:
            held = merge(PLAN, held, layer, node)
    return held


def _meaning(held: MergedNode | None) -> object:
    """Return what a held plan says, without who said it."""
    if held is None or held.gone:
        return None
    if held.children is not None:
        return {name: _meaning(child) for name, child in held.living()}
    if held.items is not None:
        return [_meaning(item) for item in held.items]
    return (held.node.text, held.node.plain) if isinstance(held.node, Scalar) else repr(held.node)


def names_in_use(found: ResolvedPlan) -> set[str]:
    """Return the names that placeholders in force ask for, through values as well."""
    values = found.held.get("values")
    texts = {name: child.node for name, child in values.living()} if values else {}
    waiting: list[str] = []
    for name, child in found.held.living():
        if name != "values":
            for node in _nodes_in_force(child):
                waiting += _asked_in(node)
    used: set[str] = set()
    while waiting:
        name = waiting.pop()
        if name not in used:
            used.add(name)
            if name in texts:
                waiting += _asked_in(texts[name])
    return used


def _nodes_in_force(held: MergedNode) -> Iterator[Node]:
    for leaf in leaves(held):
        if leaf.items is None:
            yield leaf.node
        for item in leaf.items or ():
            yield from _nodes_in_force(item)


def _asked_in(node: Node) -> list[str]:
    if isinstance(node, Scalar):
        return names_used(node.text)
    inside = node.items if isinstance(node, Listing) else [value for _, value in node.pairs]
    return [name for one in inside for name in _asked_in(one)]


def unused(found: ResolvedPlan) -> list[Unused]:
    """Return what no effective value uses: values, templates, appenders, stages' stray entries, idle layers, given names."""
    plan = found.plan
    nothing: list[Unused] = []
    used = names_in_use(found)
    values = found.held.get("values")
    for name, child in values.living() if values else ():
        if name not in used:
            nothing.append(
                Unused("value", name, child.key_place, _near(name, used - set(values.children or {})) if values else "")
            )
    wanted = {one.template.name for one in plan.appenders.values()}
    nothing += [Unused("template", name, plan.template_origins[name].place) for name in plan.templates if name not in wanted]
    tree = Tree(plan)
    attached = {one.appender for entry in tree.entries.values() for one in entry.to}
    nothing += [
        Unused("appender", name, one.origin.place, "attached to no logger")
        for name, one in plan.appenders.items()
        if name not in attached
    ]
    nothing += stray_entries(found)
    for name, given in found.overrides.env_file.items():
        if name not in used:
            nothing.append(Unused("value of an env file", name, given.place, "no placeholder asks for it"))
    for account in sources(found):
        if account.remark:
            nothing.append(Unused(account.kind, account.name, None, account.remark))
    return nothing


def _near(name: str, overrides: set[str]) -> str:
    close = nearest(name, sorted(overrides), cutoff=_TYPO)
    return f"a placeholder asks for {close[0]}" if close else ""


def stray_entries(found: ResolvedPlan) -> list[Unused]:
    """Return the entries of stages and layer files that name no logger or appender of the plan itself: likely typos."""
    base = {section: _names(found.shaped.get(section)) for section in ("loggers", "appenders", "templates")}
    found_here: list[Unused] = []
    stages = found.shaped.get("stages")
    layers = [(f"stage {key.text}", node) for key, node in stages.pairs] if isinstance(stages, Mapping) else []
    layers += [
        (f"layer file {layer.label}", node) for layer, node in found.layers if layer.kind == "layer" and node is not None
    ]
    for label, node in layers:
        for section, known in base.items():
            entries = node.get(section) if isinstance(node, Mapping) else None
            for key, _ in entries.pairs if isinstance(entries, Mapping) else ():
                if key.text not in known and key.text != "root":
                    close = nearest(key.text, known, cutoff=_TYPO)
                    remark = f"the plan itself has no such {section[:-1]}" + (f"; did you mean {close[0]}?" if close else "")
                    found_here.append(Unused(f"{section[:-1]} in {label}", key.text, key.place, remark))
    return found_here


def _names(node: Node | None) -> list[str]:
    return [key.text for key, _ in node.pairs] if isinstance(node, Mapping) else []
