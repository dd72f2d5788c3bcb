"""A change written into a plan's text: new text spliced in at the place of the old, every other byte kept.

Here: where a value is decided, and the text that takes its place. Not here: files and locks (formats/), asking
(commands/). The value goes where it is decided today (the plan, a stage in it, or a layer file), unless a target is
given. A value that a placeholder or a shared alias decides is refused.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence

from vetrina.core.base.faults import Place, Refused, refuse
from vetrina.core.base.logger_names import tree_name
from vetrina.core.config.dump import yaml_text
from vetrina.core.config.grammar import PLAN, PLAN_FILE
from vetrina.core.config.merging import PathStep, way_down
from vetrina.core.config.placeholders import typed
from vetrina.core.config.resolution import ResolvedPlan, SetOption
from vetrina.core.config.splices import Splice, Target
from vetrina.core.schema.containers import ListOf, MapOf, Record, child_kind
from vetrina.core.schema.kinds import Kind
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar

_PLAIN = re.compile(r"[A-Za-z0-9_./]+(?: ?[A-Za-z0-9_./%+-]+)*")
"""Words that stand without quotes everywhere in YAML."""


def splice(found: ResolvedPlan, edit: SetOption, target: Target | None = None) -> Splice:
    """Return the splice that writes one value into the text that decides it; raise Refused where none would do."""
    steps = _steps(edit.steps)
    where = target or _decider(found, steps)
    if found.adoption is not None and where.kind != "layer":
        from vetrina.core.config.document_splicing import splice_document  # noqa: PLC0415  (most changes are of plans)

        return splice_document(found, edit, steps, where)
    document, name = _document(found, where)
    if where.kind == "stage":
        steps = (PathStep("stages"), PathStep(where.label), *steps)
    writer = _Writer(found, edit, where, name, document)
    return writer.write(steps)


def _steps(steps: Sequence[PathStep]) -> tuple[PathStep, ...]:
    if len(steps) > 1 and steps[0].name == "loggers":
        return (steps[0], PathStep(tree_name(steps[1].name)), *steps[2:])
    return tuple(steps)


def _decider(found: ResolvedPlan, steps: Sequence[PathStep]) -> Target:
    """Return which layer decides what stands at a path: that of the value itself, else of what is nearest above it."""
    layer = None
    for _, there in way_down(PLAN, found.held, steps):
        layer = there.layer if there is not None else layer
    if layer is None or layer.kind not in {"stage", "layer"}:
        return Target("file", found.plan.name)
    return Target(layer.kind, layer.label)


def _document(found: ResolvedPlan, target: Target) -> tuple[Mapping, str]:
    if target.kind != "layer":
        return found.document, found.plan.name
    for one in found.overrides.layers:
        if one.name == target.label and isinstance(one.node, Mapping):
            return one.node, one.name
    raise refuse(f"{target.label} is not among the layers in force", fix=f"give it with --with {target.label}", where="--into")


class _Writer:
    """Finds the spot of one value in one document and makes the text for it."""

    def __init__(self, found: ResolvedPlan, edit: SetOption, target: Target, name: str, document: Mapping) -> None:
        self.found, self.edit, self.target, self.name, self.document = found, edit, target, name, document
        self.text = document.source.text
        self.as_json = self.text.lstrip()[:1] == "{"
        self.newline = "\r\n" if "\r\n" in self.text else "\n"
        self.path: list[str] = []

    def write(self, steps: Sequence[PathStep]) -> Splice:
        return self._at(PLAN_FILE, self.document, None, steps)

    def _refuse(self, what: str, why: str, fix: str, node: Node | None = None) -> Refused:
        place = node.place if node is not None else None
        return refuse(what, why, fix, place=place, where="" if place else self.edit.source.name)

    def _splice(self, start: int, end: int, text: str) -> Splice:
        return Splice(self.name, start, end, text, self.target)

    def _at(self, kind: Kind, node: Node, key: Scalar | None, steps: Sequence[PathStep]) -> Splice:
        """Write at ``steps`` below ``node``, which has ``kind``."""
        if node.aliased:
            raise self._aliased(node)
        if not steps:
            return self._replace(kind, node, key)
        step, rest = steps[0], steps[1:]
        if isinstance(node, Scalar) and not node.is_null():
            return self._short(kind, node, steps)
        if isinstance(node, Scalar):
            start = node.start if node.text or not key else self._after_colon(key)
            gap = "" if node.text or self.text[start - 1 : start].isspace() else " "
            return self._splice(start, node.end if node.text else start, gap + self._nested(steps))
        if isinstance(node, Listing):
            if step.position is None or step.position >= len(node.items):
                raise self._refuse(
                    f'item "{step}" is not in this list', f"it has {len(node.items)} items", "set the whole list", node
                )
            item = node.items[step.position]
            return self._at(kind.item if isinstance(kind, ListOf) else kind, item, None, rest)
        if isinstance(kind, ListOf):
            raise self._refuse(
                "this list is changed here by {remove, add}", "its items stand in another layer", "set the whole list", node
            )
        child = next(((one, value) for one, value in node.pairs if root_or_name(one.text, self.path) == step.name), None)
        self.path.append(step.name)
        if child is None:
            return self._add(kind, node, steps)
        return self._at(child_kind(kind, step.name), child[1], child[0], rest)

    def _aliased(self, node: Node) -> Refused:
        others = [str(place) for place in _uses(self.document, node)]
        return self._refuse(
            "this value is shared by an alias", f"it is also used at {', '.join(others[:4])}",
            "write the value out where the alias stands, then apply again", node,
        )  # fmt: skip

    def _after_colon(self, key: Scalar) -> int:
        return self.text.index(":", key.end) + 1

    def _replace(self, kind: Kind, node: Node, key: Scalar | None) -> Splice:
        """Put the new value in place of a whole old one."""
        new = self.edit.node
        for one in _scalars(node):
            if "${" in one.text.replace("$${", ""):
                name = one.text[one.text.index("${") + 2 :].split("}")[0].split(":-")[0]
                raise self._refuse(
                    f"a placeholder decides this value: {one.text[:60]}", f"the value comes from {name}, not from this line",
                    f"give --env {name}=…, change values.{name}, or edit the line by hand", one,
                )  # fmt: skip
        shared = next((one for one in _nodes(node) if one.aliased), None)
        if shared is not None:
            raise self._aliased(shared)
        if isinstance(kind, ListOf) and isinstance(new, Mapping):
            return self._change_list(kind, node, new)
        if isinstance(node, Scalar) and not node.text and node.plain and key is not None:
            start = self._after_colon(key)
            return self._splice(start, start, " " + self._render(new, within_flow=False))
        if isinstance(node, Listing) and not node.flow and key is not None and node.column <= key.column:
            return self._in_place_of_list(node, key)
        within = not _is_block(node, self.text) or self.as_json
        return self._splice(
            node.start, _end(node), self._render(new, within_flow=within or not isinstance(node, Scalar), old=node)
        )

    def _in_place_of_list(self, node: Listing, key: Scalar) -> Splice:
        """Put the new value behind its key, and take the list's lines away: they begin no further right than the key."""
        colon = self._after_colon(key)
        before = self.text.rfind("\n", 0, node.start)
        before -= self.text[before - 1 : before] == "\r"
        return self._joined([(colon, colon, " " + self._render(self.edit.node, within_flow=True)), (before, _end(node), "")])

    def _change_list(self, kind: ListOf, node: Node, change: Mapping) -> Splice:
        """Work `{remove, add}` into a list that stands here, item by item; the change of another layer's list is kept as one."""
        if isinstance(node, Mapping):
            return self._splice(node.start, _end(node), self._render(change, within_flow=True))
        unwanted = [_by(kind, one) for one in _some(change.get("remove"))]
        new = [self._render(one, within_flow=True) for one in _some(change.get("add"))]
        items: list[Node] = node.items if isinstance(node, Listing) else [node]
        kept = [one for one in items if _by(kind, one) not in unwanted]
        if not kept or not isinstance(node, Listing):
            texts = [self.text[one.start : _end(one)] for one in kept]
            return self._splice(node.start, _end(node), f"[{', '.join([*texts, *new])}]")
        last = items.index(kept[-1])
        cuts = [self._cut(node, at) for at, one in enumerate(items[:last]) if one not in kept]
        end = _end(kept[-1])
        if last + 1 < len(items):
            gone = _end(items[-1])
            cuts.append((end, gone, "") if node.flow else (self._line_end(end), self._line_end(gone), ""))
        if node.flow:
            cuts.append((end, end, "".join(f", {text}" for text in new)))
        else:
            begun = self.text.rfind("\n", 0, kept[-1].start) + 1
            indent = self.text[begun : self.text.index("-", begun) + 1]
            line_end = self._line_end(end)
            cuts.append((line_end, line_end, "".join(f"{self.newline}{indent} {text}" for text in new)))
        return self._joined(cuts)

    def _cut(self, node: Listing, at: int) -> tuple[int, int, str]:
        """Return the stretch of an item that others follow: in a flow list with its comma, in a block list with its lines."""
        item, after = node.items[at], node.items[at + 1]
        if node.flow:
            return item.start, after.start, ""
        return self.text.rfind("\n", 0, item.start) + 1, self.text.rfind("\n", 0, after.start) + 1, ""

    def _line_end(self, at: int) -> int:
        end = self.text.find("\n", at)
        return len(self.text) if end < 0 else end - (self.text[end - 1 : end] == "\r")

    def _joined(self, cuts: list[tuple[int, int, str]]) -> Splice:
        """Return one splice for several stretches; what stands between them stays."""
        cuts.sort()
        start, end = cuts[0][0], max(last for _, last, _ in cuts)
        text, at = "", start
        for begun, last, new in cuts:
            text += self.text[at : max(at, begun)] + new
            at = max(at, last)
        return self._splice(start, end, text)

    def _short(self, kind: Kind, node: Scalar, steps: Sequence[PathStep]) -> Splice:
        """Write below a value that is a short form: it stands for its key, or becomes a mapping with one more."""
        if isinstance(kind, ListOf) and steps[0].position == 0:
            return self._at(kind.item, node, None, steps[1:])
        if not isinstance(kind, Record) or not kind.short:
            raise self._refuse(f'there is nothing below "{node.text[:40]}"', "", "set the value itself", node)
        if steps[0].name == kind.short and len(steps) == 1:
            return self._replace(kind.keys[kind.short].kind, node, None)
        own = self.text[node.start : node.end]
        if "${" in own and own[:1] not in {"'", '"'}:
            own = json.dumps(own)
        implied = "".join(f"{name}: {text}, " for name, text in kind.implied)
        return self._splice(node.start, node.end, f"{{{implied}{kind.short}: {own}, {self._nested(steps)[1:-1]}}}")

    def _add(self, kind: Kind, node: Mapping, steps: Sequence[PathStep]) -> Splice:
        """Add an entry to a mapping, in the style of those that are there."""
        flow = node.flow or self.as_json
        if not node.pairs:
            return self._splice(node.start, node.end, self._nested(steps))
        last_key, last = node.pairs[-1]
        end = max(_end(last), last_key.end)
        if flow:
            key, value = self._entry(kind, node, steps, within_flow=True)
            own_line = "\n" in self.text[node.start : last_key.start]
            gap = self.newline + " " * (last_key.column - 1) if own_line else " "
            return self._splice(end, end, f",{gap}{key}: {value}")
        if isinstance(last, Scalar) and not last.text:
            end = self._after_colon(last_key)
        at = self._line_end(end)
        key, value = self._entry(kind, node, steps, within_flow=False)
        gap = "" if value.startswith(("\r", "\n")) else " "
        return self._splice(at, at, f"{self.newline}{' ' * (last_key.column - 1)}{key}:{gap}{value}")

    def _entry(self, kind: Kind, node: Mapping, steps: Sequence[PathStep], *, within_flow: bool) -> tuple[str, str]:
        key = self._key(steps[0].name)
        rest = steps[1:]
        below = child_kind(kind, steps[0].name)
        shorts = any(isinstance(value, Scalar) for _, value in node.pairs)
        short = isinstance(below, Record) and below.short and len(rest) == 1 and rest[0].name == below.short and shorts
        if short or not rest:
            return key, self._render(self.edit.node, within_flow=within_flow)
        is_section = node is self.document and not within_flow and isinstance(below, MapOf)
        if is_section and len(rest) > 1:
            inner = self._nested(rest[1:])
            return key, f"{self.newline}  {self._key(rest[0].name)}: {inner}"
        return key, self._nested(rest)

    def _nested(self, steps: Sequence[PathStep]) -> str:
        """Return the mapping that holds the value at the end of some steps."""
        text = self._render(self.edit.node, within_flow=True)
        for step in reversed(steps):
            if step.position is not None and step.name == str(step.position):
                raise self._refuse(
                    f"there is no item [{step.position}] here", "the list is not there yet", "set the whole list"
                )
            text = f"{{{self._key(step.name)}: {text}}}"
        return text

    def _key(self, name: str) -> str:
        return json.dumps(name, ensure_ascii=False) if self.as_json else yaml_text(name)

    def _render(self, node: Node, *, within_flow: bool, old: Node | None = None) -> str:
        """Return a value as text: JSON in a JSON plan, else YAML, quoted as the old value was."""
        if isinstance(node, Mapping):
            return (
                "{"
                + ", ".join(f"{self._key(key.text)}: {self._render(value, within_flow=True)}" for key, value in node.pairs)
                + "}"
            )
        if isinstance(node, Listing):
            return "[" + ", ".join(self._render(item, within_flow=True) for item in node.items) + "]"
        value = typed(node.text) if node.plain else node.text
        if not isinstance(value, str):
            return json.dumps(value) if self.as_json else node.text or "null"
        if self.as_json:
            return json.dumps(value, ensure_ascii=False)
        quote = self.text[old.start : old.start + 1] if isinstance(old, Scalar) else ""
        if quote == '"':
            return json.dumps(value, ensure_ascii=False)
        if quote == "'" and value.isprintable():
            return "'" + value.replace("'", "''") + "'"
        if node.plain and not within_flow and "${" in value and value.isprintable():
            return value
        if node.plain and _PLAIN.fullmatch(value):
            return value
        return yaml_text(value)


