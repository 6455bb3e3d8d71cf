"""Working time added on a calendar, against a walk day by day with datetimes."""

from datetime import UTC, date, datetime, timedelta
from random import Random
from time import perf_counter

import numpy as np
from django.test import SimpleTestCase
from poietic_core.calendar.model import Calendar, Shift
from poietic_core.calendar.working_time import WorkingTime

SHIFTS = tuple(Shift(weekday=d, start=480, end=960) for d in range(5))
FIRST, LAST = date(2026, 1, 1), date(2028, 12, 31)
MANY = 20_000


def walked(moment: datetime, seconds: int) -> datetime:
    """Return the moment by which so many seconds of eight-hour weekdays have passed, day by day."""
    while True:
        begins = moment.replace(hour=8, minute=0, second=0)
        ends = moment.replace(hour=16, minute=0, second=0)
        at = max(moment, begins)
        if moment.weekday() < 5 and at < ends:
            left = int((ends - at).total_seconds())
            if seconds <= left:
                return at + timedelta(seconds=seconds)
            seconds -= left
        moment = begins.replace(hour=0) + timedelta(days=1)


class Adding(SimpleTestCase):
    """Up to forty days of work from any moment of a year."""

    def test_working_time(self) -> None:
        chance = Random(9)
        start = datetime(2026, 3, 2, tzinfo=UTC)
        asked = [(start + timedelta(minutes=chance.randrange(500_000)), chance.randrange(60, 40 * 28_800)) for _ in range(MANY)]  # fmt: skip
        working = WorkingTime(Calendar(code="DAY", zone=UTC, shifts=SHIFTS), FIRST, LAST)
        begin = perf_counter()
        found = [working.add(moment, seconds) for moment, seconds in asked]
        ours = perf_counter() - begin
        begin = perf_counter()
        baseline = [walked(moment, seconds) for moment, seconds in asked]
        theirs = perf_counter() - begin
        self.assertEqual(found, baseline)
        moments = np.array([int(moment.timestamp()) for moment, _ in asked])
        lengths = np.array([seconds for _, seconds in asked])
        begin = perf_counter()
        together = working.add_many(moments, lengths)
        batched = perf_counter() - begin
        self.assertEqual([datetime.fromtimestamp(int(s), UTC) for s in together], baseline)
        met = "met" if theirs / ours >= 10 and theirs / batched >= 50 else "MISSED"
        print(
            f"\nworking time added one by one: {ours / MANY * 1e6:.1f} µs, {theirs / ours:.1f} × a walk day by day "
            f"({theirs / MANY * 1e6:.1f} µs), equal; batched "
            f"{batched / MANY * 1e6:.2f} µs, {theirs / batched:.0f} × (goal: 10 × and 50 ×: {met})"
        )
