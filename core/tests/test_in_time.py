"""How much could be ready in time: the most that fits, against trying every quantity."""

from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from poietic_core.order.tranche import Part, left_to_release, released_for
from poietic_core.planning.in_time import most_that_fits


class MostThatFits(TestCase):
    """It is what trying every quantity finds."""

    @given(st.integers(0, 60), st.sampled_from(["1", "0.5", "0.25"]), st.integers(0, 300))
    def test_no_larger_quantity_fits(self, wanted: int, step: str, room: int) -> None:
        asked: list[Decimal] = []

        def fits(quantity: Decimal) -> bool:
            asked.append(quantity)
            return quantity * 4 <= room

        each = Decimal(step)
        found = most_that_fits(Decimal(wanted), each, fits)
        tried = [n * each for n in range(int(wanted / each) + 1) if n * each * 4 <= room]

        self.assertEqual(found, max(tried))
        self.assertLessEqual(len(asked), 10)


class Parts(TestCase):
    """Parts of an order are left in range."""

    parts = st.lists(st.builds(lambda a, b, q: Part(first=min(a, b), last=max(a, b), quantity=Decimal(q)), st.integers(1, 5), st.integers(1, 5), st.integers(1, 9)), max_size=6)  # fmt: skip

    @given(parts, st.sets(st.integers(1, 5), min_size=1), st.integers(1, 60))
    def test_releasing_what_is_left_fills_one_of_the_operations_and_overfills_none(
        self, parts: list[Part], operations: set[int], whole: int
    ) -> None:
        left = left_to_release(parts, operations, Decimal(whole))
        after = [released_for(parts, o) + left for o in operations]
        self.assertGreaterEqual(left, 0)
        if left:
            self.assertEqual(max(after), whole)