def root_or_name(name: str, path: Sequence[str]) -> str:
    """Return a key as a step names it: under `loggers` the empty name is root."""
    return tree_name(name) if path and path[-1] == "loggers" else name


def _by(kind: ListOf, node: Node) -> str:
    """Return what an item of a list is told by."""
    if kind.removed_by and isinstance(node, Mapping):
        named = node.get(kind.removed_by)
        return named.text if isinstance(named, Scalar) else ""
    return node.text if isinstance(node, Scalar) else repr(_plain(node))


def _some(node: Node | None) -> list[Node]:
    """Return the items of a list, or the one value that stands for a list."""
    return node.items if isinstance(node, Listing) else [] if node is None else [node]


def _plain(node: Node) -> object:
    if isinstance(node, Mapping):
        return {key.text: _plain(value) for key, value in node.pairs}
    if isinstance(node, Listing):
        return [_plain(item) for item in node.items]
    return (node.text, node.plain)


def _is_block(node: Node, text: str) -> bool:
    """Tell whether a node is a block scalar, list or mapping: it has lines of its own."""
    if isinstance(node, Scalar):
        return text[node.start : node.start + 1] in {"|", ">"}
    return not node.flow


def _end(node: Node) -> int:
    """Return where a node's own text ends: a block ends with the last thing in it."""
    if isinstance(node, Mapping) and not node.flow and node.pairs:
        key, value = node.pairs[-1]
        return max(key.end, _end(value))
    if isinstance(node, Listing) and not node.flow and node.items:
        return _end(node.items[-1])
    if isinstance(node, Scalar) and node.source.text[node.start : node.start + 1] in {"|", ">"}:
        return node.start + len(node.source.text[node.start : node.end].rstrip())
    return node.end


def _nodes(node: Node) -> Iterator[Node]:
    yield node
    inner = [value for _, value in node.pairs] if isinstance(node, Mapping) else node.items if isinstance(node, Listing) else []
    for one in inner:
        yield from _nodes(one)


def _scalars(node: Node) -> Iterator[Scalar]:
    return (one for one in _nodes(node) if isinstance(one, Scalar))


def _uses(document: Node, wanted: Node) -> Iterator[Place]:
    """Yield the places of the keys under which a shared node is used."""
    if isinstance(document, Mapping):
        for key, value in document.pairs:
            if value is wanted:
                yield key.place
            else:
                yield from _uses(value, wanted)
    elif isinstance(document, Listing):
        for item in document.items:
            if item is wanted:
                yield document.place
            else:
                yield from _uses(item, wanted)
