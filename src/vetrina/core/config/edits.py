"""Edits of a plan as options: made, laid over the plan in force, and shown as changed lines."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Refused
from vetrina.core.config.dump import Entries, Items, Value, Written, dump, yaml_text
from vetrina.core.config.resolution import ResolvedPlan, SetOption, TuneOption, parse_path, resolve
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar, Source

_SPOT = (1, 1, 0, 0)


class Edit(Struct, frozen=True):
    """One option that changes a plan: `--tune LOGGER=LEVEL` or `--set PATH=VALUE`, and what it does in words."""

    option: str
    argument: str
    words: str
    value: object = None

    def __str__(self) -> str:
        """Return it ready for a shell."""
        quoted = "'" + self.argument.replace("'", "'\\''") + "'"
        plain = all(char.isalnum() or char in "._-=/:" for char in self.argument)
        return f"{self.option} {self.argument if plain else quoted}"


def tune(logger: str, level: str, words: str) -> Edit:
    """Return the edit that sets a logger's level and switches it on."""
    return Edit("--tune", f"{logger}={level}", words, level)


def put(path: str, value: object, words: str) -> Edit:
    """Return the edit that sets the value at a path; None removes it."""
    return Edit("--set", f"{path}={flow(value)}", words, value)


def flow(value: object) -> str:
    """Return a JSON value as YAML on one line."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{_flow_text(name)}: {flow(one)}" for name, one in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(flow(one) for one in value) + "]"
    if isinstance(value, str):
        return _flow_text(value)
    if value is None:
        return "null"
    return str(value).lower() if isinstance(value, bool) else repr(value)


def _flow_text(text: str) -> str:
    return yaml_text(text.replace("${", "$${"))


def step(name: str) -> str:
    """Return a name in brackets, as a path wants it."""
    return f'["{name}"]' if any(char in name for char in "[]\"'") else f"[{name}]"


def node_of(value: object, source: Source) -> Node:
    """Return a JSON value as a node that no file holds; texts are quoted."""
    if isinstance(value, dict):
        return Mapping(
            source, [(Scalar(source, str(name), False, _SPOT), node_of(one, source)) for name, one in value.items()], _SPOT
        )
    if isinstance(value, list):
        return Listing(source, [node_of(one, source) for one in value], _SPOT)
    if isinstance(value, str):
        return Scalar(source, value.replace("${", "$${"), False, _SPOT)
    return Scalar(source, flow(value), True, _SPOT)


def with_edits(found: ResolvedPlan, edits: Sequence[Edit]) -> ResolvedPlan | None:
    """Return the plan in force with edits laid over it, None where that is no plan any more."""
    sets = list(found.overrides.sets)
    tunes = list(found.overrides.tunes)
    for edit in edits:
        source = Source(str(edit), "option")
        if edit.option == "--tune":
            logger, _, level = edit.argument.rpartition("=")
            tunes.append(TuneOption(str(edit), logger, level, source))
            continue
        try:
            steps, _ = parse_path(edit.argument)
        except NotUnderstood:
            return None
        sets.append(SetOption(str(edit), steps, node_of(edit.value, source), source))
    try:
        return resolve(
            found.document, found.plan.name, found.folder, replace(found.overrides, sets=tuple(sets), tunes=tuple(tunes)),
            adoption=found.adoption,
        )  # fmt: skip
    except Refused:
        return None


def changed_lines(before: ResolvedPlan, after: ResolvedPlan) -> list[str]:
    """Return what differs between two plans in force, as `- path: value` and `+ path: value`."""
    return differing(lines_of(before), lines_of(after))


def lines_of(found: ResolvedPlan) -> dict[str, str]:
    """Return what a plan in force says: path to value, as they would be written."""
    return _flat(dump(found), "")


def differing(old: dict[str, str], new: dict[str, str]) -> list[str]:
    """Return what differs between what two plans say."""
    lines = []
    for path in dict.fromkeys([*old, *new]):
        if old.get(path) != new.get(path) and not _goes_without_saying(path, old, new):
            lines += [f"- {path}: {old[path]}"] if path in old else []
            lines += [f"+ {path}: {new[path]}"] if path in new else []
    return lines


def _goes_without_saying(path: str, old: dict[str, str], new: dict[str, str]) -> bool:
    """Tell whether only `enabled: true` was added or left out, of an entry that says more than that."""
    if not path.endswith(".enabled") or {old.get(path), new.get(path)} != {None, "true"}:
        return False
    entry = path.removesuffix("enabled")
    return any(one.startswith(entry) and one != path for one in (*old, *new)) or entry[:-1] in old.keys() | new.keys()


def _flat(one: Written, path: str) -> dict[str, str]:
    if isinstance(one, Value):
        return {path: one.yaml}
    if isinstance(one, Items):
        if all(isinstance(item, Entries) and set(item.entries) == {"appender"} for item in one.items):
            return {path: "[" + ", ".join(item.entries["appender"].yaml for item in one.items) + "]"}  # type: ignore[union-attr]
        parts = [(f"{path}[{at}]", item) for at, item in enumerate(one.items)]
    else:
        parts = [
            (f"{path}.{name}" if path and _simple(name) else name if not path else f"{path}{step(name)}", item)
            for name, item in one.entries.items()
        ]
    found: dict[str, str] = {}
    for below, item in parts:
        found |= _flat(item, below)
    return found


def _simple(name: str) -> bool:
    return name.replace("-", "_").isidentifier()
