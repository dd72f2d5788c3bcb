"""Which configuration is in force: the plan's layers put together, and every stage tried by itself.

Here: the order of precedence, the path of a `--set`, and what all layers say. Not here: reading files and options
into nodes (formats/plans.py).
"""

from __future__ import annotations

import json
import re
from typing import TYPE_CHECKING, NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Fault, Refused, nearest, offer
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.secrets import fold_name
from vetrina.core.config.build_plan import build
from vetrina.core.config.grammar import PLAN, PLAN_FILE, VERSION
from vetrina.core.config.merging import PathStep, merge, merge_at
from vetrina.core.config.placeholders import Filler, Given, typed
from vetrina.core.plan.model import Plan
from vetrina.core.schema.containers import MapOf, Record
from vetrina.core.schema.held import Layer, MergedNode
from vetrina.core.schema.nodes import Mapping, Node, Scalar, Source, kind_of, synthetic
from vetrina.core.sink_kinds.kind import full_path

if TYPE_CHECKING:
    from vetrina.core.documents.adopted import Adoption  # most calls read no document

Report = list[Fault]


class LayerFile(NamedTuple):
    """A partial plan from `--with`: its name and its document (None when it is empty)."""

    name: str
    node: Node | None


class SetOption(NamedTuple):
    """A `--set`: where the path leads, and the value's node."""

    text: str
    steps: tuple[PathStep, ...]
    node: Node
    source: Source


class TuneOption(NamedTuple):
    """A `--tune`: a logger and its new level, as written."""

    text: str
    logger: str
    level: str
    source: Source


class Overrides(Struct, frozen=True):
    """What a call asks for besides the plan itself."""

    stages: tuple[str, ...] = ()
    layers: tuple[LayerFile, ...] = ()
    sets: tuple[SetOption, ...] = ()
    tunes: tuple[TuneOption, ...] = ()
    env: dict[str, Given] = field(default_factory=dict)
    env_file: dict[str, Given] = field(default_factory=dict)
    env_file_names: tuple[str, ...] = ()
    environment: dict[str, str] = field(default_factory=dict)

    def change_plan(self) -> bool:
        """Tell whether anything here changes what the plan says by itself."""
        return bool(self.stages or self.layers or self.sets or self.tunes)

    def words(self) -> str:
        """Return the options that change what the plan says, for a heading."""
        parts = [*(f"--stage {name}" for name in self.stages), *(f"--with {layer.name}" for layer in self.layers)]
        return " ".join([*parts, *(one.text for one in self.sets), *(one.text for one in self.tunes)])

    def bare(self) -> Overrides:
        """Return the same without anything that changes the plan."""
        return replace(self, stages=(), layers=(), sets=(), tunes=())


class ResolvedPlan(Struct):
    """A plan in force with all that it was made of; ``adoption`` is there where a document in another format gave it."""

    plan: Plan
    held: MergedNode
    filler: Filler
    document: Mapping
    overrides: Overrides
    folder: str
    shaped: Mapping
    layers: list[tuple[Layer, Mapping | None]]
    adoption: Adoption | None = None

    @property
    def full_folder(self) -> str:
        """Return the folder that relative sink paths start from."""
        workdir = self.plan.workdir
        return full_path(workdir, self.folder)

    def stage_names(self) -> list[str]:
        """Return the names of the plan's stages."""
        return _stage_names(self.shaped)

    def bare_plan(self) -> Plan | None:
        """Return the plan without stages, layers, --set and --tune; None where it has faults by itself."""
        bare = self.overrides.bare()
        held = merge(PLAN, None, Layer("file", self.plan.name), _without_stages(self.shaped))
        return build(held, filler_for(held, bare), self.plan.name, self.folder)[0]


_PATH_STEP = re.compile(r"""\.?([^.\[\]=]+)|\[("(?:[^"\\]|\\.)*"|'[^']*'|[^\]"']*)\]""")


def parse_path(text: str) -> tuple[tuple[PathStep, ...], str]:
    """Return the steps of a path and what follows it (from `=` on); raise NotUnderstood for no path."""
    steps: list[PathStep] = []
    position = 0
    while position < len(text) and text[position] != "=":
        found = _PATH_STEP.match(text, position)
        if not found or (position == 0 and found.group(0).startswith(".")):
            raise NotUnderstood(f'"{text[position : position + 20]}" is no step of a path')
        word = found.group(1)
        if word is None:
            inside = found.group(2)
            if inside[:1] == '"':
                try:
                    steps.append(PathStep(str(json.loads(inside)), None, bracketed=True))
                except ValueError:
                    raise NotUnderstood(f"{inside[:40]} is not a text with JSON escapes") from None
            elif inside[:1] == "'":
                steps.append(PathStep(inside[1:-1], None, bracketed=True))
            else:
                digits = inside.isascii() and inside.isdigit() and len(inside) < 10
                steps.append(PathStep(inside, int(inside) if digits else None, bracketed=True))
        else:
            steps.append(PathStep(word.strip()))
        position = found.end()
    if not steps:
        raise NotUnderstood("the path is empty")
    return tuple(steps), text[position:]


