"""Who said what about a value, and what nobody uses.

Here: the history of one value, and the account of every source that was read. Not here: how it looks (views/).
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Fault, Place, Refused, nearest
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.secrets import looks_secret
from vetrina.core.base.wording import counted
from vetrina.core.config.accounts import names_in_use
from vetrina.core.config.grammar import PLAN
from vetrina.core.config.merging import PathStep, way_down
from vetrina.core.config.placeholders import Use
from vetrina.core.config.resolution import ResolvedPlan, parse_path
from vetrina.core.plan.loggers import Tree
from vetrina.core.schema.containers import ListOf, MapOf, Record, child_kind
from vetrina.core.schema.held import Layer, MergedNode
from vetrina.core.schema.nodes import Mapping, Node, Scalar, kind_of


class Saying(Struct, frozen=True):
    """What one layer said: the words as written, where, and what became of it."""

    layer: Layer
    place: Place | None
    text: str
    fate: str


class History(Struct, frozen=True):
    """A value's history, oldest first; ``now`` is what holds, ``uses`` the placeholders that filled it."""

    path: str
    sayings: tuple[Saying, ...]
    now: str
    uses: tuple[Use, ...] = ()
    remark: str = ""


def history(found: ResolvedPlan, path_text: str) -> History:
    """Return the history of the value at a path; raise Refused where the plan's shape has no such place."""
    try:
        steps, rest = parse_path(path_text)
        if rest:
            raise NotUnderstood("a path has no =")  # noqa: TRY301
    except NotUnderstood as reason:
        fault = Fault("call", f"this is no path: {reason}", fix="write loggers[ropeway.gate].level", where=path_text)
        raise Refused([fault]) from None
    if steps[0].name == "loggers" and len(steps) > 1:
        steps = (steps[0], PathStep(tree_name(steps[1].name)), *steps[2:])
    held, remark = _walk(found, steps, path_text)
    if held is None:
        return History(path_text, (), "", remark=remark)
    now, uses = _now(found, held)
    return History(path_text, tuple(_sayings(held)), now, uses, remark)


def _walk(found: ResolvedPlan, steps: tuple[PathStep, ...], whole: str) -> tuple[MergedNode | None, str]:
    here: MergedNode | None = found.held
    at: object = PLAN
    for number, step in enumerate(steps):
        if isinstance(at, ListOf):
            items = here.items if here else None
            if step.position is None or items is None or not step.position < len(items):
                count = len(items or ())
                raise _no_path(whole, f"[{step.name}]", [], f"the list has {counted(count, 'item')}, counted from 0")
            here, at = items[step.position], at.item
            continue
        known = at.known() if isinstance(at, Record) else None
        if known is not None and step.name not in known:
            raise _no_path(whole, step.name, known)
        if not isinstance(at, Record | MapOf):
            raise _no_path(whole, step.name, [], "a single value has nothing below it")
        child = (here.children or {}).get(step.name) if here else None
        if child is None and isinstance(at, MapOf) and number < len(steps):
            names = list(here.children or {}) if here else []
            if steps[0].name != "loggers" or number != 1:
                raise _no_path(whole, step.name, names)
            return None, _inherited(found, step.name)
        at, here = child_kind(at, step.name), child
        if here is None and number == len(steps) - 1:
            return None, _unsaid(found, steps, at_default=_default(steps, found))
        if here is None:
            return None, "no layer says anything about it"
    return here, _fallen_back(found, steps, here)


def _no_path(whole: str, step: str, known: list[str], why: str = "") -> Refused:
    close = nearest(step, known)
    fix = f'did you mean "{close[0]}"?' if close else ("known here: " + ", ".join(known[:12]) if known else "")
    return Refused([Fault("no-such-path", f'there is no "{step}" at this place of the plan', why=why, fix=fix, where=whole)])


