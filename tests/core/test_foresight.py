"""What one recording tells of another: what is hidden, what it is set against, and ranges that hold the truth."""

from __future__ import annotations

from collections import Counter
from datetime import UTC, datetime, timedelta
from itertools import filterfalse
from operator import attrgetter

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from plans import in_force, plan
from vetrina.core.base.events import Event
from vetrina.core.foresight.draws import Bucket, Drawn, Shared, dispersion, ends, everywhere, student, together
from vetrina.core.foresight.hidden import Learner, Recorded, SeenHere, hour_of
from vetrina.core.foresight.imagined import Imagination, among, timeline
from vetrina.core.foresight.lessons import Lessons, Told, learn, names_asked
from vetrina.core.rolling.merging_tapes import Extra, merged
from vetrina.core.rolling.tapes import travelling_tape
from vetrina.core.routing.measuring import measures
from vetrina.core.routing.router import Router
from vetrina.work.foreseeing import Learned
from vetrina.work.outcomes import Trial
from vetrina.work.recording import Recording

BEGUN = datetime(2026, 11, 9, tzinfo=UTC)
PLAN = """
loggers: {root: {level: info, to: a}, quiet: {climb: false}, old: {level: debug, to: late}}
appenders: {a: {sink: none}, late: {sink: none, recall: {events: 5, below: warn, at: error}}}
channels: {access: {}}
rules: [{drop: {message: noise}}, {lift: {field: {badge: 1}}}]
"""


def at(hour: float) -> datetime:
    return BEGUN + timedelta(hours=hour)


@pytest.mark.parametrize(
    "event, hidden",
    [
        (Event(BEGUN, "info", "ropeway", "x"), False),
        (Event(BEGUN, "debug", "ropeway", "x"), True),
        (Event(BEGUN, "debug", "ropeway", "x", {"badge": 1}), False),
        (Event(BEGUN, "error", "ropeway", "noise"), True),
        (Event(BEGUN, "error", "quiet", "x"), True),
        (Event(BEGUN, "debug", "old", "x"), False),
        (Event(BEGUN, "trace", "old", "x"), True),
        (Event(BEGUN, "debug", "ropeway", "x", channel="access"), True),
        (Event(BEGUN, "debug", "ropeway", "x", channel="elsewhere"), False),
    ],
    ids=["passes", "level", "lifted", "door", "nowhere", "recalled, perhaps", "below it", "channel brought in", "goes round"],
)
def test_a_recording_cannot_hold_what_its_plan_stops_before_any_appender(event: Event, hidden: bool) -> None:
    assert Recorded(Router(plan(PLAN))).hides(event) is hidden


def lessons(
    tells: list[Event], lacks: list[Event], *, before: str = PLAN, after: str = PLAN.replace("level: info", "level: trace")
) -> Lessons:
    recorded, changed = plan(before), plan(after)
    sides = [Router(recorded), Router(changed)]
    learner = Learner(Recorded(sides[0]), sides, lambda side, name: measures(sides[side].plan.appenders[name]))
    learner.feed(tells)
    here = SeenHere(Recorded(Router(recorded)), names_asked(learner, "."))
    here.feed(lacks)
    return learn(learner, here.found, ".", "bench.jsonl")


def some(logger: str, level: str, count: int, hours: int = 4, begun: float = 0) -> list[Event]:
    return [Event(at(begun + turn * hours / count), level, logger, "step {n}", {"n": turn}) for turn in range(count)]


@pytest.mark.parametrize(
    "tells, lacks, base, weak",
    [
        ([("a.b", "info", 40)], [("a.b", "info", 50)], "a.b", False),
        ([("a.b", "info", 29), ("a", "info", 9)], [("a.b", "info", 50)], "a", False),
        ([("a.b", "info", 40)], [("a.b", "info", 20), ("a.c", "info", 20)], "a", False),
        ([("a.x", "info", 40)], [("a.b.c", "info", 40)], "a", False),
        ([("z", "info", 4)], [("z", "info", 4)], "root", True),
        ([("z", "info", 40)], [("other", "info", 40)], "root", False),
    ],
    ids=["itself", "too few of itself there", "too few of itself here", "below it counts", "root at last", "root in any case"],
)
def test_it_is_set_against_the_nearest_logger_with_thirty_seen_events_in_both(
    tells: list[tuple[str, str, int]], lacks: list[tuple[str, str, int]], base: str, weak: bool
) -> None:
    there = [*some("a.b", "debug", 60), *(event for one in tells for event in some(*one))]
    (lesson,) = lessons(there, [event for one in lacks for event in some(*one, begun=500)]).lessons

    assert (lesson.logger, lesson.severity, lesson.base, lesson.events, lesson.weak) == ("a.b", 5, base, 60, weak)
    assert lesson.there == sum(count for logger, _, count in tells if base == "root" or f"{logger}.".startswith(f"{base}."))


