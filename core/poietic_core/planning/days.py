"""The days that a plan counts in."""

from __future__ import annotations

from datetime import date, timedelta


def is_working_day(day: date) -> bool:
    """Return whether a day is one of Monday to Friday (common practice)."""
    return day.weekday() < 5


def working_days(first: date, count: int) -> list[date]:
    """Return so many working days from a day on.

    >>> [d.isoformat() for d in working_days(date(2026, 11, 28), 2)]  # a Saturday
    ['2026-11-30', '2026-12-01']
    """
    found: list[date] = []
    day = first
    while len(found) < count:
        if is_working_day(day):
            found.append(day)
        day += timedelta(days=1)
    return found


def later(day: date, count: int) -> date:
    """Return the day that is so many working days after another.

    >>> later(date(2026, 11, 27), 1).isoformat()  # after a Friday
    '2026-11-30'
    """
    return working_days(day + timedelta(days=1), count)[-1] if count > 0 else day


def days_between(first: date, last: date) -> int:
    """Return how many working days come after a day up to another; 0 where it is not later.

    >>> days_between(date(2026, 11, 27), date(2026, 12, 1))  # Friday to Tuesday
    2
    """
    weeks, rest = divmod(max(0, (last - first).days), 7)
    return 5 * weeks + sum(is_working_day(last - timedelta(days=n)) for n in range(rest))
