"""The loggers of a plan as rows: in the order of the tree, a chosen part of it, with what was changed."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.levels import HIGHEST, LOWEST
from vetrina.core.base.logger_names import ROOT, tree_name
from vetrina.core.base.origins import Origin
from vetrina.core.plan.loggers import Tree
from vetrina.core.plan.model import Attachment, Logger, Plan


class LevelRow(Struct, frozen=True):
    """One logger: ``depth`` steps below root; ``changed`` is what its effective level was on the bare plan.

    ``delivers`` are its appenders in the order of the climb; ``closed`` says of each why nothing can pass there, nothing
    where something may.
    """

    logger: str
    depth: int
    set_level: int | None
    effective: int
    inherited_from: str | None
    origin: Origin
    climb: bool
    enabled: bool
    delivers: tuple[str, ...]
    closed: tuple[str, ...] = ()
    folded: int = 0
    changed: str = ""
    note: str = ""


class Selection(Struct, frozen=True):
    """Which loggers to show; without anything, all.

    ``loggers`` are added to the configured ones; with ``only`` they alone are shown, with their ancestors.
    """

    loggers: tuple[str, ...] = ()
    under: str = ""
    depth: int | None = None
    differs: bool = False
    find: str = ""
    only: bool = False


def level_rows(plan: Plan, chosen: Selection, bare: Plan | None = None) -> tuple[list[LevelRow], int]:
    """Return the chosen loggers in the order of the tree, and how many there are in all.

    ``bare`` is the plan without stages, layers and options, to tell what they changed.
    """
    tree = Tree(plan)
    before = Tree(bare) if bare else None
    names = dict.fromkeys([ROOT, *plan.loggers, *map(tree_name, chosen.loggers)])
    rows: list[LevelRow] = []
    folded: dict[str, int] = {}
    total = 0
    for name, depth in _in_order(names, plan.separator):
        total += 1
        if not _chosen(name, chosen, tree):
            continue
        if chosen.depth is not None and depth > chosen.depth:
            anchor = rows[-1].logger if rows else ROOT
            folded[anchor] = folded.get(anchor, 0) + 1
            continue
        rows.append(_row(plan, tree, before, name, depth))
    if folded:
        rows = [replace(row, folded=folded.get(row.logger, 0)) for row in rows]
    return rows, total


def _chosen(name: str, chosen: Selection, tree: Tree) -> bool:
    if chosen.only and chosen.loggers and not any(tree.is_below(tree_name(one), name) for one in chosen.loggers):
        return False
    if chosen.under and not tree.is_below(name, tree_name(chosen.under)):
        return False
    if chosen.find and chosen.find.casefold() not in name.casefold():
        return False
    if chosen.differs and name != ROOT:
        above = tree.standing(tree.parent(name) or tree.nearest(name) or ROOT)
        return tree.standing(name).severity != above.severity
    return True


def _in_order(names: dict[str, None], separator: str) -> Iterator[tuple[str, int]]:
    """Yield (name, depth among the given names), ancestors first, siblings by name."""
    keyed = sorted((name.split(separator), name) for name in names if name != ROOT)
    yield ROOT, 0
    above: list[list[str]] = []
    for segments, name in keyed:
        while above and segments[: len(above[-1])] != above[-1]:
            above.pop()
        yield name, len(above) + 1
        above.append(segments)


def _row(plan: Plan, tree: Tree, before: Tree | None, name: str, depth: int) -> LevelRow:
    standing = tree.standing(name)
    entry: Logger | None = plan.loggers.get(name)
    on = entry is None or entry.enabled.value
    set_level = entry.level.value if entry and on and entry.level else None
    changed = ""
    if before is not None and (old := before.standing(name)).severity != standing.severity:
        changed = plan.scale.name(old.severity)
    met = [one for _, one in tree.attachments(name) if plan.appenders[one.appender].enabled.value]
    delivers = tuple(one.appender for one in met)
    closed = tuple(_closed(plan, standing.severity, one) for one in met)
    climb = entry.climb.value if entry and on else True
    inherited = standing.inherited_from if name != ROOT else None
    return LevelRow(
        name, depth, set_level, standing.severity, inherited, standing.origin, climb, on, delivers, closed,
        changed=changed, note=entry.note if entry else "",
    )  # fmt: skip


def _closed(plan: Plan, severity: int, attachment: Attachment) -> str:
    """Return why no level at all can pass a logger's level, an attachment and its appender, nothing where one can."""
    appender, name = plan.appenders[attachment.appender], plan.scale.name
    level = LOWEST if any(rule.verdict == "lift" for rule in plan.rules) else severity
    floors = [
        ("the logger's level", level),
        ("the attachment's floor", attachment.floor.value),
        ("its floor", appender.floor.value),
    ]
    ceilings = [("the attachment's ceiling", attachment.ceiling.value), ("its ceiling", appender.ceiling.value)]
    low, high = max(floors, key=lambda one: one[1]), min(ceilings, key=lambda one: one[1])
    if low[1] > HIGHEST:
        return f"{low[0]} is {name(low[1])}"
    if high[1] < LOWEST:
        return f"{high[0]} is {name(high[1])}"
    return f"{low[0]}, {name(low[1])}, is above {high[0]}, {name(high[1])}" if low[1] > high[1] else ""
