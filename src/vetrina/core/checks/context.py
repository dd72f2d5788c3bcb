"""What a check is, what it says, and the scene that it looks at."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property
from typing import Literal

from msgspec import Struct

from vetrina.core.base.faults import Place
from vetrina.core.base.levels import HIGHEST, LOWEST, OFF
from vetrina.core.base.logger_names import ROOT
from vetrina.core.base.origins import Origin
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.conditions import Condition
from vetrina.core.plan.loggers import Tree
from vetrina.core.plan.model import Appender, Attachment, Plan, Rule, SinkTraits
from vetrina.core.pressure.gauges import AppenderPressure
from vetrina.core.rolling.simulation import FileSimulation
from vetrina.core.routing.counting import ChannelCount
from vetrina.core.routing.router import Router
from vetrina.core.survey.statements import Statement

Severity = Literal["error", "warning", "hint"]
SEVERITIES: tuple[Severity, ...] = ("error", "warning", "hint")
DEBUG, INFO, WARN, ERROR = 5, 9, 13, 17


class Hit(Struct, frozen=True):
    """What a check says of one spot.

    ``subject`` is what it is about, as `logger ropeway.gate` or `appender desk` or `plan`; ``edit`` a ready option
    that mends it; ``severity`` overrides the check's own.
    """

    origin: Origin
    subject: str
    what: str
    why: str = ""
    fix: str = ""
    edit: str = ""
    severity: Severity | None = None


class Check(Struct, frozen=True):
    """A check: its code, how grave what it finds is, and how it finds it.

    ``limits`` are its thresholds with their defaults; ``needs`` is `plan`, `events`, `source`, `probe`, `network`, `document`
    (one in another format, read through a mapping) or `fault` (told while reading). ``title`` is one line.
    """

    code: str
    severity: Severity
    title: str
    find: Callable[[CheckContext], Iterable[Hit]]
    needs: Literal["plan", "events", "source", "probe", "network", "document", "fault"] = "plan"
    limits: dict[str, float] = {}


def told_while_reading(code: str, title: str) -> Check:
    """Return the check of a fault of meaning: reading finds it, and its page stands with the others."""
    return Check(code, "error", title, lambda _scene: (), needs="fault")


def remarked_while_adopting(code: str, title: str) -> Check:
    """Return the check of what was remarked while a document in another format was read."""

    def find(scene: CheckContext) -> Iterator[Hit]:
        adoption = scene.found.adoption
        for one in adoption.remarks if adoption is not None else ():
            if one.code == code:
                yield Hit(Origin("file", one.place), "plan", one.what, one.why, one.fix)

    return Check(code, "warning", title, find, needs="document")


class LoggerSeen(Struct):
    """What the events of one logger were like."""

    events: int = 0
    delivered: int = 0
    mild_errors: int = 0
    bare_errors: int = 0

    def add(self, other: LoggerSeen) -> None:
        """Add what another logger's events were like."""
        self.events += other.events
        self.delivered += other.delivered
        self.mild_errors += other.mild_errors
        self.bare_errors += other.bare_errors


class RushSeen(Struct, frozen=True):
    """What came by each channel ("" for further ones), and what the appenders with a limit, a recall or a queue went through."""

    channels: dict[str, ChannelCount]
    pressure: dict[str, AppenderPressure]


class PathFacts(Struct, frozen=True):
    """What this machine says of one file's folder; ``ignored`` is None outside a git work tree."""

    folder: str
    exists: bool
    is_folder: bool
    writable: bool
    free: int
    total: int
    ignored: bool | None


class HostFacts(Struct, frozen=True):
    """What the network says of one receiver."""

    host: str
    port: int
    known: bool
    open: bool
    asked_port: bool


