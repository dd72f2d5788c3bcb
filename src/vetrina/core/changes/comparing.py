"""Two plans held against each other: not by samples but by classes of messages, each routed through both.

A class is a logger (itself, or all below it that no plan or rule names), a stretch of severities between two
thresholds, and an answer to each question that the rules ask of a message. Within a class every message goes the
same way, so comparing one tells of all. A difference is told only with an event that was routed through both plans.
"""

from __future__ import annotations

from collections import Counter as Multiset
from collections.abc import Iterable, Iterator
from typing import TypeAlias

from msgspec import Struct

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.events import Event
from vetrina.core.base.levels import HIGHEST, LOWEST
from vetrina.core.base.logger_names import below, tree_name
from vetrina.core.changes.compared_sides import ComparedSide, route_at
from vetrina.core.changes.counterexamples import TIME, Contradiction, contradicts, counterexample
from vetrina.core.changes.logger_tree import ALL, BELOW, BOTH, ITSELF, LoggerTree
from vetrina.core.plan.conditions import Ask, level_cuts, logger_names
from vetrina.core.plan.model import Plan, Rule
from vetrina.core.routing.router import Decision, Route

MOST_PATHS = 2000
_MOST_ANSWERS = 20_000
Answers: TypeAlias = tuple[tuple[Ask, bool], ...]


class MessageClass(Struct, frozen=True):
    """Messages of a logger between two severities with given answers, that came by a channel where one is named.

    ``scope`` is the logger itself, those below it that no plan or rule names, both of these, or all below it.

    ``arrivals`` are, for the first and the second plan, the sinks (or appenders) that only that one delivers to, as often
    as they are listed. ``example`` is an event that was routed through both; None where none was found (undecided).
    """

    logger: str
    scope: str
    low: int
    high: int
    answers: Answers
    only_in_first: tuple[str, ...]
    only_in_second: tuple[str, ...]
    example: Event | None = None
    channel: str = ""

    def holds(self, logger: str, severity: int, event: Event, others: frozenset[str], separator: str) -> bool:
        """Tell whether a message belongs here; ``others`` are the loggers that have classes of their own."""
        if (event.channel or "") != self.channel:
            return False
        if not self.low <= severity <= self.high or any(ask.holds(event) != answer for ask, answer in self.answers):
            return False
        if logger == self.logger:
            return self.scope != BELOW
        if self.scope == ITSELF:
            return False
        if not below(logger, self.logger, separator):
            return False
        return self.scope == ALL or not any(
            one != self.logger and below(one, self.logger, separator) and below(logger, one, separator) for one in others
        )


class Compared(Struct, frozen=True):
    """What two plans do differently. ``bounded`` are places where the questions multiplied beyond what was followed."""

    differences: tuple[MessageClass, ...]
    undecided: tuple[MessageClass, ...]
    classes: int
    bounded: tuple[str, ...]
    loggers: frozenset[str] = frozenset()


def compare(first: Plan, second: Plan, *, by_appender: bool = False) -> Compared:
    """Route every class of messages through two plans; see the module for what that means."""
    return _Comparing(first, second, by_appender=by_appender).run()


class _Found(Struct, frozen=True):
    """One difference of one logger and scope."""

    low: int
    high: int
    answers: frozenset[tuple[Ask, bool]]
    only_in_first: tuple[str, ...]
    only_in_second: tuple[str, ...]
    known: bool