def resolve(
    document: Node | None,
    name: str,
    folder: str,
    overrides: Overrides,
    told: Report | None = None,
    adoption: Adoption | None = None,
) -> ResolvedPlan:
    """Return the plan in force; raise Refused with every fault of every layer and stage, in one go.

    ``told`` are faults found while reading the documents. ``folder`` is where relative sink paths start. ``adoption`` says
    how a document in another format became ``document``.
    """
    faults: Report = list(told or [])
    shaped = _shape_plan(document, name, faults)
    layer_nodes = [(layer, _shape_layer(layer, faults)) for layer in overrides.layers]
    for stage in overrides.stages:
        if _stage(shaped, stage) is None:
            names = _stage_names(shaped)
            fix = offer(stage, names) if names else "the plan has no stages"
            faults.append(Fault("unknown-stage", f'no stage is called "{stage}"', why="", fix=fix, where=f"--stage {stage}"))
    spoken: list[tuple[Layer, Mapping | None]] = []
    held = _hold(shaped, overrides, layer_nodes, name, faults, spoken)
    filler = filler_for(held, overrides)
    plan, meaning = build(held, filler, name, folder)
    faults += meaning
    faults += _try_stages(shaped, overrides, name, folder, tried=overrides.stages if not overrides.layers else ())
    if faults or plan is None:
        raise Refused(faults if adoption is None else [_with_look_up(fault, adoption) for fault in faults])
    assert isinstance(document, Mapping)  # noqa: S101  (anything else was refused above)
    return ResolvedPlan(plan, held, filler, document, overrides, folder, shaped, spoken, adoption)


def _with_look_up(fault: Fault, adoption: Adoption) -> Fault:
    """Return a fault of a document's value with the place of the look-up that found it; no ready edit fits there."""
    look_up = adoption.look_up_at(fault.place) if fault.place is not None else None
    if look_up is None:
        return fault
    return replace(fault, related=((look_up, "the look-up in the mapping"), *fault.related), swap=None)


def _shape_plan(document: Node | None, name: str, faults: Report) -> Mapping:
    if not isinstance(document, Mapping):
        what = "the file is empty" if document is None else f"a plan is a mapping, and this is {kind_of(document)}"
        fault = Fault("unreadable", what, fix="begin with vetrina: 1", place=document.place if document else None,
                      where="" if document else name)  # fmt: skip
        raise Refused([*faults, fault])
    _check_version(document, faults, required=True)
    shaped = PLAN_FILE.shape(document, faults.append, layered=True)
    assert isinstance(shaped, Mapping)  # noqa: S101  (a mapping stays one)
    for _, stage in _stages(shaped):
        if isinstance(stage, Mapping):
            _check_version(stage, faults, required=False)
    return shaped


def _shape_layer(layer: LayerFile, faults: Report) -> Mapping | None:
    if layer.node is None:
        return None
    if not isinstance(layer.node, Mapping):
        faults.append(Fault("wrong-type", f"a layer is a mapping like a plan, and this is {kind_of(layer.node)}",
                            place=layer.node.place))  # fmt: skip
        return None
    _check_version(layer.node, faults, required=False)
    shaped = PLAN.shape(layer.node, faults.append, layered=True)
    return shaped if isinstance(shaped, Mapping) else None


def _check_version(node: Mapping, faults: Report, *, required: bool) -> None:
    version = node.get("vetrina")
    if version is None:
        if required:
            faults.append(Fault("missing-key", '"vetrina" is missing', why="the plan's first line says which format it is in",
                                fix=f"begin with vetrina: {VERSION}, or read another format through a mapping (--by)", place=node.place))  # fmt: skip
    elif not isinstance(version, Scalar) or (typed(version.text) if version.plain else version.text) != VERSION:
        faults.append(Fault("wrong-version", f"format version {kind_of(version)} is not known", why="this program reads version 1",
                            fix=f"write vetrina: {VERSION}", place=version.place))  # fmt: skip


def _stages(shaped: Mapping) -> list[tuple[str, Node]]:
    stages = shaped.get("stages")
    return [(key.text, value) for key, value in stages.pairs] if isinstance(stages, Mapping) else []


def _stage_names(shaped: Mapping) -> list[str]:
    return [name for name, _ in _stages(shaped)]


def _stage(shaped: Mapping, wanted: str) -> Node | None:
    return next((node for name, node in _stages(shaped) if name == wanted), None)


def _without_stages(shaped: Mapping) -> Mapping:
    pairs = [(key, value) for key, value in shaped.pairs if key.text != "stages"]
    return Mapping(shaped.source, pairs, (shaped.line, shaped.column, shaped.start, shaped.end))