class CheckContext:
    """Everything that checks look at; what several of them need is worked out once, in one walk over the tree."""

    def __init__(
        self,
        found: ResolvedPlan,
        *,
        seen: dict[str, LoggerSeen] | None = None,
        paths: dict[str, PathFacts] | None = None,
        hosts: dict[str, HostFacts] | None = None,
        rolled: dict[str, FileSimulation] | None = None,
        limits: dict[str, dict[str, float]] | None = None,
        rush: RushSeen | None = None,
        statements: Sequence[Statement] | None = None,
        elsewhere: dict[str, str] | None = None,
    ) -> None:
        self.found = found
        self.plan: Plan = found.plan
        self.tree = Tree(found.plan)
        self.seen = seen
        self.paths = paths or {}
        self.hosts = hosts or {}
        self.rolled = rolled
        self.statements = statements or ()
        self.elsewhere = elsewhere or {}
        self.rush = rush or RushSeen({}, {})
        self._limits = limits or {}

    def limit(self, check: Check, name: str) -> float:
        """Return a threshold of a check."""
        return self._limits.get(check.code, {}).get(name, check.limits[name])

    def level(self, severity: int) -> str:
        """Return a severity's name."""
        return self.plan.scale.name(severity)

    @cached_property
    def router(self) -> Router:
        """Return the plan compiled."""
        return Router(self.plan)

    @cached_property
    def lifts(self) -> bool:
        """Tell whether the door can lift events past the level gate."""
        return any(rule.verdict == "lift" for rule in self.plan.rules)

    @cached_property
    def in_order(self) -> list[str]:
        """Return root and the configured loggers in force, ancestors first."""
        names = [name for name in self.tree.entries if name != ROOT]
        return [ROOT, *sorted(names, key=lambda name: len(name.split(self.plan.separator)))]

    @cached_property
    def lowest(self) -> dict[str, int]:
        """Return, for each configured logger, the lowest severity that can arrive at its attachments."""
        lowest = {name: (LOWEST if self.lifts else self.tree.standing(name).severity) for name in self.in_order}
        for name in reversed(self.in_order):
            entry, parent = self.tree.entries.get(name), self.tree.parent(name)
            if parent is not None and (entry is None or entry.climb.value):
                lowest[parent] = min(lowest[parent], lowest[name])
        return lowest

    @cached_property
    def attached(self) -> dict[str, list[tuple[str, Attachment]]]:
        """Return appender to the (logger, attachment) pairs that name it, of loggers in force."""
        found: dict[str, list[tuple[str, Attachment]]] = {name: [] for name in self.plan.appenders}
        for name, entry in self.tree.entries.items():
            for attachment in entry.to:
                found[attachment.appender].append((name, attachment))
        return found

    def incoming(self, appender: Appender) -> tuple[int, int] | None:
        """Return the lowest and highest severity that can come to an appender's own gates, None where none can."""
        windows = []
        for logger, attachment in self.attached[appender.name]:
            low = max(self.lowest[logger], attachment.floor.value, LOWEST)
            high = min(attachment.ceiling.value, HIGHEST)
            if low <= high:
                windows.append((low, high))
        return (min(low for low, _ in windows), max(high for _, high in windows)) if windows else None

    def passing(self, appender: Appender) -> tuple[int, int] | None:
        """Return the severities that can arrive in an appender's sink, None where none can."""
        if not appender.enabled.value:
            return None
        windows = []
        for logger, attachment in self.attached[appender.name]:
            low = max(self.lowest[logger], attachment.floor.value, appender.floor.value, LOWEST)
            high = min(attachment.ceiling.value, appender.ceiling.value, HIGHEST)
            if low <= high:
                windows.append((low, high))
        return (min(low for low, _ in windows), max(high for _, high in windows)) if windows else None

    def receives(self, appender: Appender, severity: int) -> bool:
        """Tell whether events of a severity can arrive in an appender's sink, as far as levels decide."""
        if not appender.enabled.value:
            return False
        if not appender.floor.value <= severity <= appender.ceiling.value:
            return False
        return any(
            self.lowest[logger] <= severity and one.floor.value <= severity <= one.ceiling.value
            for logger, one in self.attached[appender.name]
        )

    def appenders(self, like: Callable[[SinkTraits], bool] = lambda _sink: True) -> Iterator[Appender]:
        """Yield the enabled appenders whose kind of sink is ``like`` that."""
        for one in self.plan.appenders.values():
            if one.enabled.value and like(one.sink.traits):
                yield one

    def rule_lists(self) -> Iterator[RuleList]:
        """Yield every list of rules with what can come to it."""
        everything = (ROOT,)
        if self.plan.rules:
            yield RuleList("plan", "the door", "rules", self.plan.rules, (LOWEST, HIGHEST), everything)
        for appender in self.plan.appenders.values():
            if appender.rules:
                loggers = tuple(logger for logger, _ in self.attached[appender.name])
                yield RuleList(
                    f"appender {appender.name}", appender.name, f"appenders[{appender.name}].rules", appender.rules,
                    self.passing(appender) or self.incoming(appender), loggers,
                )  # fmt: skip
        for name, entry in self.tree.entries.items():
            for at, attachment in enumerate(entry.to):
                if attachment.rules:
                    low, high = max(self.lowest[name], attachment.floor.value), min(attachment.ceiling.value, HIGHEST)
                    yield RuleList(f"logger {name}", f"{name}'s attachment of {attachment.appender}", f"loggers[{name}].to[{at}].rules",
                                   attachment.rules, (low, high), (name,))  # fmt: skip


class RuleList(Struct, frozen=True):
    """A list of rules: where it stands, and which severities and loggers can come to it."""

    subject: str
    owner: str
    path: str
    rules: tuple[Rule, ...]
    severities: tuple[int, int] | None
    loggers: tuple[str, ...]


def subtree_sizes(scene: CheckContext) -> dict[str, int]:
    """Return how many configured loggers stand at or below each one and share its level."""
    sizes = dict.fromkeys(scene.in_order, 1)
    for name in reversed(scene.in_order):
        parent = scene.tree.parent(name)
        if parent is not None and scene.tree.standing(name).inherited_from is not None:
            sizes[parent] += sizes[name]
    return sizes


__all__ = ["DEBUG", "ERROR", "INFO", "OFF", "WARN", "Check", "CheckContext", "Condition", "Hit", "Place"]