class _Comparing:
    def __init__(self, first: Plan, second: Plan, *, by_appender: bool) -> None:
        self.sides = ComparedSide(first, by_appender=by_appender), ComparedSide(second, by_appender=by_appender)
        self.separators = tuple(dict.fromkeys((first.separator, second.separator)))
        self.rules = [*_rules(first), *_rules(second)]
        self.names = _logger_names(first, second, self.rules)
        self.rule_cuts = {cut for rule in self.rules for cut in level_cuts(rule.condition)} | {LOWEST}
        self.fresh = _fresh(self.names)
        self.classes = 0
        self.bounded: dict[str, None] = {}
        self._paths: dict[tuple[Decision, Decision], tuple[list[_Found], int, bool]] = {}
        self._channel = ""

    def run(self) -> Compared:
        shown: list[MessageClass] = []
        for channel in self._channels():
            self._channel = channel
            shown += self._of_channel()
        decided = tuple(one for one in shown if one.example is not None)
        undecided = tuple(one for one in shown if one.example is None)
        return Compared(decided, undecided, self.classes, tuple(self.bounded), frozenset(self.names))

    def _channels(self) -> list[str]:
        """Return the channels that one of the plans brings in, after none: all others go round both."""
        named = dict.fromkeys(name for side in self.sides for name in side.router.plan.channels)
        return ["", *(name for name in named if any(side.brings_in(name) for side in self.sides))]

    def _of_channel(self) -> Iterator[MessageClass]:
        """Yield the differences of messages that come by the channel that is looked at."""
        if not any(side.needs_names(self._channel) for side in self.sides):
            for one in self._of_logger(self.fresh):
                yield from self._told(one, "root", ALL)
            return
        found: dict[tuple[str, str], set[_Found]] = {}
        for name in self.names:
            found[name, ITSELF] = self._of_logger(name)
            for turn, separator in enumerate(self.separators):
                scope = BELOW if not turn else f"{BELOW} by {separator}"
                found[name, scope] = self._of_logger(self._below(name, separator))
        yield from self._merged(found)

    def _below(self, name: str, separator: str) -> str:
        return self.fresh if name == "root" else f"{name}{separator}{self.fresh}"

    def _of_logger(self, logger: str) -> set[_Found]:
        cuts = sorted(
            one
            for one in self.rule_cuts.union(*(side.cuts(logger, self._channel) for side in self.sides))
            if LOWEST <= one <= HIGHEST
        )
        found: list[_Found] = []
        for low, after in zip(cuts, [*cuts[1:], HIGHEST + 1], strict=True):
            for one in self._differences(logger, low):
                before = next((at for at, old in enumerate(found) if old.high == low - 1 and _same_but_levels(old, one)), None)
                if before is None:
                    found.append(_Found(low, after - 1, one.answers, one.only_in_first, one.only_in_second, one.known))
                else:
                    found[before] = _Found(
                        found[before].low, after - 1, one.answers, one.only_in_first, one.only_in_second, one.known
                    )
        return set(found)

    def _differences(self, logger: str, severity: int) -> list[_Found]:
        """Return what the plans do differently with one logger and severity, by the answers that matter."""
        first, second = self.sides
        pair = first.decide(logger, severity, self._channel), second.decide(logger, severity, self._channel)
        known = self._paths.get(pair)
        if known is None:
            known = self._paths[pair] = self._follow(*pair)
        found, classes, bounded = known
        self.classes += classes
        if bounded:
            self.bounded[logger.removesuffix(self.fresh).rstrip("".join(self.separators)) or "root"] = None
        return found

    def _follow(self, first: Decision, second: Decision) -> tuple[list[_Found], int, bool]:
        """Route through both decisions, branching at every question; contradictions are left out."""
        paths: list[_Found] = []
        classes, bounded = 0, False
        for answers, *routes in _branches(first, second):
            if not routes:
                if self._alike(first, second):
                    break  # a decision is equal to itself, however many ways lead through it
                bounded = True
                paths.append(_Found(LOWEST, LOWEST, frozenset(answers), (), (), known=False))
                continue
            classes += 1
            arrived = [side.arrivals(route) for side, route in zip(self.sides, routes, strict=True)]
            if arrived[0] != arrived[1]:
                only_first, only_second = self._shown(0, arrived[0] - arrived[1]), self._shown(1, arrived[1] - arrived[0])
                paths.append(_Found(LOWEST, LOWEST, frozenset(answers), only_first, only_second, known=True))
        return _fewer(paths), classes, bounded

    def _alike(self, first: Decision, second: Decision) -> bool:
        """Tell whether two decisions are the same, and so are the places behind their appenders."""
        names = {lane.appender for lane in first.lanes}
        return first == second and all(self.sides[0].keys[name] == self.sides[1].keys.get(name) for name in names)

    def _shown(self, side: int, arrivals: Multiset[str]) -> tuple[str, ...]:
        names = self.sides[side].shown
        return tuple(sorted(names[key] for key in arrivals.elements()))

    def _merged(self, found: dict[tuple[str, str], set[_Found]]) -> Iterator[MessageClass]:
        """Join classes: a logger with all below it where every one of them has the same difference."""
        holders: dict[_Found, set[tuple[str, str]]] = {}
        for place, differences in found.items():
            for one in differences:
                holders.setdefault(one, set()).add(place)
        tree = LoggerTree(self.names, self.separators[0]) if len(self.separators) == 1 else None
        told: list[MessageClass] = []
        for one, places in holders.items():
            for name, scope in tree.tops(places) if tree else sorted(places):
                told += self._told(one, name, scope)
        order = {name: at for at, name in enumerate(self.names)}
        yield from sorted(told, key=lambda one: (order[one.logger], one.scope, one.low, one.high, str(one.answers)))

    def _told(self, one: _Found, name: str, scope: str) -> Iterator[MessageClass]:
        """Yield a difference with its example; one that contradicts itself is left out."""
        if scope in {ITSELF, BOTH, ALL}:
            logger = name
        else:
            logger = self._below(name, scope.removeprefix(f"{BELOW} by ") if " by " in scope else self.separators[0])
        answers = tuple(sorted(one.answers, key=str))
        level = _level(self.sides[0].router.plan, one.low, one.high)
        try:
            event = counterexample(logger, level, answers)
        except Contradiction:
            return
        if event is not None:
            event.channel = self._channel or None
            first, second = (side.arrivals(route_at(side.router, event, level)) for side in self.sides)
            if (self._shown(0, first - second), self._shown(1, second - first)) != (
                one.only_in_first,
                one.only_in_second,
            ) or first == second:
                event = None
        yield MessageClass(
            name,
            scope,
            one.low,
            one.high,
            answers,
            one.only_in_first,
            one.only_in_second,
            event if one.known else None,
            self._channel,
        )


