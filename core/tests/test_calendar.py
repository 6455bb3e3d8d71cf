"""Working time and dates: the constructed example, a minute-by-minute walk, the order of operations."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal, localcontext
from fractions import Fraction
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.calendar.model import Calendar, Closure, ExtraShift, Shift
from poietic_core.calendar.schedule import (
    DaysOut,
    OperationTime,
    SupplierTime,
    WorkCenterTime,
    finish_of,
    plan_dates,
    schedule_backward,
    schedule_forward,
)
from poietic_core.calendar.working_time import NoWorkingTime, WithoutZone, WorkingTime
from poietic_core.errors import OutOfRange
from poietic_core.structure.flow import Network, Step

WEEKDAYS = tuple(Shift(weekday=d, start=480, end=960) for d in range(5))
FIRST, LAST = date(2026, 11, 2), date(2026, 12, 31)


def laid_out(**more: object) -> WorkingTime:
    """Return a calendar of 480-minute weekdays, 8:00 to 16:00 UTC."""
    calendar = Calendar(code="DAY", zone=UTC, shifts=WEEKDAYS, **more)  # type: ignore[arg-type]
    return WorkingTime(calendar, FIRST, LAST)


def at(day: int, hour: int, minute: int = 0, month: int = 11) -> datetime:
    """Return a moment of November 2026."""
    return datetime(2026, month, day, hour, minute, tzinfo=UTC)


class ConstructedCalendar(SimpleTestCase):
    """46 pieces × 35 min + 20 min set-up: handbook, check values, "Calendar" (common practice)."""

    def start(self, working: WorkingTime) -> datetime:
        """Return when the operation starts to be done by the end of Thursday, 26 November."""
        operation = OperationTime(
            number=10,
            center=WorkCenterTime(working=working),
            units=Decimal(46),
            setup_hours=Decimal(20) / 60,
            run_hours=Decimal(35) / 60,
        )
        network = Network([Step(number=10)])
        return schedule_backward(network, {10: operation}, at(27, 0))[10].starts

    def test_backward_from_the_end_of_thursday_begins_on_monday(self) -> None:
        # 1,630 minutes: three full days and 190 minutes, so from working minute 290
        self.assertEqual(self.start(laid_out()), at(23, 8) + timedelta(minutes=290))

    def test_a_closed_wednesday_moves_the_start_to_friday(self) -> None:
        closed = Closure(first=date(2026, 11, 25), last=date(2026, 11, 25))

        self.assertEqual(
            self.start(laid_out(closures=(closed,))), at(20, 8) + timedelta(minutes=290)
        )


class Working(SimpleTestCase):
    """Working time against a walk over every minute and against numpy's business days."""

    def test_whole_days_agree_with_numpys_business_days(self) -> None:
        holidays = ["2026-11-25", "2026-12-08"]
        closures = tuple(
            Closure(first=date.fromisoformat(h), last=date.fromisoformat(h)) for h in holidays
        )
        working = laid_out(closures=closures)

        days = np.busday_count("2026-11-02", "2026-12-20", holidays=holidays)

        self.assertEqual(working.between(at(2, 0), at(20, 0, month=12)), days * 480 * 60)

    @given(st.integers(0, 40 * 24 * 60), st.integers(1, 9000))
    def test_adding_agrees_with_a_walk_over_every_minute_and_subtracting_leads_back(
        self, begin: int, minutes: int
    ) -> None:
        night = Shift(weekday=4, start=22 * 60, end=6 * 60)
        extra = ExtraShift(day=date(2026, 11, 15), start=9 * 60, end=13 * 60)
        calendar = Calendar(code="N", zone=UTC, shifts=(*WEEKDAYS, night), extras=(extra,))
        working = WorkingTime(calendar, FIRST, LAST + timedelta(days=30))
        moment = at(2, 0) + timedelta(minutes=begin)

        end = working.add(moment, minutes * 60)

        walked, left = moment, minutes
        while left:
            sunday = walked.date() == date(2026, 11, 15) and 9 <= walked.hour < 13
            day = walked.weekday() < 5 and 8 <= walked.hour < 16
            friday_night = (walked.weekday() == 4 and walked.hour >= 22) or (
                walked.weekday() == 5 and walked.hour < 6 and walked.date() > FIRST
            )
            left -= sunday or day or friday_night
            walked += timedelta(minutes=1)
        self.assertEqual(end, walked)
        self.assertEqual(working.between(working.subtract(end, minutes * 60), end), minutes * 60)

    @given(st.lists(st.tuples(st.integers(-9000, 60_000), st.integers(0, 9000)), max_size=20))
    def test_many_at_once_are_what_each_is_by_itself(self, asked: list[tuple[int, int]]) -> None:
        lunch = Shift(weekday=2, start=17 * 60, end=17 * 60 + 30)
        calendar = Calendar(code="L", zone=UTC, shifts=(*WEEKDAYS, lunch))
        working = WorkingTime(calendar, FIRST, LAST + timedelta(days=60))
        moments = [at(2, 0) + timedelta(minutes=m) for m, _ in asked]

        together = working.add_many(
            np.array([int(m.timestamp()) for m in moments], dtype=np.int64),
            np.array([60 * n for _, n in asked], dtype=np.int64),
        )

        alone = [working.add(m, 60 * n) for m, (_, n) in zip(moments, asked, strict=True)]
        self.assertEqual([datetime.fromtimestamp(int(s), UTC) for s in together], alone)

    def test_many_at_once_are_refused_where_one_of_them_is(self) -> None:
        none = WorkingTime(Calendar(code="IDLE", zone=UTC, shifts=()), FIRST, LAST)
        some, late = laid_out(), int(at(31, 16, month=12).timestamp())
        for working, moment, seconds in ((none, 0, 1), (some, late, 0), (some, late, 60)):
            with self.assertRaises(NoWorkingTime):
                working.add_many(np.array([moment]), np.array([seconds]))

    def test_a_night_shift_over_the_change_of_time_has_the_hours_the_clock_shows(self) -> None:
        """Europe/Berlin, 25 October 2026: the clock goes back from 3 to 2 (IANA tz database)."""
        shift = Shift(weekday=5, start=22 * 60, end=6 * 60)
        calendar = Calendar(code="N", zone=ZoneInfo("Europe/Berlin"), shifts=(shift,))

        working = WorkingTime(calendar, date(2026, 10, 24), date(2026, 10, 24))

        self.assertEqual(working.total(), 9 * 3600)

    def test_a_time_that_the_clock_skips_is_when_it_skips(self) -> None:
        """Europe/Berlin, 29 March 2026: 2:00 is followed by 3:00 (IANA tz database)."""
        sunday = date(2026, 3, 29)
        for start, end, minutes in (
            ((1, 30), (2, 30), 30),
            ((2, 30), (3, 15), 15),
            ((2, 15), (2, 45), 0),
            ((1, 0), (4, 0), 120),
        ):
            shift = Shift(weekday=6, start=start[0] * 60 + start[1], end=end[0] * 60 + end[1])
            calendar = Calendar(code="N", zone=ZoneInfo("Europe/Berlin"), shifts=(shift,))
            working = WorkingTime(calendar, sunday, sunday)
            self.assertEqual(working.total(), minutes * 60, f"{start} to {end}")

    def test_a_moment_says_in_which_zone_it_is(self) -> None:
        naive = datetime(2026, 11, 23, 8)  # noqa: DTZ001
        for ask in (laid_out().until, lambda m: laid_out().add(m, 0)):
            with self.assertRaises(WithoutZone):
                ask(naive)
        network, times = Network([Step(number=10)]), {10: one_hour(units=Decimal(0))}
        with self.assertRaises(WithoutZone):
            schedule_backward(network, times, naive)
        with self.assertRaises(WithoutZone):
            schedule_forward(network, times, naive)

    def test_a_calendar_without_shifts_is_named(self) -> None:
        with self.assertRaisesMessage(NoWorkingTime, "The calendar IDLE has not enough"):
            WorkingTime(Calendar(code="IDLE", zone=UTC, shifts=()), FIRST, LAST).add(at(2, 8), 1)


