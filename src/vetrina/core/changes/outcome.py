"""What the effects of a change mean: history left, disk, findings, what the recording cannot tell, and a verdict."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import timedelta

from msgspec import Struct

from vetrina.core.changes.effects import Effects
from vetrina.core.checking import Finding
from vetrina.core.levels import HIGHEST, NAMES
from vetrina.core.loggers import below
from vetrina.core.plan import Plan
from vetrina.core.quantities import show_size, show_span
from vetrina.core.rolling.outlook import kept_history
from vetrina.core.rolling.running import Rolling
from vetrina.core.rolling.simulation import FileSimulation
from vetrina.core.routing import Router

_A_DAY = timedelta(days=1)


class Kept(Struct, frozen=True):
    """One file appender's files on one side: how many, the disk at its peak, the history at its shortest."""

    files: int
    peak: int
    history: timedelta
    removed: int

    @property
    def whole(self) -> bool:
        """Tell whether nothing was removed, so that the history is all there was."""
        return not self.removed


class Rolled(Struct, frozen=True):
    """The files of one appender before and after; None where the appender is not there or does not roll."""

    appender: str
    before: Kept | None
    after: Kept | None


class Unheard(Struct, frozen=True):
    """Levels that the change lets a logger (and all below it) through, and of which the recording holds no event."""

    logger: str
    low: int
    high: int


class Outcome(Struct, frozen=True):
    """A change with all that it does; ``words`` are its options as they were given."""

    words: tuple[str, ...]
    effects: Effects
    rolled: tuple[Rolled, ...]
    unheard: tuple[Unheard, ...]
    appeared: tuple[Finding, ...]
    vanished: tuple[Finding, ...]
    lines: tuple[str, ...]
    back: tuple[str, ...]

    @property
    def added_a_day(self) -> int:
        """Return the bytes a day that all appenders write more (less, where below nothing)."""
        more = sum(shift.after.bytes - shift.before.bytes for shift in self.effects.appenders.values())
        return a_day(more, self.effects.span)