def test_what_is_not_estimated_is_told() -> None:
    debug = some("a.b", "debug", 40)
    alone = lessons(debug, some("a.b", "info", 40))
    odd = lessons([*debug, *some("a", "info", 40)], [*some("a", "info", 40), *some("a.b", "debug", 3)])
    short = lessons([*some("a", "debug", 40, hours=1), *some("a", "info", 40, hours=1)], some("a", "info", 40))

    assert (alone.untold, alone.kinds) == ((("a.b", 5),), ())
    assert (dict(odd.odd), odd.kinds) == ({("a.b", 5): 3}, ())
    assert [one.weak for one in short.lessons] == [True]


def test_the_hours_of_several_recordings_are_their_own_and_counts_weigh() -> None:
    sides = [Router(plan(PLAN)), Router(plan(PLAN.replace("level: info", "level: trace")))]
    learner = Learner(Recorded(sides[0]), sides, lambda side, name: measures(sides[side].plan.appenders[name]))
    for _ in range(2):
        learner.feed([Event(BEGUN, "debug", "a", "x", count=7), Event(BEGUN, "info", "a", "x", count=3)])
        learner.next_recording()

    (kind,) = learner.kinds.values()
    assert (learner.hours, kind.hours, learner.seen) == (2, {0: 7, 1: 7}, {"a": {0: 3, 1: 3}})


@given(st.lists(st.tuples(st.integers(0, 60), st.integers(1, 60)), min_size=3, max_size=12), st.integers(0, 5))
def test_drawings_lie_around_the_ratio_and_are_the_same_for_a_seed(hours: list[tuple[int, int]], seed: int) -> None:
    assume(any(hidden for hidden, _ in hours))
    told = Told(*map(tuple, zip(*hours, strict=True)))
    buckets = [Bucket(500, 25_000)]
    first, again = (Drawn(len(hours), seed).ratios(told) for _ in range(2))
    counts = Drawn(len(hours), seed).counts(first, dispersion(told), buckets)

    assert (first == again).all()
    assert (first >= 0).all()
    assert (counts >= 0).all()
    low, high = ends(first)
    assert low <= told.ratio * 1.001 + 1e-9
    assert high >= told.ratio * 0.999 - 1e-9


def test_dispersion_is_poisson_where_hours_show_no_more_and_bursts_are_seen_together() -> None:
    chance = np.random.default_rng(1)
    seen = tuple(chance.poisson(200, 400).tolist())
    calm = [Told(tuple(chance.poisson(100, 400).tolist()), seen) for _ in range(2)]
    burst = chance.gamma(2, 0.5, 400)
    wild = [Told(tuple(chance.poisson(100 * burst).tolist()), seen) for _ in range(2)]

    assert dispersion(calm[0]).bursts < 0.01
    assert together(calm).bursts < 0.01
    assert dispersion(wild[0]).bursts == pytest.approx(0.5, abs=0.12)
    assert together(wild).bursts == pytest.approx(0.5, abs=0.12)
    assert [round(student(one), 2) for one in (1, 5, 30, 1000)] == [6.31, 2.02, 1.70, 1.65]


def test_bursts_that_hit_what_is_set_against_other_events_are_drawn_for_all_at_once() -> None:
    busy = [1, 5, 2, 9, 1, 4, 12, 2, 3, 1]
    groups = {"a": [Told([10 * one for one in busy], [40] * 10)], "b": [Told([3 * one for one in busy], [7] * 10)]}
    apart = [*groups["a"], Told([30] * 10, [7] * 10)]
    assert everywhere(list(groups.values())) > everywhere([groups["a"]]) == everywhere([[one] for one in apart]) == 0
    buckets = {"a": [Bucket(400, 16_000)], "b": [Bucket(70, 490)]}
    shared = Shared(Drawn(10, 1), groups, buckets)
    some = [shared.of(base)[1][:, 0] for base in groups]
    assert np.corrcoef(some)[0, 1] > 0.9
    alone = Shared(Drawn(10, 1), {"a": [apart[0]], "b": [apart[1]]}, buckets)
    assert (alone.of("b")[1] == 1).all()
    assert alone.of("b")[0].bursts == 0