def _default(steps: tuple[PathStep, ...], found: ResolvedPlan) -> str:
    if steps[-1].name == "workdir":
        return found.full_folder
    kinds = [PLAN, *(kind for kind, _ in way_down(PLAN, None, steps[:-1]))]
    owner = kinds[-1]
    return owner.keys[steps[-1].name].default if isinstance(owner, Record) else ""


def _unsaid(found: ResolvedPlan, steps: tuple[PathStep, ...], at_default: str) -> str:
    if len(steps) == 3 and steps[0].name == "loggers" and steps[2].name == "level":
        return _inherited(found, steps[1].name)
    return "no layer says anything about it" + (f"; the default is {at_default}" if at_default else "")


def _inherited(found: ResolvedPlan, logger: str) -> str:
    standing = Tree(found.plan).standing(logger)
    name = found.plan.scale.name(standing.severity)
    return f"no layer sets a level for {logger}; it inherits {name} from {standing.inherited_from or standing.name} ({standing.origin.brief()})"


def _fallen_back(found: ResolvedPlan, steps: tuple[PathStep, ...], held: MergedNode | None) -> str:
    """Return what holds instead where the last word was to remove the value, or its entry is switched off."""
    if held is not None and held.gone:
        return "removed; " + _unsaid(found, steps, _default(steps, found))
    if steps[0].name == "loggers" and len(steps) > 1:
        logger = found.plan.loggers.get(steps[1].name)
        if logger is not None and not logger.enabled.value:
            return f"the entry is switched off ({logger.enabled.origin.brief()}), so none of it counts"
    if steps[0].name == "appenders" and len(steps) > 1:
        appender = found.plan.appenders.get(steps[1].name)
        if appender is not None and not appender.enabled.value:
            return f"the appender is switched off ({appender.enabled.origin.brief()})"
    return ""


def _sayings(held: MergedNode) -> Iterator[Saying]:
    last = len(held.said) - 1
    for number, said in enumerate(held.said):
        node = said.node
        option = said.layer.kind == "option"
        if isinstance(node, Scalar) and node.is_null():
            fate = "removes it" if number == last else "removed it, and was overruled"
        elif isinstance(node, Mapping) and held.items is not None:
            fate = "changes the list"
        elif isinstance(node, Mapping) and held.children is not None:
            fate = "speaks of parts of it"
        else:
            fate = "in force" if number == last else "overruled"
            if number < last and held.items is not None and isinstance(held.said[last].node, Mapping):
                fate = "changed by those below"
        yield Saying(said.layer, None if option else node.place, _words(node), fate)


def _words(node: Node) -> str:
    """Return a node's text as written, on one line."""
    if isinstance(node, Scalar):
        return "null" if node.is_null() else node.as_written()
    text = node.source.text[node.start : node.end]
    one_line = " ".join(text.split())
    if not one_line or len(one_line) > 120:
        return kind_of(node)
    return one_line


def _now(found: ResolvedPlan, held: MergedNode) -> tuple[str, tuple[Use, ...]]:
    if held.gone:
        return "", ()
    if isinstance(held.node, Scalar) and held.children is None and held.items is None:
        filled = found.filler.fill(held.node)
        return ("", ()) if isinstance(filled, Fault) else (filled.shown, filled.uses)
    if held.items is not None:
        return "[" + ", ".join(_item(found, item) for item in held.items) + "]", ()
    count = sum(1 for _ in held.living())
    return counted(count, "key"), ()


def _item(found: ResolvedPlan, item: MergedNode) -> str:
    appender = item.get("appender")
    if appender is not None and sum(1 for _ in item.living()) == 1:
        return _now(found, appender)[0]
    if item.children is not None:
        return "{" + ", ".join(f"{name}: {_now(found, child)[0]}" for name, child in item.living()) + "}"
    return _now(found, item)[0]


def hidden_names(found: ResolvedPlan) -> list[str]:
    """Return the names of the values from outside that are in use and shown as `***`."""
    used = names_in_use(found)
    outside = {*found.overrides.env, *found.overrides.env_file, *found.overrides.environment}
    return sorted(name for name in outside & used if looks_secret(name, found.filler.secret_names))
