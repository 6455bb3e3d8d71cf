"""Adding and taking away working time on a calendar."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from fractions import Fraction
from functools import cached_property
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ..errors import DomainError
from .model import Calendar


@dataclass(eq=False)
class NoWorkingTime(DomainError):
    """A calendar has too little working time in the days it was laid out over."""

    calendar: str
    first: str
    last: str
    code: ClassVar[str] = "calendar.no_working_time"
    what: ClassVar[str] = "The calendar {calendar} has not enough working time."
    why: ClassVar[str] = "Between {first} and {last} its shifts don't hold the work."
    fix: ClassVar[str] = "Give the calendar shifts, or take closures away."


@dataclass(eq=False)
class WithoutZone(DomainError):
    """A moment that doesn't say in which time zone it is."""

    moment: str
    code: ClassVar[str] = "calendar.without_zone"
    what: ClassVar[str] = "The moment {moment} can't be placed on a calendar."
    why: ClassVar[str] = "It does not say in which time zone it is."
    fix: ClassVar[str] = "Give it a time zone."


class WorkingTime:
    """A calendar laid out from `first` to `last`, both included.

    Time is counted in whole seconds of working time from the beginning of the span, so that
    each question is one binary search.
    """

    def __init__(self, calendar: Calendar, first: date, last: date) -> None:
        self._calendar = calendar
        self._span = (first, last)
        self._starts: list[int] = []
        self._ends: list[int] = []
        #: working seconds before each interval, and at last all of them
        self._before: list[int] = [0]
        spans = sorted(
            (int(start.timestamp()), int(end.timestamp()))
            for n in range((last - first).days + 1)
            for start, end in calendar.shifts_of(first + timedelta(days=n))
            if end > start
        )
        for start, end in spans:
            if self._ends and start <= self._ends[-1]:
                end = max(end, self._ends[-1])
                self._before[-1] += end - self._ends[-1]
                self._ends[-1] = end
            else:
                self._starts.append(start)
                self._ends.append(end)
                self._before.append(self._before[-1] + end - start)

    def total(self) -> int:
        """Return all working seconds of the span."""
        return self._before[-1]

    @cached_property
    def days(self) -> frozenset[date]:
        """Return the days on which there is working time."""
        zone = self._calendar.zone
        found: set[date] = set()
        for start, end in zip(self._starts, self._ends, strict=True):
            day, last = (datetime.fromtimestamp(s, zone).date() for s in (start, end - 1))
            found.update(day + timedelta(days=n) for n in range((last - day).days + 1))
        return frozenset(found)

    @cached_property
    def seconds_a_day(self) -> Fraction:
        """Return the working seconds of a working day, on average; 0 where there is none."""
        zone = self._calendar.zone
        days = len({datetime.fromtimestamp(s, zone).date() for s in self._starts})
        return Fraction(self.total(), days) if days else Fraction(0)

    def until(self, moment: datetime) -> int:
        """Return the working seconds from the beginning of the span to a moment.

        Raises
        ------
        WithoutZone (calendar.without_zone)
        """
        second = _second(moment)
        n = bisect_right(self._starts, second) - 1
        if n < 0:
            return 0
        return self._before[n] + min(second, self._ends[n]) - self._starts[n]

    def between(self, one: datetime, other: datetime) -> int:
        """Return the working seconds from one moment to a later one."""
        return self.until(other) - self.until(one)

    def add(self, moment: datetime, seconds: int) -> datetime:
        """Return the earliest moment by which so many working seconds have passed.

        With 0 seconds: the moment itself, or the beginning of the next shift.

        Raises
        ------
        NoWorkingTime (calendar.no_working_time)
        """
        if seconds == 0:
            return self._next(moment)
        target = self.until(moment) + seconds
        if target > self.total():
            raise self._exhausted()
        n = bisect_left(self._before, target) - 1
        return _moment(self._starts[n] + target - self._before[n])

    @cached_property
    def _arrays(self) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
        return np.array(self._starts), np.array(self._ends), np.array(self._before)

    def add_many(self, moments: NDArray[np.int64], seconds: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return for many moments at once what `add` returns for each.

        Parameters
        ----------
        moments : shape (n,) [s since 1970-01-01 UTC]
        seconds : shape (n,) working time to pass [s], >= 0

        Returns
        -------
        shape (n,) [s since 1970-01-01 UTC]

        Raises
        ------
        NoWorkingTime (calendar.no_working_time)
            If the span has not enough working time for one of them.

        Notes
        -----
        Three binary searches for each, O(n log m) with m shifts in the span.
        """
        starts, ends, before = self._arrays
        if not len(moments):
            return np.empty(0, dtype=np.int64)
        if not len(starts):
            raise self._exhausted()
        at = np.searchsorted(starts, moments, side="right") - 1
        inside = np.minimum(moments, ends[at]) - starts[at]
        target = np.where(at < 0, 0, before[at] + inside) + seconds
        # nothing to add: the moment itself, or the beginning of the next shift
        following = np.searchsorted(ends, moments, side="right")
        waits = seconds == 0
        if target.max() > self.total() or (waits & (following == len(starts))).any():
            raise self._exhausted()
        shift = np.searchsorted(before, target, side="left") - 1
        ended = starts[shift] + target - before[shift]
        begun = np.maximum(moments, starts[np.minimum(following, len(starts) - 1)])
        return np.where(waits, begun, ended)

    def subtract(self, moment: datetime, seconds: int) -> datetime:
        """Return the latest moment from which so many working seconds pass until `moment`.

        With 0 seconds: the moment itself, or the end of the shift before.

        Raises
        ------
        NoWorkingTime (calendar.no_working_time)
        """
        target = self.until(moment) - seconds
        if target < 0 or (seconds == 0 and target == 0):
            raise self._exhausted()
        if seconds == 0:
            n = bisect_left(self._before, target) - 1
            return _moment(self._starts[n] + target - self._before[n])
        n = bisect_right(self._before, target) - 1
        return _moment(self._starts[n] + target - self._before[n])

    def days_between(self, one: date, other: date) -> int:
        """Return how many days after `one`, up to and with `other`, have working time."""
        zone = self._calendar.zone
        worked = {datetime.fromtimestamp(s, zone).date() for s in self._starts}
        return sum(one < day <= other for day in worked)

    def _next(self, moment: datetime) -> datetime:
        second = _second(moment)
        n = bisect_right(self._ends, second)
        if n == len(self._starts):
            raise self._exhausted()
        return _moment(max(second, self._starts[n]))

    def _exhausted(self) -> NoWorkingTime:
        first, last = self._span
        return NoWorkingTime(self._calendar.code, first.isoformat(), last.isoformat())


def require_zone(moment: datetime) -> datetime:
    """Return a moment that says in which time zone it is, or refuse it: WithoutZone (calendar.without_zone)."""
    if moment.utcoffset() is None:
        raise WithoutZone(moment.isoformat())
    return moment


def _second(moment: datetime) -> int:
    return int(require_zone(moment).timestamp())


def _moment(second: int) -> datetime:
    return datetime.fromtimestamp(second, UTC)