def test_imagined_events_are_as_many_as_drawn_in_their_hours_and_stand_between_the_recorded() -> None:
    tells = [*some("a.b", "debug", 80), *some("a", "info", 40)]
    lacks = some("a", "info", 60, hours=3, begun=100.25)
    found = Imagination(lessons(tells, lacks), timeline(lessons(tells, lacks)), 1)
    play = found.plays(3)[2]
    made = list(found.events(play))
    mixed = list(among(lacks, made))

    assert len(made) == play.counts[0].sum() > 0
    assert [sum(hour_of(one.time) == hour for one in made) for _, hour, _ in found.hours] == play.counts[0].tolist()
    assert all(lacks[0].time <= one.time <= lacks[-1].time for one in made)
    assert sorted(mixed, key=lambda one: one.time) == mixed
    assert len(mixed) == len(made) + len(lacks)
    assert {one.message for one in made} == {"step {n}"}


@given(
    st.lists(st.tuples(st.integers(0, 50), st.integers(1, 9), st.integers(1, 3)), max_size=12),
    st.lists(st.tuples(st.integers(0, 50), st.integers(1, 9), st.integers(1, 3)), max_size=12),
    st.lists(st.tuples(st.integers(0, 12), st.integers(0, 50)), max_size=3),
)
def test_further_writes_stand_after_those_that_are_not_later(
    own: list[tuple[int, int, int]], more: list[tuple[int, int, int]], starts: list[tuple[int, int]]
) -> None:
    tape = travelling_tape()
    for place, (time, size, count) in enumerate(own):
        tape.times.append(time)
        tape.sizes.append(size)
        if count != 1:
            tape.odd.append((place, count))
    tape.starts = sorted(
        (min(place, len(own)), datetime(1970, 1, 1, tzinfo=UTC) + timedelta(microseconds=time)) for place, time in starts
    )
    more = sorted(more, key=lambda one: one[0])
    times, sizes, counts = (np.array([one[turn] for one in more], dtype=np.int64) for turn in range(3))
    extra = Extra(times, sizes, counts)

    found = merged(tape, extra)
    often = dict(found.odd)
    rows = [(found.times[at], found.sizes[at], often.get(at, 1)) for at in range(len(found.sizes))]

    wanted: list[tuple[int, int, int]] = []
    waiting, latest = list(more), -1
    for one in own:
        latest = max(latest, one[0])
        while waiting and waiting[0][0] < latest:
            wanted.append(waiting.pop(0))
        wanted.append(one)
    assert rows == [*wanted, *waiting]
    assert all(0 <= at <= len(rows) for at, _ in found.starts)
    assert len(found.starts) == len(starts)


def test_ranges_hold_the_truth_of_made_traffic_most_of_the_time() -> None:
    """A small one; benchmarks/foresight.py tries 50 seeds of many kinds of traffic."""
    before, after = (in_force("vetrina: 1\n" + PLAN.replace("level: info", f"level: {level}")) for level in ("info", "trace"))
    hits = []
    for seed in range(16):
        chance = np.random.default_rng(seed)

        def traffic(hours: int, begun: int, rate: float, chance: np.random.Generator = chance) -> list[Event]:
            made = []
            for hour in range(hours):
                for logger, level, share in (("a", "info", 1.0), ("a.b", "debug", 2.0), ("a.c", "trace", 0.5)):
                    count = int(chance.poisson(rate * share))
                    made += [Event(at(begun + hour + float(chance.random())), level, logger, "x") for _ in range(count)]
            return sorted(made, key=attrgetter("time"))

        whole, tells = traffic(12, 0, 40), traffic(8, 200, 15)
        recorded = Recorded(Router(before.plan))
        learned = Learned((Recording(tells),), before.plan, seed)
        held = list(filterfalse(recorded.hides, whole))
        effects = Trial(Recording(held), learned=learned).outcome(before, after).effects
        loggers = Counter(event.logger for event in whole)
        for logger, level in (("a.b", 5), ("a.c", 1)):
            tally = effects.cells[logger, level, "a"].gained
            assert tally.events_ends is not None
            hits.append(tally.events_ends.low <= loggers[logger] <= tally.events_ends.high)

    assert 0.75 <= sum(hits) / len(hits) <= 1
