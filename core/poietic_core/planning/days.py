"""The days that a plan counts in."""

from __future__ import annotations

from datetime import date, timedelta


def working_days(first: date, count: int) -> list[date]:
    """Return so many working days from a day on, Monday to Friday (common practice).

    >>> [d.isoformat() for d in working_days(date(2026, 11, 28), 2)]  # a Saturday
    ['2026-11-30', '2026-12-01']
    """
    found: list[date] = []
    day = first
    while len(found) < count:
        if day.weekday() < 5:
            found.append(day)
        day += timedelta(days=1)
    return found
