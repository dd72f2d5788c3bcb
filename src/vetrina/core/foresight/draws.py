"""The drawing of events that nobody recorded: how many there may be in each stretch of time, so many times over.

The hours that tell of them are drawn again with replacement; each drawing has a ratio, of hidden events to seen ones,
and a count for each stretch: negative binomial, with the dispersion that those hours show.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import sqrt
from typing import Any

import numpy as np
from msgspec import Struct

from vetrina.core.foresight.lessons import Ends, Lesson, Told, Total

DRAWS = 1000
_Z = 1.6448536269514722
_T = (6.314, 2.920, 2.353, 2.132, 2.015, 1.943, 1.895, 1.860, 1.833, 1.812, 1.796, 1.782, 1.771, 1.761, 1.753, 1.746, 1.740)
"""The 95th of a hundred of Student's t for 1, 2, … degrees of freedom; beyond, it is worked out."""
_FEW = 3
_WIDEST = 4.0
Array = Any


class Bucket(Struct, frozen=True):
    """A stretch of time in which something is foreseen: the seen events of its hours, all together, and the sum of their squares."""

    seen: float
    squares: float


class Together(Struct, frozen=True):
    """What varies for several kinds at once: the chance in the seen events (0 to 1 of it), and bursts."""

    chance: float = 0.0
    bursts: float = 0.0


class Dispersion(Struct, frozen=True):
    """How counts vary around ``mean``: by ``steady`` times the mean (1: Poisson), and ``bursts`` times its square."""

    steady: float = 1.0
    bursts: float = 0.0

    def apart_from(self, common: Together, ratio: float) -> Dispersion:
        """Return what is left for a kind of such a ratio, when what it shares with others is drawn by itself."""
        return Dispersion(max(1.0, self.steady - common.chance * ratio), max(0.0, self.bursts - common.bursts))


def dispersion(told: Told) -> Dispersion:
    """Return what the hours show: what chance in the seen events explains grows with the mean, what bursts add with its square.

    How strong bursts are is itself told by few hours, the fewer the stronger they are: it is widened as Student's t is.
    """
    hidden, seen = np.asarray(told.hidden, float), np.asarray(told.seen, float)
    mean, hours = told.ratio * seen, told.hours
    if hours < 2 or not mean.any():
        return Dispersion()
    varied = float(((hidden - mean) ** 2).sum()) * hours / (hours - 1)
    steady = min(max(1.0, varied / float(mean.sum())), 1 + told.ratio)
    return Dispersion(steady, _told_by(hours, (varied - steady * float(mean.sum())) / float((mean**2).sum())))


def _told_by(hours: int, bursts: float) -> float:
    """Return the strength of bursts, widened by how few hours tell it."""
    bursts = max(0.0, bursts)
    return bursts * (student(max(2, round(hours / (1 + 3 * bursts)))) / _Z) ** 2


class Drawn:
    """The hours, drawn again: so many drawings of them, the same for every kind of event."""

    def __init__(self, hours: int, seed: int, draws: int = DRAWS) -> None:
        self.chance = np.random.default_rng(seed)
        self.draws = draws
        self._times = self.chance.multinomial(hours, [1 / hours] * hours, size=draws).astype(float)

    def sums(self, by_hour: Sequence[float]) -> Array:
        """Return the sums of what is known by hour, over the hours of each drawing."""
        return self._times @ np.asarray(by_hour, float)

    def ratios(self, told: Told) -> Array:
        """Return the ratio of each drawing.

        Few hours vary less among themselves than what they are drawn from: the drawings are spread as Student's t is
        against the normal law. Fewer than three tell nothing of how hours differ: chance alone spreads those.
        """
        hidden, seen = self.sums(told.hidden), self.sums(told.seen)
        own, hours = told.ratio, told.hours
        found = np.divide(hidden, seen, out=np.full(self.draws, own), where=seen > 0)
        if hours < _FEW:
            return found * self._by_chance(sum(told.hidden)) / self._by_chance(sum(told.seen))
        some = found > 0
        apart = np.log(found[some] / own)
        low, high = np.percentile(apart, [5, 95])
        if high > low:
            wider = student(hours - 1) * sqrt(hours / (hours - 1)) * apart.std() / ((high - low) / 2)
            found[some] = own * np.exp(apart * min(max(wider, 1.0), _WIDEST))
        return found

    def _by_chance(self, count: int) -> Array:
        """Return factors around 1 by which a rate may differ from so many events of it."""
        return self.chance.gamma(count, size=self.draws) / count

    def together(self, how: Together, buckets: Sequence[Bucket], draws: int | None = None) -> Array:
        """Return factors around 1 (drawing by bucket) by which all kinds with the same seen events are more or fewer."""
        draws = draws or self.draws
        found = np.ones((draws, len(buckets)))
        spread = np.array(
            [how.chance / one.seen + how.bursts * one.squares / one.seen**2 if one.seen else 0.0 for one in buckets]
        )
        some = spread > 0
        form = np.broadcast_to(1 / spread[some], (draws, int(some.sum())))
        found[:, some] = self.chance.gamma(form) / form
        return found

    def counts(self, ratios: Array, how: Dispersion, buckets: Sequence[Bucket], factors: Array | None = None) -> Array:
        """Return how many events there are (drawing by bucket), given the ratio of each drawing."""
        seen, squares = (np.array([getattr(one, name) for one in buckets], float) for name in ("seen", "squares"))
        mean = ratios[:, None] * seen[None, :]
        if factors is not None:
            mean *= factors
        varied = how.steady * mean + how.bursts * ratios[:, None] ** 2 * squares[None, :]
        found = np.zeros(mean.shape, dtype=np.int64)
        wide = (varied > mean * (1 + 1e-9)) & (mean > 0)
        found[~wide] = self.chance.poisson(mean[~wide])
        if wide.any():
            of, more = mean[wide], varied[wide]
            found[wide] = self.chance.negative_binomial(of**2 / (more - of), of / more)
        return found