def one_hour(**more: Any) -> OperationTime:
    """Return an operation of an hour a unit, on the weekdays' calendar."""
    given = {"number": 10, "center": WorkCenterTime(working=laid_out()), "units": Decimal(1), "run_hours": Decimal(1)}  # fmt: skip
    return OperationTime(**(given | more))


#: two of his days, half a day there and half a day back
AT_SUPPLIER = DaysOut(
    days=Decimal(2), supplier=SupplierTime(working=laid_out(), transport_days=Decimal("0.5"))
)


@st.composite
def jobs(draw: st.DrawFn) -> tuple[Network, dict[int, OperationTime]]:
    """Draw up to four operations, in sequence, parallel and joining."""
    size = draw(st.integers(1, 4))
    steps = [Step(number=10)]
    for n in range(2, size + 1):
        ways: list[tuple[int, ...] | None] = [None, ((n - 1) * 10,), ()]
        last = tuple(s.number for s in steps)
        steps.append(Step(number=n * 10, after=last if n == size else draw(st.sampled_from(ways))))
    working = WorkCenterTime(working=laid_out())
    hours = st.integers(0, 12).map(Decimal)
    times = {
        s.number: OperationTime(
            number=s.number,
            center=working,
            units=Decimal(draw(st.integers(1, 9))),
            run_hours=draw(st.integers(1, 5).map(Decimal)) / 4,
            setup_hours=draw(hours) / 4,
            queue_hours=draw(hours) / 4,
            wait_hours=draw(hours),
            transfer_quantity=draw(st.sampled_from([None, Decimal(2)])),
            out=draw(st.sampled_from([None, DaysOut(days=Decimal(1)), AT_SUPPLIER])),
        )
        for s in steps
    }
    return Network(steps), times


