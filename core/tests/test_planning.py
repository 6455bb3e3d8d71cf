"""The future of an item's stock: against the basic record of a textbook, and what must always hold."""

from datetime import date, timedelta
from decimal import Decimal
from itertools import pairwise

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.projection import project

FIRST = date(2026, 11, 30)
quantities = st.integers(0, 50).map(Decimal)
days = st.integers(-10, 10).map(lambda n: FIRST + timedelta(days=n))


def demand(number: int, due: date, quantity: Decimal) -> Demand:
    return Demand(source=Source.ORDER, number=number, due=due, quantity=quantity)


def supply(number: int, comes: date | None, quantity: Decimal) -> Supply:
    return Supply(source=Source.ORDER, number=number, comes=comes, quantity=quantity)


class Projection(SimpleTestCase):
    """Supply before demand, by date."""

    def test_the_basic_record(self) -> None:
        """Vollmann, Berry & Whybark (from memory, recomputed): on hand 4, a receipt of 50 in the
        first period, gross requirements 0, 10, 0, 40, 10; before anything is planned."""
        week = [FIRST + timedelta(weeks=n) for n in range(5)]
        needs = [demand(n, week[n], Decimal(q)) for n, q in ((1, 10), (3, 40), (4, 10))]

        steps = project(Decimal(4), needs, [supply(9, week[0], Decimal(50))], FIRST)

        projected = {s.day: int(s.projected) for s in steps}
        self.assertEqual(projected, {week[0]: 54, week[1]: 44, week[3]: 4, week[4]: -6})

    @given(
        quantities,
        st.lists(st.tuples(days, quantities), max_size=8),
        st.lists(st.tuples(st.none() | days, quantities), max_size=8),
    )
    def test_it_ends_where_all_that_is_dated_leads_and_never_before_today(
        self,
        on_hand: Decimal,
        wanted: list[tuple[date, Decimal]],
        coming: list[tuple[date | None, Decimal]],
    ) -> None:
        demands = [demand(n, due, q) for n, (due, q) in enumerate(wanted)]
        supplies = [supply(n, day, q) for n, (day, q) in enumerate(coming)]

        steps = project(on_hand, demands, supplies, FIRST)

        gone, come = sum(q for _, q in wanted), sum(q for day, q in coming if day)
        self.assertEqual(steps[-1].projected if steps else on_hand, on_hand - gone + come)
        self.assertEqual([s.day for s in steps], sorted(s.day for s in steps))
        self.assertTrue(all(s.day >= FIRST and s.change for s in steps))
        for before, after in pairwise(steps):
            if before.day == after.day:
                self.assertFalse(before.change < 0 < after.change, "supply comes first")
