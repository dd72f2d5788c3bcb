"""A plan for a page: all that its gates compare, with the words for where it stands."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from vetrina.core.base.levels import ALL, HIGHEST, LOWEST, OFF, Scale
from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.plan.model import Appender, Attachment, Logger, Plan, Rule
from vetrina.core.routing.measuring import ending_of, to_bytes
from vetrina.core.window.files import Policy, reason
from vetrina.views.page.conditions import condition_data

Data = dict[str, Any]


def plan_data(plan: Plan, policies: dict[str, Policy], untold: Collection[str] = ()) -> Data:
    """Return a plan as JSON; severities are numbers, `names` what each is called.

    ``policies`` can be played on the page; those of the appenders ``untold`` have too many periods for that.
    """
    return {
        "name": plan.name,
        "title": plan.title,
        "separator": plan.separator,
        "zone": plan.zone,
        "assume": plan.assume.value,
        "assumed": _where(plan.assume.origin),
        "once": plan.once.value,
        "onceAt": _where(plan.once.origin),
        "names": [plan.scale.name(severity) for severity in range(ALL, OFF + 1)],
        "levels": _levels(plan.scale),
        "rules": [_rule(one) for one in plan.rules],
        "loggers": [_logger(one) for one in plan.loggers.values()],
        "appenders": [
            _appender(
                one, plan.scale, policies.get(name), untold="its periods are too many for a page" if name in untold else ""
            )
            for name, one in plan.appenders.items()
        ],
    }


def _where(origin: Origin) -> str:
    return origin.brief()


def _levels(scale: Scale) -> list[tuple[str, int]]:
    """Return every level that has a name, once."""
    return [
        (scale.name(severity), severity)
        for severity in range(LOWEST, HIGHEST + 1)
        if not scale.name(severity).isdigit()
    ]  # fmt: skip


def _rule(rule: Rule) -> Data:
    return {"verdict": rule.verdict, "if": condition_data(rule.condition), "note": rule.note, "at": _where(rule.origin)}


def _logger(one: Logger) -> Data:
    return {
        "name": one.name,
        "level": None if one.level is None else one.level.value,
        "levelAt": "" if one.level is None else _where(one.level.origin),
        "enabled": one.enabled.value,
        "climb": one.climb.value,
        "climbAt": _where(one.climb.origin),
        "at": _where(one.origin),
        "note": one.note,
        "to": [_attachment(each) for each in one.to],
    }


def _attachment(one: Attachment) -> Data:
    return {
        "appender": one.appender,
        "floor": one.floor.value,
        "floorAt": _where(one.floor.origin),
        "ceiling": one.ceiling.value,
        "ceilingAt": _where(one.ceiling.origin),
        "rules": [_rule(rule) for rule in one.rules],
        "at": _where(one.origin),
    }


def _appender(one: Appender, scale: Scale, policy: Policy | None, *, untold: str) -> Data:
    return {
        "name": one.name,
        "kind": one.sink.kind,
        "sink": one.sink.title,
        "place": "" if one.sink.traits.nowhere else one.place,
        "header": len(to_bytes(one.template.header(ending_of(one)), one.encoding)),
        "enabled": one.enabled.value,
        "enabledAt": _where(one.enabled.origin),
        "floor": one.floor.value,
        "floorAt": _bound_at(one.floor),
        "ceiling": one.ceiling.value,
        "ceilingAt": _bound_at(one.ceiling),
        "rules": [_rule(rule) for rule in one.rules],
        "otherwise": one.otherwise.value,
        "otherwiseAt": _where(one.otherwise.origin),
        "at": _where(one.origin),
        "note": one.note,
        "memory": _memory(one, scale),
        "policy": policy,
        "untold": reason(one) or untold,
    }


def _bound_at(bound: Sourced[int]) -> str | None:
    """Return where a floor or a ceiling stands, None for none."""
    return None if bound.origin.kind == "default" else _where(bound.origin)


def _memory(one: Appender, scale: Scale) -> str:
    """Return the limit, the recall and the queue of an appender in words, nothing for none."""
    words = []
    if one.limit is not None:
        words.append(f"a limit ({one.limit.words()})")
    if one.recall is not None:
        words.append(f"a recall ({one.recall.words(scale)})")
    if one.queue is not None:
        words.append(f"a queue ({one.queue.words(scale)})")
    return " and ".join(words)
