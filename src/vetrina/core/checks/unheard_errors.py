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

from vetrina.core.base.levels import HIGHEST
from vetrina.core.base.logger_names import ROOT, tree_name
from vetrina.core.base.origins import Origin
from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit
from vetrina.core.plan.conditions import reduce
from vetrina.core.plan.model import Appender, Attachment
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
        if any(one.appender in meant and not _shut(one, meant[one.appender], rules, name) for _, one in climb):
            continue
        over = [appender for appender in meant if any(scene.tree.is_below(name, at) for at, _ in scene.attached[appender])]
        if over:
            told.add(name)
            origin, why = _why(scene, name, over[0], meant[over[0]], rules)
            yield Hit(
                origin,
                f"logger {name}",
                f"errors of {name} cannot reach {over[0]}, which is meant for errors",
                why,
                f"let them climb to where {over[0]} is attached, or attach {over[0]} to {name}",
                f"--set 'loggers[{name}].to={{add: [{over[0]}]}}'",
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


def _shut(attachment: Attachment, appender: Appender, rules: dict[str, RuleIndex], logger: str) -> str:
    """Return what keeps every error of a logger from an appender at one attachment, nothing where some may pass."""
    low = max(attachment.floor.value, appender.floor.value, ERROR)
    if low > min(attachment.ceiling.value, appender.ceiling.value, HIGHEST):
        return "the windows of attachment and appender let no error through"
    own = left_rules(attachment.rules, logger, low)
    if own and own[0].condition is True and own[0].verdict == "drop":
        return "a rule of the attachment drops them all"
    if appender.name in rules:
        left = left_rules(rules[appender.name].of(logger), logger, low)
        settled = left[0].verdict if left and left[0].condition is True else None
        if settled == "drop" or (not left and appender.otherwise.value == "drop"):
            return f"a rule of {appender.name} drops them all"
    return ""


def _why(scene: CheckContext, name: str, appender: str, one: Appender, rules: dict[str, RuleIndex]) -> tuple[Origin, str]:
    """Return the place and the reason that keeps a logger's errors from an appender."""
    for via, attachment in scene.tree.attachments(name):
        if attachment.appender == appender and (shut := _shut(attachment, one, rules, name)):
            return attachment.origin, f"attached at {via}, but {shut}"
    end = list(scene.tree.climb(name))[-1]
    return end[1].climb.origin, f"the climb ends at {end[0]} (climb: false), before {appender} is met"


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
                "give the rule a level: ..warn",
                f"--set 'rules[{at}].drop.level=..warn'",
            )


CHECK = Check("unheard-errors", "warning", "errors that cannot reach the appender that is meant for errors", find)