def _level(plan: Plan, low: int, high: int) -> int | str:
    """Return a level of a stretch: one with a built-in name where there is one, else a number."""
    names = [plan.scale.name(severity) for severity in range(low, high + 1)]
    named = [name for name in names if not name.isdigit() and name not in plan.scale.extra]
    return named[0] if named else low


def _rules(plan: Plan) -> Iterator[Rule]:
    yield from plan.rules
    for logger in plan.loggers.values():
        for attachment in logger.to:
            yield from attachment.rules
    for appender in plan.appenders.values():
        yield from appender.rules


def _logger_names(first: Plan, second: Plan, rules: list[Rule]) -> list[str]:
    names = dict.fromkeys(["root", *sorted({*first.loggers, *second.loggers})])
    for rule in rules:
        names |= dict.fromkeys(tree_name(name) for name in sorted(logger_names(rule.condition)))
    return list(names)


def _fresh(names: Iterable[str]) -> str:
    """Return a segment that no name has."""
    all_names = "\n".join(names)
    return next(
        word for word in ("anything", *(f"anything{turn}" for turn in range(len(all_names) + 1))) if word not in all_names
    )


class _Unanswered(VetrinaError):
    """A question whose answer is not supposed yet."""

    def __init__(self, ask: Ask) -> None:
        super().__init__()
        self.ask = ask


_EVENT = Event(TIME, LOWEST, "", "")


def _branches(first: Decision, second: Decision) -> Iterator[tuple[Answers, Route, Route] | tuple[Answers]]:
    """Yield (answers, both routes) for every way in which the questions can be answered; beyond a bound the answers alone."""
    waiting: list[dict[Ask, bool]] = [{}]
    count = 0
    while waiting:
        supposed = waiting.pop()

        def answer(ask: Ask, supposed: dict[Ask, bool] = supposed) -> bool:
            if ask not in supposed:
                raise _Unanswered(ask)
            return supposed[ask]

        if count >= MOST_PATHS:
            yield (tuple(supposed.items()),)
            continue
        try:
            routes = first.follow(_EVENT, answer), second.follow(_EVENT, answer)
        except _Unanswered as open_:
            for value in (False, True):
                further = {**supposed, open_.ask: value}
                if not contradicts(tuple(further.items()), open_.ask):
                    waiting.append(further)
            continue
        count += 1
        yield tuple(supposed.items()), *routes


def _same_but_levels(one: _Found, other: _Found) -> bool:
    return (one.answers, one.only_in_first, one.only_in_second, one.known) == (
        other.answers,
        other.only_in_first,
        other.only_in_second,
        other.known,
    )


def _fewer(paths: list[_Found]) -> list[_Found]:
    """Join paths that differ in the answer to one question alone: that question does not matter."""
    if sum(len(one.answers) for one in paths) > _MOST_ANSWERS:
        return paths
    groups: dict[tuple[tuple[str, ...], tuple[str, ...], bool], set[frozenset[tuple[Ask, bool]]]] = {}
    for one in paths:
        groups.setdefault((one.only_in_first, one.only_in_second, one.known), set()).add(one.answers)
    found = []
    for (only_first, only_second, known), group in groups.items():
        waiting = sorted(group, key=lambda answers: (-len(answers), str(sorted(map(str, answers)))))
        kept = set(group)
        for answers in waiting:
            _absorb(answers, kept)
        found += [_Found(LOWEST, LOWEST, answers, only_first, only_second, known) for answers in kept]
    return found


def _absorb(answers: frozenset[tuple[Ask, bool]], kept: set[frozenset[tuple[Ask, bool]]]) -> None:
    while answers in kept:
        for ask, value in answers:
            twin = (answers - {(ask, value)}) | {(ask, not value)}
            if twin in kept:
                kept -= {answers, twin}
                answers -= {(ask, value)}
                kept.add(answers)
                break
        else:
            return
