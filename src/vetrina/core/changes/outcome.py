"""What the effects of a change mean: history left, disk, findings, what the recording cannot tell, and a verdict."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import timedelta
from typing import Any

from msgspec import Struct

from vetrina.core.base.quantities import show_size, show_span
from vetrina.core.base.wording import plural, spaced
from vetrina.core.changes.effects import Effects, Tally
from vetrina.core.checks.runner import Finding
from vetrina.core.foresight.lessons import Ends
from vetrina.core.foresight.unheard import UnrecordedLevels
from vetrina.core.foresight.wording import between, span_of
from vetrina.core.plan.model import Plan
from vetrina.core.rolling.lanes import FilesForeseen
from vetrina.core.rolling.outlook import kept_history
from vetrina.core.rolling.playing import Rolling
from vetrina.core.rolling.simulation import FileSimulation


class Kept(Struct, frozen=True):
    """One file appender's files on one side: how many, the disk at its peak, the history at its shortest.

    Without ``removed`` files no limit acted within the recording: ``history`` is then all there was, and no history that
    is kept. ``bounded`` tells whether the policy has a limit at all.
    """

    files: int
    peak: int
    history: timedelta
    removed: int
    bounded: bool = True
    foreseen: FilesForeseen | None = None

    @property
    def limited(self) -> bool:
        """Tell whether a limit acted, so that the history is one that is kept."""
        return bool(self.removed)

    def words(self) -> str:
        """Return how far back the files reach."""
        span = show_span(self.history)
        if self.foreseen is not None:
            low, high = (show_span(timedelta(seconds=one)) for one in (self.foreseen.history.low, self.foreseen.history.high))
            span = f"~{low}" if low == high else f"~{low} to {high}"
        if self.limited:
            return span
        return f"{'not yet' if self.bounded else 'never'} limited after {span}"


class Rolled(Struct, frozen=True):
    """The files of one appender before and after; None where the appender is not there or does not roll."""

    appender: str
    before: Kept | None
    after: Kept | None


class Outcome(Struct, frozen=True):
    """A change with all that it does; ``words`` are its options as they were given."""

    words: tuple[str, ...]
    effects: Effects
    rolled: tuple[Rolled, ...]
    unheard: tuple[UnrecordedLevels, ...]
    appeared: tuple[Finding, ...]
    vanished: tuple[Finding, ...]
    lines: tuple[str, ...]
    back: tuple[str, ...]

    kinds: dict[str, str] = {}

    @property
    def added_a_day(self) -> dict[str, int | None]:
        """Return the bytes a day that are written more (less, where below nothing), by kind of sink.

        `file` is always there: files on disk. None where nothing tells of a day (`Pace.known`).
        """
        found: dict[str, int | None] = {"file": 0 if self.effects.pace.known else None}
        for name in self.effects.appenders:
            kind = self.kinds.get(name, "file")
            before, after = self.effects.a_day(name)
            known = found.setdefault(kind, 0)
            found[kind] = None if known is None or before is None or after is None else known + after - before
        return {kind: more for kind, more in found.items() if more or kind == "file"}

    def added_ends(self, kind: str) -> tuple[int, int] | None:
        """Return the range of what is added in a day to a kind of sink, None where nothing of it is estimated."""
        foreseen, more = self.effects.foreseen, self.added_a_day.get(kind, 0)
        if foreseen is None or more is None or kind not in foreseen.added:
            return None
        low, high = foreseen.added[kind]
        return more + low, more + high


def touched_files(effects: Effects, before: Plan, after: Plan) -> tuple[str, ...]:
    """Return the rolling file appenders that a change may give other files."""
    names = []
    for name, shift in effects.appenders.items():
        rolls = [plan.appenders[name].roll for plan in (before, after) if _rolls(plan, name)]
        terms = [roll.terms() for roll in rolls]
        if rolls and (shift.changes or len(rolls) == 1 or terms[0] != terms[1]):
            names.append(name)
    return tuple(names)


def _rolls(plan: Plan, name: str) -> bool:
    one = plan.appenders.get(name)
    return one is not None and one.rolls


def rolled(names: Iterable[str], before: Rolling, after: Rolling) -> tuple[Rolled, ...]:
    """Return the files of some appenders on both sides."""
    return tuple(Rolled(name, _kept(before, name), _kept(after, name)) for name in names)


def _kept(rolling: Rolling, name: str) -> Kept | None:
    lane = rolling.lanes.get(name)
    if lane is None:
        return None
    found: FileSimulation = lane.simulation
    removed = sum(one.removed is not None for one in found.files)
    keep = lane.appender.roll.keep
    bounded = any(limit is not None for limit in (keep.files, keep.age, keep.disk))
    return Kept(len(found.files), found.peak, kept_history(found), removed, bounded, lane.foreseen)


def difference(before: Iterable[Finding], after: Iterable[Finding]) -> tuple[tuple[Finding, ...], tuple[Finding, ...]]:
    """Return the findings that appear and those that vanish; where they stand is no matter."""
    was = {(one.code, one.subject, one.message): one for one in before}
    now = {(one.code, one.subject, one.message): one for one in after}
    return tuple(one for key, one in now.items() if key not in was), tuple(one for key, one in was.items() if key not in now)


def verdict(outcome: Outcome, *, tabled: bool = False) -> tuple[str, str, str]:
    """Return three sentences: what the change shows and hides, what it costs, what is risky about it.

    ``tabled`` tells that what several kinds of sinks get stands in a table beside them (`changed_kinds`).
    """
    return _shows(outcome), _costs(outcome, tabled=tabled), _risks(outcome)


def changed_kinds(outcome: Outcome) -> list[str]:
    """Return the kinds of sinks that get more or less bytes in a day, files first."""
    return [kind for kind, more in outcome.added_a_day.items() if more]


def _shows(outcome: Outcome) -> str:
    effects = outcome.effects
    gains = [(name, shift.gained) for name, shift in effects.appenders.items() if any_of(shift.gained)]
    losses = [(name, shift.lost) for name, shift in effects.appenders.items() if any_of(shift.lost)]
    if not gains and not losses:
        changed = [name for name, shift in effects.appenders.items() if shift.changes]
        if changed:
            return f"No event goes elsewhere, but the lines of {listed(changed)} change."
        return "Nothing changes for these events: every one goes where it went, as it was."
    parts = []
    if gains:
        parts.append("more goes to " + listed([f"{name} ({_much(tally, '+')})" for name, tally in _loudest(gains)]))
    if losses:
        parts.append("less to " + listed([f"{name} ({_much(tally, '-')})" for name, tally in _loudest(losses)]))
    text = " and ".join(parts)
    return f"{text[0].upper()}{text[1:]}."


def _loudest(counts: list[tuple[str, Tally]]) -> list[tuple[str, Tally]]:
    return sorted(counts, key=lambda one: (-one[1].events, one[0]))


def any_of(tally: Tally) -> bool:
    """Tell whether there is any of it, or may be."""
    return bool(tally.events or (tally.events_ends and tally.events_ends.high))


def _much(tally: Tally, sign: str) -> str:
    return f"{sign}{spaced(tally.events)}" if tally.events_ends is None else tally_words(tally, sign)


def tally_words(tally: Tally, sign: str = "") -> str:
    """Return how many events, marked where some are not recorded, as a range where they are estimated."""
    if tally.events_ends is not None:
        return between(tally.events_ends, spaced, sign)
    return f"{'~' if tally.estimated else ''}{sign}{spaced(tally.events)}"


def _costs(outcome: Outcome, *, tabled: bool) -> str:
    return f"{_bytes(outcome, tabled=tabled)}; {_history(outcome)}."


def _bytes(outcome: Outcome, *, tabled: bool) -> str:
    """Return what each kind of sink gets more or less in a day; of several, where they are ``tabled``, that they are."""
    pace, added = outcome.effects.pace, outcome.added_a_day
    if added["file"] is None:
        return f"What that is in a day cannot be told: {pace.words()}"
    kinds = changed_kinds(outcome)
    if not kinds:
        return f"In files that is no byte a day more, {pace.words()}"
    if len(kinds) == 1:
        where = "In files" if kinds == ["file"] else f"At sinks of kind {kinds[0]}"
        return f"{where} that is {added_words(outcome, kinds[0], ' a day')}, {pace.words()}"
    if tabled:
        return f"What that is in a day stands below by kind of sink, {pace.words()}"
    told = [f"{'files' if kind == 'file' else kind} {added_words(outcome, kind)}" for kind in kinds]
    return f"In a day, by kind of sink, that is {listed(told, len(told))}, {pace.words()}"


def added_words(outcome: Outcome, kind: str, a_day: str = "") -> str:
    """Return how much more or less sinks of a kind get in a day, marked where it is extrapolated, as a range where it is estimated."""
    pace, more, ends = outcome.effects.pace, outcome.added_a_day[kind] or 0, outcome.added_ends(kind)
    mark = "~" if any(shift.estimated for shift in outcome.effects.appenders.values()) else ""
    if ends is not None and ends[0] < 0 < ends[1]:
        return f"between {pace.about}{show_size(-ends[0])}{a_day} less and {show_size(ends[1])} more"
    if ends is not None:
        low, high = sorted(map(abs, ends))
        return f"{pace.about}{span_of(low, high, show_size)}{a_day} {'more' if ends[1] > 0 else 'less'}"
    return f"{pace.about}{mark}{show_size(abs(more))}{a_day} {'more' if more > 0 else 'less'}"


def _history(outcome: Outcome) -> str:
    """Return what becomes of the history that files keep; what no limit reached yet is none."""
    words = []
    waiting = []
    for one in outcome.rolled:
        was, now = one.before, one.after
        if was is None or now is None:
            words.append(f"{one.appender} rolls only {'after' if was is None else 'before'} the change")
        elif was.limited and now.limited:
            if was.history != now.history:
                word = "shrinks" if now.history < was.history else "grows"
                words.append(f"the history of {one.appender} {word} from {was.words()} to {now.words()}")
        elif was.limited or now.limited:
            words.append(f"the history of {one.appender} goes from {was.words()} to {now.words()}")
        elif now.bounded:
            waiting.append(f"{one.appender}, {now.words()}")
    if words:
        return listed(words)
    if waiting:
        return f"within the recording no limit acts on {listed(waiting)}: what history is left it cannot tell (--repeat plays it on)"
    return "no history is lost" if outcome.rolled else "no file rolls differently"


def _risks(outcome: Outcome) -> str:
    effects = outcome.effects
    words = []
    if any(one.below for one in outcome.unheard):
        words.append(
            "of what the change lets through the recording holds a part not at all, so these counts may say too little"
        )
    if effects.twice:
        twice = sum(effects.twice.values())
        count = _turned(effects, effects.twice)
        words.append(f"{count} {plural(twice, 'event')} {'arrives' if twice == 1 else 'arrive'} twice that did not")
    if effects.silenced:
        silent = sum(effects.silenced.values())
        words.append(
            f"{_turned(effects, effects.silenced)} {plural(silent, 'event')} that arrived {'arrives' if silent == 1 else 'arrive'} nowhere now"
        )
    if outcome.appeared:
        words.append(f"check finds {len(outcome.appeared)} more: {listed(sorted({one.code for one in outcome.appeared}))}")
    if not words:
        return "Nothing arrives twice that did not, nothing falls silent, and check finds nothing new."
    text = "; ".join(words)
    return f"{text[0].upper()}{text[1:]}."


def _turned(effects: Effects, counts: Mapping[Any, int]) -> str:
    """Return how many events; where some are estimated, the least and the most that each part may be, all together."""
    known = effects.foreseen.turned if effects.foreseen is not None else {}
    if not known.keys() & counts.keys():
        return spaced(sum(counts.values()))
    ends = [known.get(key, Ends(count, count)) for key, count in counts.items()]
    return span_of(sum(one.low for one in ends), sum(one.high for one in ends))


def listed(words: list[str], most: int = 4) -> str:
    """Return words as a list in a sentence; beyond ``most`` they are counted."""
    if len(words) > most:
        words = [*words[: most - 1], f"{len(words) - most + 1} more"]
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
