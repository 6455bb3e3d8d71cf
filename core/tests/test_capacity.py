"""Load, capacity and what comes next: against textbook examples and a model that counts minutes."""

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.calendar.model import Calendar, Shift
from poietic_core.calendar.schedule import OperationTime, WorkCenterTime, days_ahead
from poietic_core.calendar.working_time import WorkingTime
from poietic_core.capacity.load import (
    Work,
    capacity_of,
    load_by_day,
    spread_over_days,
    week_of,
)
from poietic_core.capacity.priority import critical_ratio, slack
from poietic_core.structure.flow import Network, Step

MONDAY = date(2026, 11, 23)
BERLIN = ZoneInfo("Europe/Berlin")
WEEK = Calendar(
    code="DAY", zone=UTC, shifts=tuple(Shift(weekday=d, start=480, end=960) for d in range(5))
)
WORKING = WorkingTime(WEEK, MONDAY - timedelta(days=7), MONDAY + timedelta(days=40))
moments = st.integers(0, 14 * 24 * 4).map(
    lambda n: datetime(2026, 11, 23, tzinfo=UTC) + timedelta(minutes=15 * n)
)
hours = st.integers(0, 400).map(lambda n: Decimal(n) / 4)


class Load(SimpleTestCase):
    """Hours lie on the days on which the work center works."""

    def test_over_a_weekend_each_day_takes_its_share_of_working_time(self) -> None:
        work = Work(
            starts=datetime(2026, 11, 27, 12, tzinfo=UTC),  # Friday, four hours of it
            ends=datetime(2026, 11, 30, 16, tzinfo=UTC),  # Monday, all eight
            hours=Decimal(24),
        )
        found = spread_over_days(work, WORKING, UTC)

        self.assertEqual(found, {date(2026, 11, 27): 8, date(2026, 11, 30): 16})

    @given(moments, moments, hours)
    def test_no_hour_is_lost_and_each_day_is_what_counting_minutes_gives(
        self, one: datetime, other: datetime, whole: Decimal
    ) -> None:
        work = Work(starts=min(one, other), ends=max(one, other), hours=whole)
        found = spread_over_days(work, WORKING, UTC)

        self.assertEqual(sum(found.values(), Decimal(0)), whole)
        quarters: dict[date, int] = {}
        at = work.starts
        while at < work.ends:
            if at.weekday() < 5 and 8 <= at.hour < 16:
                quarters[at.date()] = quarters.get(at.date(), 0) + 1
            at += timedelta(minutes=15)
        total = sum(quarters.values())
        for day, n in quarters.items():
            self.assertAlmostEqual(float(found.get(day, 0)), float(whole) * n / total, places=3)
        self.assertLessEqual(set(found), set(quarters) or {work.starts.date()})

    @given(st.lists(st.tuples(moments, moments, hours), max_size=5))
    def test_a_span_holds_the_part_that_lies_in_it(
        self, rows: list[tuple[datetime, datetime, Decimal]]
    ) -> None:
        works = [Work(starts=min(a, b), ends=max(a, b), hours=h) for a, b, h in rows]
        last = MONDAY + timedelta(days=30)
        whole = load_by_day(works, WORKING, UTC, MONDAY, last)
        early = load_by_day(works, WORKING, UTC, MONDAY, MONDAY + timedelta(days=6))
        late = load_by_day(works, WORKING, UTC, MONDAY + timedelta(days=7), last)

        self.assertEqual(early | late, whole)
        self.assertEqual(sum(whole.values()), sum(w.hours for w in works))

    def test_what_a_work_center_can_do(self) -> None:
        """APICS Dictionary, rated capacity (from memory): 16 h × 4 machines × 0.90."""
        two = Calendar(code="TWO", zone=UTC, shifts=(Shift(weekday=0, start=360, end=1320),))
        working = WorkingTime(two, MONDAY, MONDAY)
        self.assertEqual(capacity_of(working, UTC, MONDAY, machines=4, efficiency=Decimal("0.9")), Decimal("57.6"))  # fmt: skip
        self.assertEqual(capacity_of(WORKING, UTC, MONDAY + timedelta(days=5), machines=4, efficiency=Decimal(1)), 0)  # fmt: skip

    def test_a_day_is_as_long_as_the_works_clocks_say(self) -> None:
        round_the_clock = Calendar(
            code="ALL", zone=BERLIN, shifts=tuple(Shift(weekday=d, start=0, end=1439) for d in range(7))
        )  # fmt: skip
        autumn = date(2026, 10, 25)  # of 25 hours
        working = WorkingTime(round_the_clock, autumn - timedelta(days=1), autumn)
        told = [capacity_of(working, BERLIN, autumn - timedelta(days=n), machines=1, efficiency=Decimal(1)) for n in (1, 0)]  # fmt: skip
        self.assertEqual(told[1] - told[0], 1)

    def test_weeks_are_labelled_by_iso_8601(self) -> None:
        days = (date(2026, 11, 24), date(1985, 4, 12), date(2027, 1, 1))
        self.assertEqual([week_of(d) for d in days], ["2026-W48", "1985-W15", "2026-W53"])


class Priority(SimpleTestCase):
    """What comes next."""

    def test_critical_ratios_of_a_textbook(self) -> None:
        """Heizer & Render (from memory, recomputed): day 25; due and work left of A, B, C."""
        jobs = {"A": (30, 4), "B": (28, 5), "C": (27, 2)}
        ratios = {j: critical_ratio(Decimal(due - 25), Decimal(left)) for j, (due, left) in jobs.items()}  # fmt: skip
        self.assertEqual(ratios, {"A": Decimal("1.25"), "B": Decimal("0.60"), "C": Decimal("1.00")})
        slacks = {j: slack(Decimal(due - 25), Decimal(left)) for j, (due, left) in jobs.items()}
        self.assertEqual(slacks, {"A": 1, "B": -2, "C": 0})
        self.assertIsNone(critical_ratio(Decimal(3), Decimal(0)))

    @given(st.integers(-20, 60).map(Decimal), st.integers(1, 400).map(lambda n: Decimal(n) / 10))
    def test_a_ratio_below_one_is_a_slack_below_nothing(self, due: Decimal, left: Decimal) -> None:
        ratio = critical_ratio(due, left)
        assert ratio is not None
        if abs(slack(due, left)) > left / 100:  # beyond what rounding hides
            self.assertEqual(ratio < 1, slack(due, left) < 0)

    def test_work_ahead_is_the_longest_way_to_the_end(self) -> None:
        center = WorkCenterTime(working=WORKING, efficiency=Decimal("0.8"))
        steps = [
            Step(number=10, yield_share=Decimal(1), after=()),
            Step(number=20, yield_share=Decimal(1), after=()),
            Step(number=30, yield_share=Decimal(1), after=(10, 20)),
        ]
        run = {10: "0.4", 20: "1.6", 30: "0.8"}
        times = {
            n: OperationTime(number=n, center=center, units=Decimal(16), run_hours=Decimal(h))
            for n, h in run.items()
        }
        ahead = days_ahead(Network(steps), times)

        # 16 pieces at a pace of 0.8 on days of eight hours: one, four and two days
        self.assertEqual(ahead, {30: 2, 20: 6, 10: 3})
        self.assertEqual({n: t.load() for n, t in times.items()}, {10: Decimal("6.4"), 20: Decimal("25.6"), 30: Decimal("12.8")})  # fmt: skip
