"""The typed sections of a plan: what each record of the grammar is read into, key by key, None where a key is not given."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from msgspec import field

from vetrina.core.base.levels import LevelRange
from vetrina.core.base.origins import Sourced
from vetrina.core.plan.rush_policy import Drain, Full
from vetrina.core.schema.containers import Section

SinkValue = Sourced[Any] | tuple[Sourced[Any], ...] | dict[str, Sourced[Any]]
"""The value of a sink's own key; its kind says what it may be."""


class Operators(Section, frozen=True):
    """What is asked of a field."""

    is_: Sourced[Any] | None = None
    one_of: tuple[Sourced[Any], ...] | None = None
    matches: Sourced[str] | None = None
    present: Sourced[bool] | None = None
    at_least: Sourced[Any] | None = None
    at_most: Sourced[Any] | None = None


class ConditionKeys(Section, frozen=True):
    """A condition's questions."""

    logger: tuple[Sourced[str], ...] | None = None
    exactly: tuple[Sourced[str], ...] | None = None
    level: Sourced[LevelRange] | None = None
    message: Sourced[str] | None = None
    field: dict[str, Sourced[Any] | Operators] | None = None
    error: Sourced[bool] | None = None
    channel: tuple[Sourced[str], ...] | None = None
    not_: ConditionKeys | None = None
    any_: tuple[ConditionKeys, ...] | None = None


class RuleKeys(Section, frozen=True):
    """A rule: one verdict with its condition."""

    drop: ConditionKeys | None = None
    keep: ConditionKeys | None = None
    lift: ConditionKeys | None = None
    note: Sourced[str] | None = None


class WaiverKeys(Section, frozen=True):
    """A check that is silent somewhere, and why."""

    check: Sourced[str] | None = None
    why: Sourced[str] | None = None


class AttachmentKeys(Section, frozen=True):
    """An appender under a logger's `to`."""

    appender: Sourced[str] | None = None
    floor: Sourced[int] | None = None
    ceiling: Sourced[int] | None = None
    rules: tuple[RuleKeys, ...] | None = None
    note: Sourced[str] | None = None


class LoggerKeys(Section, frozen=True):
    """A logger."""

    level: Sourced[int] | None = None
    to: tuple[AttachmentKeys, ...] | None = None
    climb: Sourced[bool] | None = None
    enabled: Sourced[bool] | None = None
    note: Sourced[str] | None = None
    waive: tuple[WaiverKeys, ...] | None = None


class BufferKeys(Section, frozen=True):
    """When waiting events are delivered."""

    events: Sourced[int] | None = None
    age: Sourced[timedelta] | None = None
    at_once: Sourced[int] | None = None


class LimitKeys(Section, frozen=True):
    """At most so many."""

    events: Sourced[int] | None = None
    per: Sourced[timedelta] | None = None
    same: tuple[Sourced[str], ...] | None = None


class RecallKeys(Section, frozen=True):
    """The last so many before an error."""

    events: Sourced[int] | None = None
    below: Sourced[int] | None = None
    at: Sourced[int] | None = None
    same: tuple[Sourced[str], ...] | None = None


class QueueKeys(Section, frozen=True):
    """A line before a slow sink."""

    events: Sourced[int] | None = None
    drains: Sourced[Drain] | None = None
    full: Sourced[Full] | None = None


class ChannelKeys(Section, frozen=True):
    """A channel that is brought in."""

    logger: Sourced[str] | None = None
    level: Sourced[int] | None = None
    enabled: Sourced[bool] | None = None
    note: Sourced[str] | None = None
    waive: tuple[WaiverKeys, ...] | None = None


class KeepKeys(Section, frozen=True):
    """What is kept of closed files."""

    files: Sourced[int] | None = None
    age: Sourced[timedelta] | None = None
    disk: Sourced[int] | None = None


class RollKeys(Section, frozen=True):
    """When a new file begins."""

    every: Sourced[str] | None = None
    at: Sourced[str] | None = None
    at_size: Sourced[int] | None = None
    size_check: Sourced[str] | None = None
    each_start: Sourced[bool] | None = None
    rename_to: Sourced[str] | None = None
    newest: Sourced[str] | None = None
    keep: KeepKeys | None = None


MemberKeys = dict[str, "Sourced[str] | MemberKeys"]
"""Members of a JSON template: name to text, or to members within (`raw` is told apart when the template is built)."""


class TemplateKeys(Section, frozen=True):
    """A template in its long form."""

    as_: Sourced[str] | None = None
    text: Sourced[str] | None = None
    members: Sourced[str] | MemberKeys | None = None
    omit_empty: Sourced[bool] | None = None
    columns: dict[str, Sourced[str]] | None = None
    header: Sourced[bool] | None = None
    facility: Sourced[str] | None = None
    app: Sourced[str] | None = None
    sd_id: Sourced[str] | None = None
    ending: Sourced[str] | None = None
    waive: tuple[WaiverKeys, ...] | None = None


class AppenderKeys(Section, frozen=True):
    """An appender: what all have, and under ``own`` the keys of its kind of sink."""

    sink: Sourced[str] | None = None
    enabled: Sourced[bool] | None = None
    floor: Sourced[int] | None = None
    ceiling: Sourced[int] | None = None
    rules: tuple[RuleKeys, ...] | None = None
    otherwise: Sourced[str] | None = None
    template: Sourced[str] | None = None
    limit: LimitKeys | None = None
    recall: RecallKeys | None = None
    queue: QueueKeys | None = None
    buffer: BufferKeys | None = None
    roll: RollKeys | None = None
    note: Sourced[str] | None = None
    waive: tuple[WaiverKeys, ...] | None = None
    own: dict[str, SinkValue] = field(default_factory=dict)


class MaskKeys(Section, frozen=True):
    """What templates' step mask hides besides the built-in."""

    names: tuple[Sourced[str], ...] | None = None
    patterns: tuple[Sourced[str], ...] | None = None


class PlanKeys(Section, frozen=True):
    """A plan; `levels` and `values` are read before it, for all else needs them."""

    title: Sourced[str] | None = None
    separator: Sourced[str] | None = None
    zone: Sourced[str] | None = None
    workdir: Sourced[str] | None = None
    assume: Sourced[int] | None = None
    deliver: Sourced[str] | None = None
    mask: MaskKeys | None = None
    channels: dict[str, ChannelKeys] | None = None
    rules: tuple[RuleKeys, ...] | None = None
    loggers: dict[str, LoggerKeys] | None = None
    appenders: dict[str, AppenderKeys] | None = None
    templates: dict[str, TemplateKeys] | None = None
    waive: tuple[WaiverKeys, ...] | None = None
    own: dict[str, SinkValue] = field(default_factory=dict)
