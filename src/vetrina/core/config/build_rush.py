"""Channels, limits, recalls and queues built of what a plan says; every contradiction is told."""

from __future__ import annotations

from datetime import timedelta
from typing import TypedDict

from vetrina.core.base.faults import Fault
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.origins import Sourced
from vetrina.core.config.reading import PlanReader, key_origin, waivers_of
from vetrina.core.config.sections import AppenderKeys, ChannelKeys, LimitKeys, QueueKeys, RecallKeys
from vetrina.core.plan.rush_policy import Channel, Full, Limit, Queue, Recall
from vetrina.core.schema.containers import Section


class Gates(TypedDict):
    """The gates with a memory of one appender."""

    limit: Limit | None
    recall: Recall | None
    queue: Queue | None


def build_channel(name: str, section: ChannelKeys) -> Channel:
    """Return a channel."""
    logger = section.logger
    renamed = None if logger is None else Sourced(tree_name(logger.value), logger.origin, logger.shown)
    enabled = section.enabled or Sourced(value=True)
    return Channel(name, key_origin(section.held), renamed, section.level, enabled, waivers_of(section.waive))


class RushBuilder:
    """Turns an appender's `limit`, `recall` and `queue` into policies; faults go to the reader."""

    def __init__(self, reader: PlanReader) -> None:
        self._reader = reader

    def gates(self, name: str, section: AppenderKeys) -> Gates:
        """Return the three, None where they are not given or at fault."""
        if section.limit is not None and section.recall is not None:
            self._wrong(section.recall, f"{name} has both a limit and a recall, and an appender has at most one of them",
                        "remove one, or give it to another appender")  # fmt: skip
        return {
            "limit": self._limit(section.limit) if section.limit else None,
            "recall": self._recall(section.recall) if section.recall else None,
            "queue": self._queue(section.queue) if section.queue else None,
        }

    def _wrong(self, section: Section, what: str, fix: str) -> None:
        place = section.held.key_place
        where = section.held.layer.label if section.held.layer.kind == "option" else ""
        self._reader.report(Fault("wrong-value", what, fix=fix, place=None if where else place, where=where))

    def _limit(self, section: LimitKeys) -> Limit | None:
        if section.events is None or section.per is None:
            return None
        if section.per.value <= timedelta(0):
            self._wrong(section, '"per" must be longer than no time', "write 1 minute, or remove the limit")
        return Limit(section.events.value, section.per.value, _same(section.same), key_origin(section.held))

    def _recall(self, section: RecallKeys) -> Recall | None:
        if section.events is None or section.below is None or section.at is None:
            return None
        if section.below.value > section.at.value:
            self._wrong(section, f'"below" ({section.below}) is above "at" ({section.at}): what recalls would itself be remembered',
                        "let below be at most at")  # fmt: skip
        own = section.events.value, section.below.value, section.at.value
        return Recall(*own, _same(section.same), key_origin(section.held))

    def _queue(self, section: QueueKeys) -> Queue | None:
        if section.events is None or section.drains is None:
            return None
        full = section.full.value if section.full else Full(0)
        return Queue(section.events.value, section.drains.value, full, key_origin(section.held))


def _same(given: tuple[Sourced[str], ...] | None) -> tuple[str, ...]:
    return tuple(dict.fromkeys(one.value for one in given or ()))
