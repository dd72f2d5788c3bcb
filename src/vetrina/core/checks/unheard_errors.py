"""unheard-errors: errors that cannot reach the appender that is plainly meant for errors.

Such an appender has a floor of error or above, or is the only mail. Whoever looks there takes silence for good news. Found are
loggers below one of its attachments whose errors reach none of them: the climb ends before, a window shuts them out, or a rule
drops them; and rules at the door that drop every error of a logger.

Found::

    loggers: {root: {to: [a, errors]}, ropeway: {to: a, climb: false}}
    appenders: {a: {sink: none}, errors: {sink: file, path: /x/errors.log, floor: error}}

Fine::

    loggers: {root: {to: [a, errors]}, ropeway: {to: a}}
    appenders: {a: {sink: none}, errors: {sink: file, path: /x/errors.log, floor: error}}
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from vetrina.core.base.levels import HIGHEST
from vetrina.core.base.logger_names import ROOT, tree_name
from vetrina.core.base.origins import Origin
from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit
from vetrina.core.plan.conditions import All, Condition, LevelIs, reduce
from vetrina.core.plan.model import Appender, Attachment, Rule
from vetrina.core.routing.router import RuleIndex, bound_loggers, left_rules


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find loggers whose errors are kept from where errors are looked for, the highest of each branch."""
    yield from _dropped_at_the_door(scene)
    meant = _meant_for_errors(scene)
    if not meant:
        return
    rules = {name: RuleIndex(one.rules, scene.plan.separator) for name, one in meant.items() if one.rules}
    told: set[str] = set()
    for name in scene.in_order:
        parent = scene.tree.parent(name)
        if parent in told or scene.tree.standing(name).severity > ERROR:
            told.update({name} if parent in told else ())
            continue
        climb = list(scene.tree.attachments(name))
        if any(one.appender in meant and _shut(scene, via, one, rules, name) is None for via, one in climb):
            continue
        over = [appender for appender in meant if any(scene.tree.is_below(name, at) for at, _ in scene.attached[appender])]
        if over:
            told.add(name)
            origin, why, fix, edit = _why(scene, name, over[0], rules)
            yield Hit(
                origin, f"logger {name}", f"errors of {name} cannot reach {over[0]}, which is meant for errors", why, fix, edit
            )


def _meant_for_errors(scene: CheckContext) -> dict[str, Appender]:
    """Return the enabled and attached appenders with a floor of error or above, and the only mail."""
    mails = [one.name for one in scene.appenders(lambda sink: sink.summons)]
    return {
        one.name: one
        for one in scene.appenders()
        if scene.attached[one.name]
        and not one.sink.traits.nowhere
        and ((one.floor.value >= ERROR and one.floor.value <= HIGHEST) or mails == [one.name])
    }


class _Shut(NamedTuple):
    """What keeps every error of a logger from an appender at one attachment, what to do about it, and an edit that does."""

    why: str
    fix: str
    edit: str = ""


def _shut(scene: CheckContext, via: str, attachment: Attachment, rules: dict[str, RuleIndex], logger: str) -> _Shut | None:
    """Return what keeps every error of a logger from an appender at one attachment, None where some may pass."""
    name = attachment.appender
    appender = scene.plan.appenders[name]
    low = max(attachment.floor.value, appender.floor.value, ERROR)
    if low > min(attachment.ceiling.value, appender.ceiling.value, HIGHEST):
        return _Shut(
            "the windows of attachment and appender let no error through",
            f"widen the window of {via}'s attachment, or {name}'s",
        )
    own = left_rules(attachment.rules, logger, low)
    if own and own[0].condition is True and own[0].verdict == "drop":
        at = [one.appender for one in scene.tree.entries[via].to].index(name)
        path = f"loggers[{via}].to[{at}].rules"
        return _Shut(
            "a rule of the attachment drops them all", *_spared(attachment.rules, logger, low, path, f"{via}'s attachment")
        )
    if name in rules:
        left = left_rules(rules[name].of(logger), logger, low)
        settled = left[0].verdict if left and left[0].condition is True else None
        if settled == "drop":
            spared = _spared(appender.rules, logger, low, f"appenders[{name}].rules", name)
            return _Shut(f"a rule of {name} drops them all", *spared)
        if not left and appender.otherwise.value == "drop":
            edit = f"--set 'appenders[{name}].rules={{add: [{{keep: {{level: error..}}}}]}}'"
            return _Shut(f"no rule of {name} keeps them (otherwise: drop)", f"add a rule to {name} that keeps errors", edit)
    return None


def _spared(rules: tuple[Rule, ...], logger: str, severity: int, path: str, owner: str) -> tuple[str, str]:
    """Return how the rule that drops a logger's errors would let them pass, with the edit where one key is enough."""
    at = next(at for at, one in enumerate(rules) if reduce(one.condition, logger, severity) is True)
    return _sparing(rules[at], at, path, owner)


def _sparing(rule: Rule, at: int, path: str, owner: str) -> tuple[str, str]:
    fix = f"let rule {at} of {owner} spare errors ({rule.origin.brief()})"
    return fix, "" if _bounds_levels(rule.condition) else f"--set '{path}[{at}].drop.level=..warn'"


def _bounds_levels(condition: Condition) -> bool:
    """Tell whether a condition says itself which levels it is about."""
    return isinstance(condition, LevelIs) or (isinstance(condition, All) and any(map(_bounds_levels, condition.parts)))


def _why(scene: CheckContext, name: str, appender: str, rules: dict[str, RuleIndex]) -> tuple[Origin, str, str, str]:
    """Return the place and the reason that keeps a logger's errors from an appender, and how they would get there."""
    for via, attachment in scene.tree.attachments(name):
        if attachment.appender == appender and (shut := _shut(scene, via, attachment, rules, name)) is not None:
            return attachment.origin, f"attached at {via}, but {shut.why}", shut.fix, shut.edit
    end = list(scene.tree.climb(name))[-1]
    return (
        end[1].climb.origin,
        f"the climb ends at {end[0]} (climb: false), before {appender} is met",
        f"let them climb to where {appender} is attached, or attach {appender} to {name}",
        f"--set 'loggers[{name}].to={{add: [{appender}]}}'",
    )


def _dropped_at_the_door(scene: CheckContext) -> Iterator[Hit]:
    """Find rules at the door that drop every error of the loggers they name."""
    index = RuleIndex(scene.plan.rules, scene.plan.separator)
    for at, rule in enumerate(scene.plan.rules):
        bound = bound_loggers(rule.condition)
        names = [tree_name(name) for name in bound.names] if bound is not None else [ROOT]
        if not names or rule.verdict != "drop" or reduce(rule.condition, names[0], ERROR) is not True:
            continue
        left = left_rules(index.of(names[0]), names[0], ERROR)
        if left[0].condition is True and left[0].verdict == "drop":
            who = "every logger" if names == [ROOT] else ", ".join(names)
            yield Hit(
                rule.origin,
                "plan",
                f"rule {at} at the door drops the errors of {who} as well",
                "a failure there will leave no trace",
                *_sparing(rule, at, "rules", "the door"),
            )


CHECK = Check("unheard-errors", "warning", "errors that cannot reach the appender that is meant for errors", find)
