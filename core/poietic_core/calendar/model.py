"""A calendar: a weekly pattern of shifts, with closures and extra shifts on some days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, tzinfo

DAY_MINUTES = 24 * 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Shift:
    """One shift of every week; it belongs to the day on which it begins."""

    #: 0 is Monday
    weekday: int
    #: local time of its beginning and its end [minute of the day]; an end not after the
    #: beginning lies on the next day
    start: int
    end: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Closure:
    """Days, both included, on which no shift of the week begins."""

    first: date
    last: date
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class ExtraShift:
    """A shift on one day, beside the week's; it is worked on a closed day too."""

    day: date
    start: int
    end: int
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Calendar:
    """Shifts of a week and the exceptions to them, in a time zone."""

    code: str
    zone: tzinfo
    shifts: tuple[Shift, ...]
    closures: tuple[Closure, ...] = ()
    extras: tuple[ExtraShift, ...] = ()

    def closure_of(self, day: date) -> Closure | None:
        """Return the closure that a day lies in."""
        return next((c for c in self.closures if c.first <= day <= c.last), None)

    def shifts_of(self, day: date) -> list[tuple[datetime, datetime]]:
        """Return the shifts that begin on a day, as aware moments.

        Both ends are read off the wall clock, so that a night shift over a change of
        summer time is an hour shorter or longer (common practice). A time that the clock
        skips is the moment at which it skips: a shift within that hour has no length.
        """
        spans = [(e.start, e.end) for e in self.extras if e.day == day]
        if self.closure_of(day) is None:
            spans += [(s.start, s.end) for s in self.shifts if s.weekday == day.weekday()]
        return [(self._at(day, start), self._at(day, _after(start, end))) for start, end in spans]

    def _at(self, day: date, minute: int) -> datetime:
        days, rest = divmod(minute, DAY_MINUTES)
        read = datetime.combine(
            day + timedelta(days=days), time(rest // 60, rest % 60), tzinfo=self.zone
        )
        there = read.astimezone(UTC).astimezone(self.zone)
        return read if _wall(there) == _wall(read) else self._skip(read)

    def _skip(self, read: datetime) -> datetime:
        """Return the moment at which the clock skips a time of day."""
        before = int(read.replace(fold=1).timestamp())  # by the offset after, and so too early
        after = int(read.timestamp())
        offset = self._offset(before)
        while after - before > 1:
            middle = (before + after) // 2
            if self._offset(middle) == offset:
                before = middle
            else:
                after = middle
        return datetime.fromtimestamp(after, self.zone)

    def _offset(self, second: int) -> timedelta | None:
        return datetime.fromtimestamp(second, self.zone).utcoffset()


def _wall(moment: datetime) -> datetime:
    return moment.replace(tzinfo=None, fold=0)


def _after(start: int, end: int) -> int:
    return end if end > start else end + DAY_MINUTES