class Out(SimpleTestCase):
    """Days out: the supplier's, with the way there and back."""

    def test_his_days_are_days_of_his_calendar(self) -> None:
        friday = at(13, 18)  # arrives on Saturday at 6, worked at on Monday and Tuesday
        self.assertEqual(AT_SUPPLIER.back(friday), at(18, 4))
        self.assertEqual(AT_SUPPLIER.latest(at(18, 4)), at(15, 20))

    def test_without_a_calendar_they_pass_round_the_clock(self) -> None:
        out = DaysOut(days=Decimal(2), supplier=SupplierTime(transport_days=Decimal(1)))
        self.assertEqual(out.back(at(13, 18)), at(17, 18))
        self.assertEqual(out.latest(at(17, 18)), at(13, 18))

    def test_more_than_a_calendar_holds_is_refused(self) -> None:
        with self.assertRaises(OutOfRange):
            DaysOut(days=Decimal(10**6), supplier=AT_SUPPLIER.supplier).back(at(13, 8))

    @given(st.integers(0, 200), st.sampled_from(["0", "0.5", "2", "3.25"]), st.booleans())
    def test_what_is_sent_by_the_latest_moment_is_back_in_time(
        self, hour: int, days: str, is_his: bool
    ) -> None:
        supplier = AT_SUPPLIER.supplier if is_his else SupplierTime()
        out = DaysOut(days=Decimal(days), supplier=supplier)
        wanted = at(16, 0) + timedelta(hours=hour)
        self.assertLessEqual(out.back(out.latest(wanted)), wanted)


