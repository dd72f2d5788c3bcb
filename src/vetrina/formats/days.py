"""The day of times that show none, or no year: counted on from the first one as the clock jumps back."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, timedelta, tzinfo

from vetrina.core.templates.undoing import Misfit

_DATE = re.compile(r"(?<!\d)(\d{4})-?(0[1-9]|1[0-2])-?(0[1-9]|[12]\d|3[01])(?!\d)")
_HALF_A_DAY = timedelta(hours=12)


class Days:
    """Completes times of one file, in order; ``day`` is the first one, None where it is not known."""

    def __init__(self, day: date | None) -> None:
        self.day = day
        self._clock = timedelta(0)
        self._begun = False

    def complete(self, clock: tuple[timedelta, tzinfo] | None, month_day: tuple[int, int] | None) -> datetime:
        """Put a day to a time of day: when the clock jumps back by more than half a day, the next day has begun.

        Where month and day are known, a year: of those beside the year before it the one in which it is nearest.

        Raises:
            Misfit: Where no day is known, or the year has none of this month.
        """
        if self.day is None:
            raise Misfit("it has no time")
        span, zone = clock if clock is not None else (timedelta(0), UTC)
        if month_day is not None:
            self.day = self._in_year(self.day, *month_day)
            self._begun = True
        else:
            if span < self._clock - _HALF_A_DAY:
                self.day += timedelta(days=1)
            self._clock = span
        return datetime(self.day.year, self.day.month, self.day.day, tzinfo=zone) + span

    def _in_year(self, before: date, month: int, day: int) -> date:
        years = (before.year, before.year + 1, before.year - 1) if self._begun else (before.year,)
        days = [found for year in years if (found := _day(year, month, day)) is not None]
        if not days:
            raise Misfit(f"{before.year} has no day {month:02}-{day:02}")
        return min(days, key=lambda one: abs(one - before))


def _day(year: int, month: int, day: int) -> date | None:
    try:
        return date(year, month, day)
    except ValueError:
        return None


def date_in(name: str) -> date | None:
    """Return the date in a file's name, None where there is none."""
    found = _DATE.search(name)
    return _day(*map(int, found.groups())) if found else None
