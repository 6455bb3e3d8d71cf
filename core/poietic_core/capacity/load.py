"""Load against capacity: the hours of operations on the days that they run."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta, tzinfo
from decimal import Decimal
from fractions import Fraction

from ..calendar.working_time import WorkingTime
from ..quantity import HOUR_STEP, ZERO, decimal_of, exact, round_to

SECONDS = 3600


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """An operation that will run at a work center, or what is left of it."""

    starts: datetime
    ends: datetime
    #: of one machine or person at the standard pace [h]
    hours: Decimal


@exact
def spread_over_days(work: Work, working: WorkingTime, zone: tzinfo) -> dict[date, Decimal]:
    """Return the hours of an operation by day, in proportion to the working time of each.

    The parts add up to the hours, to the digit: the last day takes what rounding leaves.

    Parameters
    ----------
    work : with its begin and end
    working : of its work center
    zone : whose midnights part the days

    Source
    ------
    Load profile of a work center: Vollmann, Berry & Whybark, *Manufacturing Planning and
    Control Systems*, ch. "capacity planning"; in proportion to working time: common practice.
    """
    first = work.starts.astimezone(zone).date()
    last = work.ends.astimezone(zone).date()
    if first == last:  # of most there is nothing to part
        return {first: work.hours} if work.hours else {}
    seconds: dict[date, int] = {}
    day = first
    while day <= last:
        begin = max(work.starts, datetime.combine(day, time(), zone))
        end = min(work.ends, datetime.combine(day + timedelta(days=1), time(), zone))
        if here := working.between(begin, end) if begin < end else 0:
            seconds[day] = here
        day += timedelta(days=1)
    if not seconds:
        return {first: work.hours} if work.hours else {}
    whole = sum(seconds.values())
    found: dict[date, Decimal] = {}
    left = work.hours
    for n, (at, here) in enumerate(seconds.items(), 1):
        part = round_to(decimal_of(Fraction(work.hours) * here / whole), HOUR_STEP)
        part = left if n == len(seconds) else min(part, left)
        found[at] = part
        left -= part
    return {at: part for at, part in found.items() if part}


@exact
def load_by_day(
    works: Iterable[Work], working: WorkingTime, zone: tzinfo, first: date, last: date
) -> dict[date, Decimal]:
    """Return the hours that operations load a work center with on each day of a span; days without any are left out.

    Parameters
    ----------
    works : at one work center
    first, last : days of the span, both in it
    working, zone : as of `spread_over_days`

    Source
    ------
    As of `spread_over_days`.
    """
    found: dict[date, Decimal] = {}
    for work in works:
        for day, hours in spread_over_days(work, working, zone).items():
            if first <= day <= last:
                found[day] = found.get(day, ZERO) + hours
    return found


@exact
def capacity_of(
    working: WorkingTime, zone: tzinfo, day: date, *, machines: int, efficiency: Decimal
) -> Decimal:
    """Return the standard hours that a work center can do on a day.

    Working hours of the calendar × machines (or people) × efficiency.

    Source
    ------
    Rated capacity: APICS Dictionary, "rated capacity" (available time × utilization × efficiency,
    utilization taken as 1); from memory.
    """
    begin = datetime.combine(day, time(), zone)
    seconds = working.between(begin, datetime.combine(day + timedelta(days=1), time(), zone))
    return round_to(
        decimal_of(Fraction(seconds, SECONDS) * machines * Fraction(efficiency)), HOUR_STEP
    )


def week_of(day: date) -> str:
    """Return the label of a day's week, by ISO 8601.

    >>> week_of(date(2026, 11, 24)), week_of(date(2027, 1, 1))
    ('2026-W48', '2026-W53')
    """
    year, week, _ = day.isocalendar()
    return f"{year}-W{week:02}"
