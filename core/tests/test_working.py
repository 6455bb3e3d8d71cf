"""An operation's clock: it counts what runs, once, from one report to the next."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from poietic_core.errors import DomainError
from poietic_core.order.working import AlreadySo, Clock, NotRunning, Working

SIX = datetime(2026, 11, 26, 6, tzinfo=UTC)


def at(minutes: int) -> datetime:
    return SIX + timedelta(minutes=minutes)


class Ticking(TestCase):
    """Worked out by hand."""

    def test_pauses_do_not_count(self) -> None:
        clock = Clock().started(10, at(0)).paused(10, at(90)).started(10, at(120))
        self.assertEqual(clock.elapsed(at(150)), Decimal(2))
        done = clock.finished(10, at(180))
        self.assertEqual((done.working, done.elapsed(at(999))), (Working.FINISHED, Decimal("2.5")))

    def test_a_report_tells_what_ran_and_it_runs_on(self) -> None:
        clock = Clock().started(10, at(0)).reported(at(60))
        self.assertEqual((clock.working, clock.elapsed(at(75))), (Working.RUNNING, Decimal("0.25")))
        self.assertEqual(clock.paused(10, at(75)).reported(at(80)).elapsed(at(99)), 0)

    def test_what_is_so_already_is_refused(self) -> None:
        running = Clock().started(10, at(0))
        with self.assertRaises(AlreadySo):
            running.started(10, at(1))
        with self.assertRaises(NotRunning):
            Clock().paused(10, at(1))
        with self.assertRaises(AlreadySo):
            running.finished(10, at(1)).finished(10, at(2))
        self.assertEqual(running.finished(10, at(1)).started(10, at(2)).working, Working.RUNNING)

    @given(
        st.lists(
            st.tuples(
                st.sampled_from(["started", "paused", "finished", "reported"]), st.integers(1, 50)
            ),
            max_size=12,
        )
    )
    def test_it_never_counts_more_than_passed_since_the_last_report(
        self, acts: list[tuple[str, int]]
    ) -> None:
        clock, now, reported = Clock(), 0, 0
        for act, passed in acts:
            now += passed
            try:
                clock = (
                    clock.reported(at(now))
                    if act == "reported"
                    else getattr(clock, act)(10, at(now))
                )
            except DomainError:
                continue
            reported = now if act == "reported" else reported
            self.assertLessEqual(
                clock.elapsed(at(now)), Decimal(now - reported) / 60 + Decimal("0.001")
            )
