"""What counts on a day, against what a calendar of single days says."""

from dataclasses import dataclass
from datetime import date, timedelta
from random import Random

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.effectivity import counts_on, latest_begun

BEGIN = date(2026, 1, 1)
days = st.integers(0, 9).map(lambda n: BEGIN + timedelta(days=n))
open_days = st.none() | days


@dataclass(frozen=True)
class Rate:
    """A rate that counts from a day on."""

    effective_from: date | None


class Effectivity(SimpleTestCase):
    """First and last day are included; what begins later replaces what began before."""

    @given(days, open_days, open_days)
    def test_a_thing_counts_on_each_day_from_its_first_to_its_last(
        self, day: date, first: date | None, last: date | None
    ) -> None:
        begins = (first or BEGIN).toordinal()
        ends = (last or BEGIN + timedelta(days=9)).toordinal()

        self.assertEqual(counts_on(day, first, last), day.toordinal() in range(begins, ends + 1))

    @given(days, st.sets(open_days), st.randoms())
    def test_of_things_that_replace_each_other_the_last_begun_counts(
        self, day: date, begins: set[date | None], chance: Random
    ) -> None:
        # day by day, as a notice board is changed: what was put up last hangs there
        board = None
        if None in begins:
            board = Rate(None)
        for n in range((day - BEGIN).days + 1):
            if (today := BEGIN + timedelta(days=n)) in begins:
                board = Rate(today)

        rates = [Rate(b) for b in begins]
        chance.shuffle(rates)
        self.assertEqual(latest_begun(rates, day), board)
