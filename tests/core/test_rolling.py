"""Periods as a table, policies as examples, and the invariants of every simulation."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from plans import faults, in_force
from vetrina.core.plan.rolling_policy import Every, Roll
from vetrina.core.rolling.periods import period_of
from vetrina.core.rolling.simulation import FileRecord, FileSimulation

ROME = ZoneInfo("Europe/Rome")
START = datetime(2026, 11, 9, tzinfo=UTC)


@pytest.mark.parametrize(
    "zone, every, instant, start, end",
    [
        pytest.param("UTC", Every("minute"), "2026-11-16T05:12:30+00:00", "05:12", "05:13", id="a minute"),
        pytest.param(
            "UTC", Every("minute", 7), "2026-11-16T23:58:00+00:00", "23:55", "00:00", id="seven minutes, cut at midnight"
        ),
        pytest.param(
            "Europe/Rome",
            Every("hour", 5),
            "2026-11-16T22:30:00+01:00",
            "20:00",
            "00:00",
            id="five hours, counted from midnight",
        ),
        pytest.param(
            "Europe/Rome", Every("day"), "2026-03-29T12:00:00+02:00", "00:00+01:00", "00:00+02:00", id="a day of 23 hours"
        ),
        pytest.param(
            "Europe/Rome", Every("day"), "2026-10-25T12:00:00+01:00", "00:00+02:00", "00:00+01:00", id="a day of 25 hours"
        ),
        pytest.param(
            "Europe/Rome",
            Every("day", 1, 150),
            "2026-03-29T12:00:00+02:00",
            "03:00+02:00",
            "02:30+02:00",
            id="a boundary in a skipped hour counts at the jump",
        ),
        pytest.param(
            "Europe/Rome",
            Every("day", 1, 150),
            "2026-10-25T02:45:00+01:00",
            "02:30+02:00",
            "02:30+01:00",
            id="a boundary that comes twice counts the first time",
        ),
        pytest.param(
            "Europe/Rome",
            Every("hour"),
            "2026-10-25T02:15:00+02:00",
            "02:00+02:00",
            "02:00+01:00",
            id="an hour that comes twice is two periods",
        ),
        pytest.param(
            "Europe/Rome", Every("hour"), "2026-10-25T02:15:00+01:00", "02:00+01:00", "03:00+01:00", id="and this is the second"
        ),
        pytest.param(
            "Europe/Rome",
            Every("hour"),
            "2026-03-29T01:59:00+01:00",
            "01:00+01:00",
            "03:00+02:00",
            id="the hour before the jump",
        ),
        pytest.param(
            "Europe/Rome",
            Every("minute", 45),
            "2026-03-29T03:10:00+02:00",
            "03:00+02:00",
            "03:45+02:00",
            id="45 minutes: 02:15 is skipped and counts at the jump",
        ),
        pytest.param("UTC", Every("week"), "2026-11-15T12:00:00+00:00", "2026-11-09", "2026-11-16", id="weeks begin on Monday"),
        pytest.param(
            "UTC", Every("week", 1, 180), "2026-11-16T02:00:00+00:00", "2026-11-09", "2026-11-16", id="weeks at three o'clock"
        ),
        pytest.param("UTC", Every("month"), "2028-02-29T12:00:00+00:00", "2028-02-01", "2028-03-01", id="a leap month"),
        pytest.param("UTC", Every("year"), "2026-12-31T23:59:59+00:00", "2026-01-01", "2027-01-01", id="a year"),
        pytest.param(
            "UTC", Every("day", 2), "2026-11-16T00:00:00+00:00", "2026-11-15", "2026-11-17", id="two days, from 1970-01-01"
        ),
        pytest.param(
            "Pacific/Apia",
            Every("day"),
            "2011-12-31T01:00:00+14:00",
            "2011-12-31",
            "2012-01-01",
            id="a zone that skipped a day",
        ),
        pytest.param(
            "Australia/Lord_Howe",
            Every("hour"),
            "2026-04-05T01:45:00+10:30",
            "01:00+11:00",
            "02:00+10:30",
            id="half an hour back",
        ),
    ],
)
def test_periods(zone: str, every: Every, instant: str, start: str, end: str) -> None:
    where = ZoneInfo(zone)
    found = period_of(datetime.fromisoformat(instant), every, where)
    texts = [moment.astimezone(where).isoformat(timespec="minutes") for moment in (found.start, found.end)]

    assert start in texts[0]
    assert end in texts[1]
    assert found.start <= datetime.fromisoformat(instant) < found.end


@given(
    st.sampled_from(["UTC", "Europe/Rome", "America/St_Johns", "Australia/Lord_Howe", "Asia/Kathmandu"]),
    st.sampled_from(
        [
            Every("minute", 7),
            Every("minute", 90),
            Every("hour", 5),
            Every("day", 1, 150),
            Every("day", 3),
            Every("week"),
            Every("month", 1, 61),
            Every("year"),
        ]
    ),
    st.datetimes(datetime(1975, 1, 1), datetime(2060, 1, 1), timezones=st.just(UTC)),
)
def test_periods_follow_one_another_without_gaps(zone: str, every: Every, instant: datetime) -> None:
    where = ZoneInfo(zone)
    found = period_of(instant, every, where)
    following = period_of(found.end, every, where)

    assert found.start <= instant < found.end
    assert following.start == found.end
    assert period_of(found.start, every, where) == found
    assert period_of(found.end - timedelta(microseconds=1), every, where) == found


def policy(keys: str, path: str = "a.log", zone: str = "UTC", **file: Any) -> Roll:
    body = {"sink": "file", "path": path, **file}
    text = json.dumps(body)[:-1] + (f', "roll": {keys}}}' if keys else "}")
    found = in_force(f"vetrina: 1\nzone: {zone}\nappenders:\n  a: {text}\n").plan.appenders["a"].roll
    assert isinstance(found, Roll)
    return found


def ran(
    roll: Roll, *writes: tuple[float, int], zone: Any = UTC, starts: tuple[float, ...] = (), ratio: float = 0.1
) -> FileSimulation:
    """Write (hours after the start, bytes) one after another; ``starts`` are hours of events marked start."""
    found = FileSimulation(roll, zone, ratio=ratio)
    for hours, size in writes:
        time = START + timedelta(hours=hours)
        if hours in starts:
            found.start(time)
        found.write(time, size)
    found.finish()
    return found


def told(found: FileSimulation) -> list[str]:
    return [
        f"{one.name} {one.reason} {one.events}/{one.bytes}" + (f" {one.removed_by}" if one.removed_by else "")
        for one in found.files
    ]


@pytest.mark.parametrize(
    "roll, writes, expected",
    [
        pytest.param(
            policy("{every: day, rename-to: 'a-{period|%d}.log'}"),
            [(0, 5), (23, 5), (24, 5), (20, 5)],
            ["a-09.log time 2/10", "a.log None 2/10"],
            id="by day, and time never runs back",
        ),
        pytest.param(
            policy("{every: hour, rename-to: 'a-{n}.log'}"),
            [(0, 1), (50, 1)],
            ["a-1.log time 1/1", "a.log None 1/1"],
            id="an idle period makes no file",
        ),
        pytest.param(
            policy("{at-size: 10 B, rename-to: 'a.{n}'}"),
            [(0, 6), (1, 4), (2, 1)],
            ["a.1 size 2/10", "a.log None 1/1"],
            id="before: exactly full is not too much",
        ),
        pytest.param(
            policy("{at-size: 10 B, rename-to: 'a.{n}'}"),
            [(0, 99), (1, 1)],
            ["a.1 size 1/99", "a.log None 1/1"],
            id="an event larger than a file has one of its own",
        ),
        pytest.param(
            policy("{at-size: 10 B, size-check: after, rename-to: 'a.{n}'}"),
            [(0, 6), (1, 4), (2, 1)],
            ["a.1 size 2/10", "a.log None 1/1"],
            id="after: full rolls at once",
        ),
        pytest.param(
            policy("{at-size: 10 B, size-check: after, rename-to: 'a.{n}'}"),
            [(0, 6), (1, 9)],
            ["a.1 size 2/15"],
            id="after: the next file opens with the next event",
        ),
        pytest.param(
            policy("{at-size: 1 B, newest: first, rename-to: 'a.{n}'}"),
            [(0, 1), (1, 1), (2, 1)],
            ["a.2 size 1/1", "a.1 size 1/1", "a.log None 1/1"],
            id="newest first: the others move up",
        ),
        pytest.param(
            policy("{at-size: 1 B, rename-to: 'a.{n}', keep: {files: 1}}"),
            [(0, 1), (1, 1), (2, 1), (3, 1)],
            ["a.1 size 1/1 files", "a.2 size 1/1 files", "a.3 size 1/1", "a.log None 1/1"],
            id="highest goes on above what is there",
        ),
        pytest.param(
            policy("{at-size: 1 B, rename-to: 'a.{n}', keep: {files: 0}}"),
            [(0, 1), (1, 1), (2, 1)],
            ["a.1 size 1/1 files", "a.1 size 1/1 files", "a.log None 1/1"],
            id="and from 1 where nothing is there",
        ),
        pytest.param(
            policy("{at-size: 1 B, rename-to: old.log}"),
            [(0, 1), (1, 1), (2, 1)],
            ["old.log size 1/1 overwritten", "old.log size 1/1", "a.log None 1/1"],
            id="a name without number overwrites",
        ),
        pytest.param(
            policy("{every: day}", path="a-{period|%H}.log"),
            [(0, 1), (24, 1)],
            ["a-00.log time 1/1 overwritten", "a-00.log None 1/1"],
            id="final names that repeat overwrite",
        ),
        pytest.param(
            policy("{every: day, at-size: 1 B}", path="a-{period|%d}-{n}.log"),
            [(0, 1), (1, 1), (24, 1)],
            ["a-09-1.log size 1/1", "a-09-2.log time 1/1", "a-10-1.log None 1/1"],
            id="final names count in each period",
        ),
        pytest.param(
            policy("{every: day, rename-to: 'a-{period|%d}.gz', keep: {age: 1 day}}"),
            [(0, 1), (24, 1), (48, 1), (72, 1)],
            ["a-09.gz time 1/1 age", "a-10.gz time 1/1", "a-11.gz time 1/1", "a.log None 1/1"],
            id="strictly older than the age",
        ),
        pytest.param(
            policy("{at-size: 10 B, rename-to: 'a.{n}.gz', keep: {disk: 2 B}}"),
            [(0, 10), (1, 10), (2, 10), (3, 1)],
            ["a.1.gz size 1/10 disk", "a.2.gz size 1/10", "a.3.gz size 1/10", "a.log None 1/1"],
            id="down to the disk limit, packed",
        ),
    ],
)
def test_policies(roll: Roll, writes: list[tuple[float, int]], expected: list[str]) -> None:
    assert told(ran(roll, *writes)) == expected


def test_starts_roll_or_empty_the_file() -> None:
    each = ran(policy("{each-start: true, rename-to: 'a.{n}'}"), (0, 1), (1, 1), (2, 1), starts=(0, 1))
    emptied = ran(policy("", append=False), (0, 1), (1, 1), (2, 1), starts=(0, 2))

    assert told(each) == ["a.1 start 1/1", "a.log None 2/2"]
    assert told(emptied) == ["a.log None 1/1"]
    assert emptied.files[0].lost == 2


def test_many_writes_of_one_event_are_counted_not_played() -> None:
    found = FileSimulation(policy("{at-size: 1 MiB, rename-to: 'a.{n}', keep: {files: 3}}"), UTC, ratio=1)
    found.write(START, 100, times=1_000_000_000)
    found.finish()

    assert sum(one.events for one in found.files) == 1_000_000_000
    assert found.files[0].events == (1 << 20) // 100
    assert found.peak == 4 * ((1 << 20) // 100 * 100)


def test_sizes_on_disk_round_halves_up_and_history_is_what_is_there() -> None:
    found = ran(policy("{every: day, rename-to: 'a-{period|%d}.gz', keep: {files: 1}}"), (0, 5), (24, 15), (48, 7), ratio=0.1)

    assert [one.disk_bytes for one in found.files] == [1, 2, 7]
    assert found.history() == (START + timedelta(days=1), START + timedelta(days=2))
    assert found.peak == 1 + 15


POLICIES = st.builds(
    lambda every, size, check, newest, name, keep: {**every, **size, **check, **newest, "rename-to": name, "keep": keep},
    st.sampled_from([{}, {"every": "hour"}, {"every": "day", "at": "03:00"}]),
    st.sampled_from([{}, {"at-size": "20 B"}, {"at-size": "3 B"}]),
    st.sampled_from([{}, {"size-check": "after"}]),
    st.sampled_from([{}, {"newest": "first"}, {"each-start": True}]),
    st.sampled_from(["a.{n}", "a-{n|zeros 3}.gz", "same.log"]),
    st.fixed_dictionaries(
        {},
        optional={
            "files": st.integers(0, 4),
            "age": st.sampled_from(["2 hours", "1 day"]),
            "disk": st.sampled_from(["5 B", "60 B"]),
        },
    ),
)
STREAM = st.lists(
    st.tuples(st.integers(-30, 300), st.integers(0, 30), st.integers(1, 3), st.booleans()), min_size=1, max_size=40
)


@given(POLICIES, STREAM, st.booleans())
def test_invariants_hold_for_every_policy_and_stream(
    keys: dict[str, Any], stream: list[tuple[int, int, int, bool]], append: bool
) -> None:
    roll = policy(json.dumps(keys), zone="Europe/Rome", append=append)
    found = FileSimulation(roll, ROME, ratio=0.5)
    written = 0
    for minutes, size, times, starts in stream:
        time = START + timedelta(minutes=10 * minutes)
        if starts:
            found.start(time)
        found.write(time, size, times)
        written += times
        closed = [one for one in found.files if one.closed is not None and one.removed is None]
        if roll.keep.files is not None:
            assert len(closed) <= roll.keep.files.value
        if roll.keep.disk is not None:
            assert sum(one.disk_bytes for one in closed) <= roll.keep.disk.value
    found.finish()
    there = [one for one in found.files if one.removed is None]

    def emptied(one: FileRecord) -> int:
        return one.lost - (one.events if one.removed_by == "overwritten" else 0)

    assert written == sum(one.events + emptied(one) for one in found.files)
    assert len({one.name for one in there}) == len(there)
    opened = [one.opened for one in found.files]
    assert opened == sorted(opened)
    assert all(one.closed is None or one.closed >= one.opened for one in found.files)
    assert found.peak >= max(one.bytes for one in found.files)


@pytest.mark.parametrize(
    "file, words",
    [
        ("path: a.log, roll: {every: day}", "a rolled file has no name to go to"),
        (
            "path: 'a-{period|%d}.log', roll: {every: day, at-size: 1 MB}",
            "path has {period} but no {n}, and at-size needs several names",
        ),
        ("path: 'a-{period|%d}.log', roll: {every: day, each-start: true}", "each-start needs several names"),
        ("path: 'a-{period|%d}.log', roll: {at-size: 1 MB}", "{period} needs every"),
        ("path: a.log, roll: {at-size: 1 MB, rename-to: 'a-{period|%d}'}", "{period} needs every"),
        ("path: 'a-{period|%d}.log'", '"{period}" in path needs a roll'),
        ("path: a.log.gz, roll: {every: day, rename-to: 'a-{n}'}", "the open file cannot be compressed"),
        ("path: a.log, roll: {every: 25 hours, rename-to: 'a-{n}'}", "every 25 hours is not possible"),
        ("path: a.log, roll: {every: 2 weeks, rename-to: 'a-{n}'}", "is not a period"),
        ("path: a.log, roll: {every: hour, at: '03:00', rename-to: 'a-{n}'}", '"at" moves the boundary of days and longer'),
        ("path: a.log, roll: {every: day, at: '25:00', rename-to: 'a-{n}'}", '"at" wants a wall-clock time'),
        ("path: a.log, roll: {every: day, rename-to: 'a-{m}'}", '"m" is not known in a file\'s name'),
        ("path: a.log, roll: {every: day, rename-to: 'a-{period}'}", "period needs a % step"),
        ("path: a.log, roll: {every: day, rename-to: 'a-{n}', keep: {age: 2 months}}", "a month has no fixed length"),
        ("path: a.log, roll: {every: day, rename-to: 'a-{n}', keep: {disk: 20}}", "20 has no unit"),
    ],
)
def test_bad_policies_are_faults_with_places(file: str, words: str) -> None:
    told_ = faults(f"appenders:\n  a: {{sink: file, {file}}}\n")

    assert any(words in one for one in told_), told_
    assert all(one.startswith("3:") for one in told_)


@pytest.mark.parametrize("unit", ["minute", "hour", "day", "week", "month", "year"])
@pytest.mark.parametrize("instant", [datetime.max, datetime.min])
def test_the_ends_of_the_calendar_are_in_a_period(unit: str, instant: datetime) -> None:
    moment = instant.replace(tzinfo=UTC)

    period = period_of(moment, Every(unit), ROME)

    assert period.start <= moment <= period.end
