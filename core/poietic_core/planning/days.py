"""The days that a plan counts in."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from datetime import date, timedelta

DAY = timedelta(days=1)


class PlanDays:
    """Monday to Friday, without days on which nobody works and with those on which somebody does.

    Examples
    --------
    >>> days = PlanDays(closed=[date(2026, 12, 25)], opened=[date(2026, 12, 27)])
    >>> [str(d) for d in days.following(date(2026, 12, 24), 3)]  # Thursday, Sunday, Monday
    ['2026-12-24', '2026-12-27', '2026-12-28']
    >>> days.between(date(2026, 12, 24), date(2026, 12, 28))
    2
    """

    def __init__(self, closed: Iterable[date] = (), opened: Iterable[date] = ()) -> None:
        self._closed = sorted({d for d in closed if d.weekday() < 5})
        self._opened = sorted({d for d in opened if d.weekday() >= 5})
        self._others = frozenset([*self._closed, *self._opened])

    def is_working(self, day: date) -> bool:
        """Return whether a day counts."""
        return (day.weekday() < 5) != (day in self._others)

    def following(self, first: date, count: int) -> list[date]:
        """Return so many working days from a day on."""
        found: list[date] = []
        day = first
        while len(found) < count:
            if self.is_working(day):
                found.append(day)
            day += DAY
        return found

    def later(self, day: date, count: int) -> date:
        """Return the day that is so many working days after another."""
        return self.following(day + DAY, count)[-1] if count > 0 else day

    def between(self, first: date, last: date) -> int:
        """Return how many working days come after a day up to another; 0 where it is not later."""
        if last <= first:
            return 0
        weeks, rest = divmod((last - first).days, 7)
        count = 5 * weeks + sum((last - DAY * n).weekday() < 5 for n in range(rest))
        within = (bisect_right(d, last) - bisect_right(d, first) for d in (self._closed, self._opened))  # fmt: skip
        closed, opened = within
        return count - closed + opened


WEEKDAYS = PlanDays()
