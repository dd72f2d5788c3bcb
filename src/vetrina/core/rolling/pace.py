"""What a recording comes to in a day: an average over its whole days, else extrapolated at its pace.

A part of a day is never shown as a day. A day of the plan's zone counts as whole where the recording begins and ends
within a hundredth of a day of its bounds.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, date, datetime, time, timedelta, tzinfo

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.base.quantities import show_span

A_DAY = timedelta(days=1)
_SLACK = A_DAY / 100
SHORTEST = timedelta(minutes=1)
"""The shortest recording of which a day is extrapolated."""


class Pace(Struct, frozen=True):
    """How long a recording is, and which days of it are whole; without any, a day is extrapolated, but of less than a minute."""

    span: timedelta
    days: tuple[date, ...] = ()

    def a_day(self, whole: float, by_day: Mapping[date, float]) -> int | None:
        """Return what an amount comes to in a day, None where the recording has no whole day and less than a minute.

        ``whole`` is all of it, ``by_day`` the same by the day in the plan's zone.
        """
        if self.days:
            return round(sum(by_day.get(day, 0) for day in self.days) / len(self.days))
        return round(whole * (A_DAY / self.span)) if self.extrapolated else None

    @property
    def extrapolated(self) -> bool:
        """Tell whether a day is extrapolated."""
        return not self.days and self.span >= SHORTEST

    @property
    def known(self) -> bool:
        """Tell whether anything is said of a day."""
        return bool(self.days) or self.extrapolated

    @property
    def about(self) -> str:
        """Return the word that marks an extrapolated figure, nothing for one of whole days."""
        return "" if self.days else "about "

    def words(self) -> str:
        """Return what a figure `a day` stands on."""
        if not self.span:
            return "the recording has no length"
        if not self.known:
            return f"the recording is {show_span(self.span)} long, too short for it"
        if not self.days:
            return f"at this recording's pace, {show_span(self.span)} long"
        if len(self.days) == 1:
            return f"in the recording's one whole day, {self.days[0]:%a %Y-%m-%d}"
        return f"on average over the recording's {len(self.days)} whole days"


def pace_of(first: datetime | None, last: datetime | None, zone: tzinfo) -> Pace:
    """Return the pace of a recording from its first to its last event."""
    if first is None or last is None:
        return Pace(timedelta(0))
    begun, ended = clocks.local(first, zone), clocks.local(last, zone)
    days: list[date] = []
    day = begun.date()
    while day <= ended.date():
        try:
            start = datetime.combine(day, time(), tzinfo=zone)
            end = datetime.combine(day + A_DAY, time(), tzinfo=zone)
            if first - start <= _SLACK and end - last <= _SLACK:
                days.append(day)
            day += A_DAY
        except OverflowError:
            break
    return Pace(last - first, tuple(days))


def seconds_by_day(first: datetime, last: datetime, zone: tzinfo) -> dict[date, float]:
    """Return how many seconds of each day of a zone lie between two instants."""
    found: dict[date, float] = {}
    here = first
    while here < last:
        day = clocks.local(here, zone).date()
        end = min(last, datetime.combine(day + A_DAY, time(), tzinfo=zone).astimezone(UTC))  # differences in UTC only
        if end <= here:
            break
        found[day] = (end - here).total_seconds()
        here = end
    return found