def a_day(amount: int, span: timedelta) -> int:
    """Return what ``amount`` in a span comes to in a day; a span of less than a day counts as one."""
    tick = timedelta(microseconds=1)
    return round(amount * (_A_DAY // tick) / (max(span, _A_DAY) // tick))


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
    return one is not None and one.sink.kind == "file" and one.roll.rolls


def rolled(names: Iterable[str], before: Rolling, after: Rolling) -> tuple[Rolled, ...]:
    """Return the files of some appenders on both sides."""
    return tuple(Rolled(name, _kept(before, name), _kept(after, name)) for name in names)


def _kept(rolling: Rolling, name: str) -> Kept | None:
    lane = rolling.lanes.get(name)
    if lane is None:
        return None
    found: FileSimulation = lane.simulation
    removed = sum(one.removed is not None for one in found.files)
    return Kept(len(found.files), found.peak, kept_history(found), removed)


def unheard(before: Router, after: Router, effects: Effects) -> tuple[Unheard, ...]:
    """Return what the recording cannot tell: levels that newly arrive somewhere, below all that it holds of a logger.

    Only levels that have a name count, and a logger that goes the way of one above it is told with that one.
    """
    found: dict[str, Unheard] = {}
    separator, named = after.plan.separator, sorted({*NAMES.values(), *after.plan.scale.extra.values()})
    for name in sorted({"root", *after.plan.loggers, *before.plan.loggers}, key=lambda one: (one != "root", one)):
        was, now = before.standing(name).severity, after.standing(name).severity
        if now >= was or any(below(name, one, separator) for one in found):
            continue
        heard = min((severity for logger, severity in effects.recorded if below(logger, name, separator)), default=HIGHEST + 1)
        gap = [one for one in named if now <= one < min(was, heard) and _arrives(after, name, one)]
        if gap:
            found[name] = Unheard(name, gap[0], gap[-1])
    return tuple(found.values())


def _arrives(router: Router, logger: str, severity: int) -> bool:
    route = router.compile(logger, severity).route
    return route is None or bool(route.deliveries)


def difference(before: Iterable[Finding], after: Iterable[Finding]) -> tuple[tuple[Finding, ...], tuple[Finding, ...]]:
    """Return the findings that appear and those that vanish; where they stand is no matter."""
    was = {(one.code, one.subject, one.message): one for one in before}
    now = {(one.code, one.subject, one.message): one for one in after}
    return tuple(one for key, one in now.items() if key not in was), tuple(one for key, one in was.items() if key not in now)


def verdict(outcome: Outcome) -> tuple[str, str, str]:
    """Return three sentences: what the change shows and hides, what it costs, what is risky about it."""
    return _shows(outcome), _costs(outcome), _risks(outcome)


def _shows(outcome: Outcome) -> str:
    effects = outcome.effects
    gains = [(name, shift.gained.events) for name, shift in effects.appenders.items() if shift.gained.events]
    losses = [(name, shift.lost.events) for name, shift in effects.appenders.items() if shift.lost.events]
    if not gains and not losses:
        changed = [name for name, shift in effects.appenders.items() if shift.changes]
        if changed:
            return f"No event goes elsewhere, but the lines of {listed(changed)} change."
        return "Nothing changes for these events: every one goes where it went, as it was."
    parts = []
    if gains:
        parts.append("more goes to " + listed([f"{name} (+{counted(count)})" for name, count in _loudest(gains)]))
    if losses:
        parts.append("less to " + listed([f"{name} (-{counted(count)})" for name, count in _loudest(losses)]))
    text = " and ".join(parts)
    return f"{text[0].upper()}{text[1:]}."


def _loudest(counts: list[tuple[str, int]]) -> list[tuple[str, int]]:
    return sorted(counts, key=lambda one: (-one[1], one[0]))


def _costs(outcome: Outcome) -> str:
    added = outcome.added_a_day
    size = f"{show_size(abs(added))} a day {'more' if added >= 0 else 'less'}" if added else "no byte a day more"
    shrunk = [one for one in outcome.rolled if one.before and one.after and one.after.history < one.before.history]
    grown = [one for one in outcome.rolled if one.before and one.after and one.after.history > one.before.history]
    if not outcome.rolled:
        return f"That is {size}; no file rolls differently."
    if not shrunk and not grown:
        return f"That is {size}; no history is lost."
    words = [
        f"the history of {one.appender} {word} from {show_span(one.before.history)} to {show_span(one.after.history)}"
        for word, some in (("shrinks", shrunk), ("grows", grown))
        for one in some
        if one.before and one.after
    ]
    return f"That is {size}; {listed(words)}."


def _risks(outcome: Outcome) -> str:
    effects = outcome.effects
    words = []
    if outcome.unheard:
        words.append("the recording holds nothing of what the change lets through, so these counts say too little")
    if effects.twice:
        words.append(f"{counted(sum(effects.twice.values()))} events arrive twice that did not")
    if effects.silenced:
        words.append(f"{counted(sum(effects.silenced.values()))} events that arrived arrive nowhere now")
    if outcome.appeared:
        words.append(f"check finds {len(outcome.appeared)} more: {listed(sorted({one.code for one in outcome.appeared}))}")
    if not words:
        return "Nothing arrives twice that did not, nothing falls silent, and check finds nothing new."
    text = "; ".join(words)
    return f"{text[0].upper()}{text[1:]}."


def counted(count: int) -> str:
    """Return a count with a blank between thousands, as SI writes them."""
    return f"{count:,}".replace(",", " ")


def listed(words: list[str], most: int = 4) -> str:
    """Return words as a list in a sentence; beyond ``most`` they are counted."""
    if len(words) > most:
        words = [*words[: most - 1], f"{len(words) - most + 1} more"]
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