def student(freedom: int) -> float:
    """Return the 95th of a hundred of Student's t."""
    if freedom <= len(_T):
        return _T[freedom - 1]
    z = _Z
    return z + (z**3 + z) / (4 * freedom) + (5 * z**5 + 16 * z**3 + 3 * z) / (96 * freedom**2)


def together(tolds: Sequence[Told]) -> Together:
    """Return what kinds with the same seen events show in common: what their sum varies beyond each by itself."""
    if len(tolds) < 2:
        return Together()
    whole = Told([sum(column) for column in zip(*(one.hidden for one in tolds), strict=True)], tolds[0].seen)
    how, each = dispersion(whole), [(dispersion(one), one.ratio) for one in tolds]
    shared = whole.ratio**2 - sum(ratio**2 for _, ratio in each)
    alone = sum(one.bursts * ratio**2 for one, ratio in each)
    bursts = max(0.0, (how.bursts * whole.ratio**2 - alone) / shared) if shared > 0 else 0.0
    return Together((how.steady - 1) / whole.ratio, bursts)


def everywhere(groups: Sequence[Sequence[Told]]) -> float:
    """Return the strength of bursts that kinds with other seen events show in common: how they vary together, hour by hour."""
    some = [group for group in groups if any(one.ratio for one in group)]
    if len(some) < 2:
        return 0.0
    hidden = np.array([np.sum([one.hidden for one in group], axis=0) for group in some], float)
    mean = np.array([sum(one.ratio for one in group) * np.asarray(group[0].seen, float) for group in some])
    hours = int((mean.any(axis=0) | hidden.any(axis=0)).sum())
    shared = _across(mean)
    if hours < 2 or shared <= 0:
        return 0.0
    return _told_by(hours, _across(hidden - mean) * hours / (hours - 1) / shared)


def _across(rows: Array) -> float:
    """Return the sum over the products of each two rows."""
    return float((rows.sum(axis=0) ** 2).sum() - (rows**2).sum())


class Shared:
    """What kinds vary by at once: bursts that hit all of them, and, for those with the same seen events, theirs.

    ``tolds`` and ``buckets`` are by base. Bursts that hit all are drawn once for each bucket.
    """

    def __init__(
        self,
        drawn: Drawn,
        tolds: Mapping[str, Sequence[Told]],
        buckets: Mapping[str, Sequence[Bucket]],
        draws: int | None = None,
    ) -> None:
        self._drawn, self._tolds, self._buckets, self._draws = drawn, tolds, buckets, draws
        self._bursts = everywhere(list(tolds.values()))
        ratios = {base: sum(one.ratio for one in some) for base, some in tolds.items()}
        columns = zip(*([(ratios[base], one) for one in buckets[base]] for base in tolds), strict=True)
        whole = [
            Bucket(sum(ratio * one.seen for ratio, one in some), sum(ratio * sqrt(one.squares) for ratio, one in some) ** 2)
            for some in columns
        ]
        self._factors = drawn.together(Together(0.0, self._bursts), whole, draws)

    def of(self, base: str) -> tuple[Together, Array]:
        """Return what the kinds of a base vary by at once, and the factors (drawing by bucket) that are drawn of it."""
        own = together(self._tolds[base])
        apart = Together(own.chance, max(0.0, own.bursts - self._bursts))
        factors = self._factors * self._drawn.together(apart, self._buckets[base], self._draws)
        return Together(own.chance, apart.bursts + self._bursts), factors


def ends(found: Array) -> tuple[float, float]:
    """Return the 5th and the 95th of a hundred of the drawings."""
    low, high = np.percentile(np.asarray(found, float), [5, 95])
    return float(low), float(high)


def range_of(figure: int, drawn: Sequence[float], lessons: tuple[Lesson, ...]) -> Ends:
    """Return the range of a figure that was drawn so many times; what is expected of it is always in it."""
    low, high = ends(drawn)
    return Ends(min(figure, round(low)), max(figure, round(high)), lessons)


def total_of(lesson: Lesson, counts: Array) -> Total:
    """Return the events of a lesson in all: what is expected stands first in ``counts``, the drawings follow."""
    low, high = ends(counts[1:] - counts[0])
    middle = round(float(counts[0]))
    return Total(lesson, middle + min(0, round(low)), middle, middle + max(0, round(high)))
