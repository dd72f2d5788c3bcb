"""How often the ranges of --learn hold the truth: `python benchmarks/foresight.py` writes docs/foresight.md.

Traffic is made with every level in it. A recording is what a plan at info lets pass of it; another traffic, all of it
recorded, tells of the rest. What whatif and rolling estimate is held against what the whole traffic really comes to.
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

import vetrina
from vetrina.core.base.events import Event
from vetrina.core.changes.effects import Delta
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.foresight.hidden import Recorded
from vetrina.core.routing.router import Router
from vetrina.work.foreseeing import Learned
from vetrina.work.outcomes import Trial
from vetrina.work.recording import Recording

DOCS = Path(__file__).resolve().parent.parent / "docs" / "foresight.md"
SEEDS = 50
COLUMNS = ("events", "bytes", "each logger", "files")
PLAN = """vetrina: 1
loggers: {root: {level: info, to: [desk, book]}, ropeway.wind: {climb: false, to: desk}}
appenders:
  desk: {sink: console}
  book: {sink: file, path: book.log, roll: {at-size: 40 KiB, rename-to: "book.{n}.log", keep: {files: 5}}}
"""
BEGUN = datetime(2026, 11, 9, tzinfo=UTC)
_HOUR = timedelta(hours=1)
LOGGERS = (
    ("ropeway.gate", 20.0, "gate {n} open"),
    ("ropeway.drive", 6.0, "rope at {n} m/s"),
    ("ropeway.wind", 4.0, "gust {n}"),
)
HIDDEN = (
    ("ropeway.gate.scanner", "debug", 3.0), ("ropeway.gate.latch", "debug", 0.4), ("ropeway.gate.latch", "trace", 1.2),
    ("ropeway.drive.motor", "debug", 8.0), ("ropeway.wind.mast3", "debug", 0.05),
)  # fmt: skip


class Setting(NamedTuple):
    """How long each recording is, how many times as busy the one is that lacks the low levels, how the traffic varies.

    With ``files`` the rolling files are played too, which takes most of the time.
    """

    words: str
    tells: int
    lacks: int
    busier: float
    bursts: str
    files: bool


SETTINGS = tuple(
    Setting(f"{tells} hours tell of {lacks}, {busier:g} times as busy", tells, lacks, busier, bursts, tells == lacks)
    for bursts in ("Poisson", "bursty", "bursty, seen as well")
    for tells, lacks, busier in ((6, 48, 4.0), (24, 24, 1.0))
)


def traffic(chance: Any, hours: int, begun: datetime, busy: float, bursts: str) -> list[Event]:
    """Return all events of so many hours: seen ones, and hidden ones in proportion to the work that is done."""
    found: list[Event] = []
    for turn in range(hours):
        start, work = begun + turn * _HOUR, busy * (0.5 + (turn % 24) / 24)
        both = chance.gamma(2, 0.5) if bursts == "bursty, seen as well" else 1.0
        own = chance.gamma(2, 0.5) if bursts == "bursty" else 1.0
        for name, rate, message in LOGGERS:
            found += _some(chance, start, chance.poisson(rate * work * both), "info", name, message)
            for logger, level, each in HIDDEN:
                if logger.startswith(name):
                    found += _some(
                        chance, start, chance.poisson(rate * work * both * own * each), level, logger, "step {n} of {of}"
                    )
    return sorted(found, key=lambda event: event.time)


def _some(chance: Any, start: datetime, count: int, level: str, logger: str, message: str) -> Iterator[Event]:
    for micros, number in zip(
        chance.integers(0, 3_600_000_000, count).tolist(), chance.integers(1, 90_000, count).tolist(), strict=True
    ):
        yield Event(start + timedelta(microseconds=micros), level, logger, message, {"n": number, "of": number % 100})


class Score:
    """How many figures lie within their ranges."""

    def __init__(self) -> None:
        self.held: dict[str, int] = {}
        self.asked: dict[str, int] = {}

    def take(self, what: str, low: float, truth: float, high: float) -> None:
        self.asked[what] = self.asked.get(what, 0) + 1
        self.held[what] = self.held.get(what, 0) + (low <= truth <= high)

    def share(self, what: str) -> str:
        return f"{100 * self.held[what] / self.asked[what]:.0f} %" if what in self.asked else "·"


def one(score: Score, setting: Setting, seed: int, before: ResolvedPlan, after: ResolvedPlan) -> None:
    """Make both recordings, estimate, and look at the truth."""
    chance = np.random.default_rng(seed)
    whole = traffic(chance, setting.lacks, BEGUN, setting.busier, setting.bursts)
    tells = traffic(chance, setting.tells, BEGUN - timedelta(days=30), 1.0, setting.bursts)
    recorded = Recorded(Router(before.plan))
    held = [event for event in whole if not recorded.hides(event)]
    learned = Learned((Recording(tells),), before.plan, seed)
    outcome = Trial(Recording(held), learned=learned).outcome(before, after)
    truth = Trial(Recording(whole)).outcome(before, after)
    for name, shift in outcome.effects.appenders.items():
        real = truth.effects.appenders[name].after
        for what, ends, true in (
            ("events", shift.after.events_ends, real.events),
            ("bytes", shift.after.bytes_ends, real.bytes),
        ):
            if ends is not None:
                score.take(what, ends.low, true, ends.high)
    for key, shift in outcome.effects.cells.items():
        ends = shift.after.events_ends
        if ends is not None:
            score.take("each logger", ends.low, truth.effects.cells.get(key, Delta()).after.events, ends.high)
    for mine, theirs in zip(outcome.rolled, truth.rolled, strict=True):
        if mine.after is not None and mine.after.foreseen is not None and theirs.after is not None:
            score.take("files", mine.after.foreseen.files.low, theirs.after.files, mine.after.foreseen.files.high)


def rows(settings: Sequence[Setting] = SETTINGS) -> list[str]:
    """Return the rows of the table."""
    with tempfile.TemporaryDirectory() as folder:
        plan = Path(folder) / "plan.yaml"
        plan.write_text(PLAN, encoding="utf-8")
        low = ["ropeway=trace", "ropeway.wind=trace"]
        sides = {
            files: [
                vetrina.resolve(
                    plan, tunes=tunes, sets=[] if files else ["appenders.book={sink: none, path: null, roll: null}"]
                )
                for tunes in ([], low)
            ]
            for files in (True, False)
        }
    found = []
    for setting in settings:
        score = Score()
        for seed in range(1, SEEDS + 1):
            one(score, setting, seed, *sides[setting.files])
        row = f"| {setting.words} | {setting.bursts} | {' | '.join(map(score.share, COLUMNS))} |"
        print(row, file=sys.stderr)
        found.append(row)
    return found


def main() -> None:
    DOCS.write_text(TEXT.format(seeds=SEEDS, rows="\n".join(rows())), encoding="utf-8")


TEXT = """# How often a range holds the truth

Made by `python benchmarks/foresight.py`. Traffic is made with every level in it, hour by hour, more by day than by night;
the hidden levels follow the work that is done. One recording is what a plan at info lets pass, the other holds all of it
for some hours. The ranges that `--learn` gives (5 to 95 of 100) are held against what the whole traffic really comes to,
for {seeds} seeds each. *Poisson*: chance alone. *Bursty*: in each hour the hidden levels are multiplied by a factor drawn from a
gamma law (mean 1, standard deviation 0.7), the same for all of them. *Bursty, seen as well*: it multiplies the seen events too.

*events* and *bytes* are those of each appender after the change, *each logger* those of each logger and level, *files* how many
files there will be.

| recordings | traffic | events | bytes | each logger | files |
|---|---|---|---|---|---|
{rows}

What no range holds: bursts that are rarer than the hours that tell of them. Where one hour in ten is ten times as loud, six
hours most likely hold none of these, and nothing in them says that there are any.
"""

if __name__ == "__main__":
    main()