def _hold(
    shaped: Mapping,
    overrides: Overrides,
    layers: list[tuple[LayerFile, Mapping | None]],
    name: str,
    faults: Report,
    spoken: list[tuple[Layer, Mapping | None]],
) -> MergedNode:
    """Lay everything that was asked for over the plan; ``spoken`` takes every layer with what it says."""
    base = _without_stages(shaped)
    spoken.append((Layer("file", name), base))
    held = merge(PLAN, None, Layer("file", name), base)
    for stage in overrides.stages:
        node = _stage(shaped, stage)
        if isinstance(node, Mapping):
            spoken.append((Layer("stage", stage), node))
            held = merge(PLAN, held, Layer("stage", stage), node)
    for layer, node in layers:
        spoken.append((Layer("layer", layer.name), node))
        if node is not None:
            held = merge(PLAN, held, Layer("layer", layer.name), node)
    for one in overrides.sets:
        said = Mapping(one.source, [(synthetic(one.source, "set"), one.node)], (1, 1, 0, 0))
        spoken.append((Layer("option", one.text), said))
        held = _set(held, one, faults)
    for tune in overrides.tunes:
        spoken.append((Layer("option", tune.text), _tune_node(tune)))
        held = merge(PLAN, held, Layer("option", tune.text), _tune_node(tune))
    return held


def _set(held: MergedNode, one: SetOption, faults: Report) -> MergedNode:
    first = one.steps[0].name
    if first in {"stages", "vetrina"}:
        faults.append(Fault("no-such-path", f'"{first}" cannot be set', why="stages are chosen with --stage" if first == "stages" else "",
                            where=one.source.name))  # fmt: skip
        return held
    steps = one.steps
    if first == "loggers" and len(steps) > 1:
        steps = (steps[0], steps[1]._replace(name=tree_name(steps[1].name)), *steps[2:])
    if (dotted := _dotted_name(held, steps)) is not None:
        faults.append(replace(dotted, where=one.source.name))
        return held
    return merge_at(PLAN, held, steps, Layer("option", one.text), one.node, one.source, faults.append)


def _dotted_name(held: MergedNode, steps: tuple[PathStep, ...]) -> Fault | None:
    """Return the fault of a path whose name with dots stands without brackets, None for any other path."""
    kind = PLAN.keys[steps[0].name].kind if steps[0].name in PLAN.keys else None
    if not isinstance(kind, MapOf) or not isinstance(kind.value, Record) or len(steps) < 3 or steps[1].bracketed:
        return None
    keys = kind.value.keys
    end = next((at for at, one in enumerate(steps) if at > 1 and one.name in keys), len(steps))
    named = held.get(steps[0].name)
    known = [name for name, _ in named.living()] if named else []
    name = ".".join(one.name for one in steps[1:end])
    close = [name] if name in known else nearest(name, known, cutoff=0.8)
    if end == 2 or (
        (steps[1].name in known and not [other for other in close if other != steps[1].name]) and nearest(steps[2].name, keys)
    ):
        return None  # a key of that entry, written rightly or nearly so
    meant = next((other for other in close if other != steps[1].name), name)
    rest = "".join(map(str, steps[end:]))
    return Fault("no-such-path", f'there is no "{steps[2].name[:60]}" in {kind.value.name}', why="a dot in a path begins the next key",
                 fix=f"a name with dots stands in brackets: --set '{steps[0].name}[{meant}]{rest}=…'")  # fmt: skip


def _tune_node(tune: TuneOption) -> Mapping:
    source, spot = tune.source, (1, 1, 0, 0)
    body = Mapping(source, [
        (synthetic(source, "level"), synthetic(source, tune.level)),
        (synthetic(source, "enabled"), synthetic(source, "true")),
    ], spot)  # fmt: skip
    entry = Mapping(source, [(synthetic(source, tree_name(tune.logger), plain=False), body)], spot)
    return Mapping(source, [(synthetic(source, "loggers"), entry)], spot)


def filler_for(held: MergedNode, overrides: Overrides) -> Filler:
    """Return what fills the placeholders of a held plan."""
    values = held.get("values")
    texts = {name: child.node for name, child in values.living() if isinstance(child.node, Scalar)} if values else {}
    return Filler(overrides.env, overrides.env_file, texts, overrides.environment, _mask_names(held))


def _mask_names(held: MergedNode) -> tuple[str, ...]:
    mask = held.get("mask")
    names = mask.get("names") if mask else None
    return tuple(fold_name(item.node.text) for item in (names.items or [] if names else []) if isinstance(item.node, Scalar))


def _try_stages(shaped: Mapping, overrides: Overrides, name: str, folder: str, tried: tuple[str, ...]) -> Report:
    """Return the faults of every stage by itself on the plan; one that was the only one asked for is known already."""
    faults: Report = []
    for stage in _stage_names(shaped):
        if tried == (stage,) and not overrides.sets and not overrides.tunes:
            continue
        alone = replace(overrides.bare(), stages=(stage,))
        held = _hold(shaped, alone, [], name, faults, [])
        _, meaning = build(held, filler_for(held, alone), name, folder)
        faults += meaning
    return faults