class Orders(SimpleTestCase):
    """Dates of orders with several operations."""

    @given(jobs())
    def test_backward_and_forward_keep_the_order_of_operations(
        self, job: tuple[Network, dict[int, OperationTime]]
    ) -> None:
        network, times = job
        due = at(18, 0, month=12)

        backward = schedule_backward(network, times, due)
        forward = schedule_forward(network, times, min(p.arrives for p in backward.values()))

        for planned in (backward, forward):
            for number, p in planned.items():
                working, t = times[number].center.working, times[number]
                self.assertGreaterEqual(
                    working.between(p.starts, p.ends), int(t.clock().value * 3600)
                )
                for follower in network.following[number]:
                    if t.transfer_quantity is None:
                        self.assertGreaterEqual(planned[follower].arrives, p.leaves)
                    self.assertGreaterEqual(planned[follower].ends, p.ends)
        self.assertLessEqual(finish_of(backward.values()), due)
        self.assertLessEqual(finish_of(forward.values()), finish_of(backward.values()))

    def test_what_can_not_be_done_in_time_runs_forward_from_now(self) -> None:
        working = laid_out()
        center = WorkCenterTime(working=working)
        operation = OperationTime(number=10, center=center, units=Decimal(20), run_hours=Decimal(1))
        network = Network([Step(number=10)])

        dates = plan_dates(network, {10: operation}, due=at(27, 0), now=at(26, 8))

        self.assertTrue(dates.is_forward)
        # 8 h on Thursday, 8 on Friday, 4 on Monday 30: two working days late
        self.assertEqual(finish_of(dates.operations.values()), at(30, 12))
        self.assertEqual(working.days_between(date(2026, 11, 26), date(2026, 11, 30)), 2)

    def test_a_transfer_quantity_lets_the_next_operation_begin_earlier(self) -> None:
        center = WorkCenterTime(working=laid_out())
        times = {
            n: OperationTime(
                number=n,
                center=center,
                units=Decimal(8),
                run_hours=Decimal(1),
                transfer_quantity=Decimal(2) if n == 10 else None,
            )
            for n in (10, 20)
        }

        planned = schedule_forward(Network([Step(number=10), Step(number=20)]), times, at(23, 8))

        self.assertEqual(planned[20].starts, at(23, 10))
        self.assertEqual(planned[20].ends, at(24, 10))  # the last two of 10 come at the day's end

    def test_what_is_done_takes_no_time_and_keeps_nobody_waiting(self) -> None:
        """Due at the end of Thursday with nothing left: it leaves then, not on Friday at the shift's begin."""
        end_of_thursday = at(27, 0)
        for transfer in (None, Decimal(2)):
            done = one_hour(
                units=Decimal(0), transfer_quantity=transfer, wait_hours=Decimal(48), queue_hours=Decimal(5)
            )  # fmt: skip
            dates = plan_dates(
                Network([Step(number=10)]), {10: done}, due=end_of_thursday, now=at(26, 9)
            )
            self.assertFalse(dates.is_forward)
            self.assertEqual(finish_of(dates.operations.values()), end_of_thursday)

    def test_the_wait_of_a_finished_operation_is_over(self) -> None:
        """The first is done: its two days of waiting don't move the second, which takes an hour."""
        done = one_hour(units=Decimal(0), wait_hours=Decimal(48), queue_hours=Decimal(3))
        times = {10: done, 20: one_hour(number=20)}
        network = Network([Step(number=10), Step(number=20)])

        backward = schedule_backward(network, times, at(27, 0))
        forward = schedule_forward(network, times, at(26, 9))

        self.assertEqual(backward[10].arrives, backward[20].arrives)
        self.assertEqual((forward[20].starts, forward[20].ends), (at(26, 9), at(26, 10)))

    def test_the_digits_of_whoever_asks_do_not_matter(self) -> None:
        """480 minutes at a pace of 0.6 of 4.8 h: exactly a shift, however many digits the caller has."""
        center = WorkCenterTime(working=laid_out(), efficiency=Decimal("0.6"))
        full = one_hour(center=center, units=Fraction(48, 10))
        for digits in (5, 28, 60):
            with localcontext() as context:
                context.prec = digits
                planned = schedule_forward(Network([Step(number=10)]), {10: full}, at(23, 8))
            self.assertEqual(planned[10].ends, at(23, 16))

    def test_a_phantoms_operation_counts_units_of_its_own(self) -> None:
        """Four legs a table, six minutes a leg, batches of 8: 10 tables are 40 legs, 5 batches, 48 minutes each."""
        legs = one_hour(
            units=Decimal(10), each=Fraction(4), run_hours=Decimal("0.8"), run_quantity=Decimal(8), runs_whole_batches=True
        )  # fmt: skip
        self.assertEqual(legs.clock().value, 4)
        self.assertEqual(replace(legs, units=Decimal(9)).clock().value, 4)  # 36 legs: 5 batches too

    def test_what_can_not_be_timed_is_refused_by_name(self) -> None:
        for wrong, words in (
            ({"center": WorkCenterTime(working=laid_out(), efficiency=Decimal(0))}, "efficiency"),
            ({"run_quantity": Decimal(0)}, "run quantity"),
            ({"wait_hours": Decimal("2e7")}, "A wait"),
        ):
            with self.assertRaisesMessage(OutOfRange, words):
                schedule_forward(Network([Step(number=10)]), {10: one_hour(**wrong)}, at(23, 8))
