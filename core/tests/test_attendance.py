"""A person's time over several machines, and what many orders share: each hour, and each gram, once."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from poietic_core.order.attendance import clock_hours, shared_by_standard, shared_hours

SIX = datetime(2026, 11, 26, 6, tzinfo=UTC)


def span(begin: int, end: int) -> tuple[datetime, datetime]:
    return SIX + timedelta(minutes=begin), SIX + timedelta(minutes=end)


spans = st.tuples(st.integers(0, 600), st.integers(0, 600)).map(lambda s: span(min(s), max(s)))


class Shared(TestCase):
    """Worked out by hand."""

    def test_two_machines_from_two_to_four_hours(self) -> None:
        # alone for an hour at the first, two hours at both, then an hour at the second
        self.assertEqual(shared_hours([span(0, 180), span(60, 240)]), [Decimal(2), Decimal(2)])

    def test_three_at_once_and_one_apart(self) -> None:
        found = shared_hours([span(0, 60), span(0, 60), span(0, 60), span(120, 150)])
        self.assertEqual(sum(found), Decimal("1.5"))
        self.assertEqual(found[3], Decimal("0.5"))

    def test_a_clock_to_the_second(self) -> None:
        self.assertEqual(clock_hours((SIX, SIX + timedelta(minutes=50))), Decimal("0.8333"))

    @given(st.lists(spans, max_size=6))
    def test_each_moment_counts_once(self, given_: list[tuple[datetime, datetime]]) -> None:
        found = shared_hours(given_)
        covered = {minute for a, b in given_ for minute in range(*(int((m - SIX).total_seconds()) // 60 for m in (a, b)))}  # fmt: skip
        self.assertLessEqual(abs(sum(found) - Decimal(len(covered)) / 60), Decimal("0.0001"))
        for hours, each in zip(found, given_, strict=True):
            self.assertLessEqual(hours, clock_hours(each) + Decimal("0.0001"))

    @given(
        st.decimals("0.01", 500, places=2),
        st.lists(st.decimals("0", 90, places=3), min_size=1, max_size=6),
    )
    def test_what_is_weighed_is_shared_out_whole(
        self, weighed: Decimal, expected: list[Decimal]
    ) -> None:
        found = shared_by_standard(weighed, expected, Decimal("0.01"))
        self.assertEqual(sum(found), weighed if any(expected) else 0)
        self.assertTrue(all(not part for part, due in zip(found, expected, strict=True) if not due))

    def test_chips_of_two_orders_by_what_they_should_give(self) -> None:
        found = shared_by_standard(Decimal(9), [Decimal(4), Decimal(2)], Decimal("0.5"))
        self.assertEqual(found, [Decimal(6), Decimal(3)])
