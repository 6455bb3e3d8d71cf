"""Promises where work centers are busy: by hand, and what must always hold."""

from decimal import Decimal
from unittest import TestCase

from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from poietic_core.planning.capable import Source, Step, capable_to_promise
from poietic_core.planning.labour import Labour

#: a scope of two lenses and a tube; lenses and scopes take hours of the same mill
MILL = Labour(center="MILL", name="Mill", setup=Decimal(1), run=Decimal(2))
SAW = Labour(center="SAW", name="Saw", run=Decimal(1), runs_each=Decimal("0.25"), is_whole=True)
SCOPE = Source(lead=3, uses={"LENS": Decimal(2)}, works=[SAW, MILL])
LENS = Source(lead=2, works=[MILL])


def hours(*free: int) -> dict[str, list[Decimal]]:
    """Return what is free at the mill, day by day."""
    return {"MILL": [Decimal(h) for h in free]}


class ByHand(TestCase):
    """Worked out on paper; forward loading to finite capacity is common practice."""

    def test_a_lot_takes_setup_and_runs_and_a_run_that_is_begun_is_run_to_its_end(self) -> None:
        self.assertEqual(MILL.hours(Decimal(3)), 7)
        self.assertEqual(SAW.hours(Decimal(5)), 2)  # 1.25 runs

    def test_nothing_in_the_way_leaves_the_lead_time(self) -> None:
        scope = Source(lead=3, works=[MILL])
        for free in (None, {}, hours(), hours(7), hours(2, 2, 3)):
            found = capable_to_promise("SCOPE", Decimal(3), {"SCOPE": scope}, free)
            self.assertEqual((found.day, found.path[0].waits_at), (3, None), free)

    def test_hours_are_taken_day_by_day_as_they_are_free(self) -> None:
        """7 h: 2 on day 0, 2 on day 1, 1 on day 4, and the last 2 on day 5, of 4."""
        scope = Source(lead=3, works=[SAW, MILL])
        free = hours(2, 2, 0, 0, 1, 4)
        found = capable_to_promise("SCOPE", Decimal(3), {"SCOPE": scope}, free)
        self.assertEqual((found.day, found.path[0].waits_at), (5, MILL))
        self.assertEqual(free, hours(2, 2, 0, 0, 1, 4))

    def test_operations_follow_each_other(self) -> None:
        """The saw is free on day 4 only; the mill on each day, so that it begins then."""
        scope = Source(lead=1, works=[SAW, MILL])
        free = {"SAW": [Decimal(h) for h in (0, 0, 0, 0, 1)], "MILL": [Decimal(4)] * 9}
        found = capable_to_promise("SCOPE", Decimal(3), {"SCOPE": scope}, free)
        self.assertEqual((found.day, found.path[0].waits_at), (5, SAW))

    def test_a_promise_takes_each_hour_once(self) -> None:
        """4 lenses take 9 of 10 h and are there on day 2; 2 scopes then wait for 5 h until day 7."""
        kit = {"SCOPE": SCOPE, "LENS": LENS}
        found = capable_to_promise("SCOPE", Decimal(2), kit, hours(5, 5, 0, 0, 0, 0, 3, 3))
        self.assertEqual([(s.item, s.day) for s in found.path], [("SCOPE", 7), ("LENS", 2)])
        self.assertEqual([s.waits_at for s in found.path], [MILL, None])

    def test_what_comes_before_it_could_be_made_takes_no_hours(self) -> None:
        coming = Source(free=[(4, Decimal(9))], lead=2, works=[MILL])
        kit = {"SCOPE": SCOPE, "LENS": coming}
        busy = hours(0, 0, 0, 0, 5)
        found = capable_to_promise("SCOPE", Decimal(2), kit, busy)
        self.assertEqual([(s.item, s.day, s.is_free) for s in found.path], [("SCOPE", 7, False), ("LENS", 4, True)])  # fmt: skip

    def test_beyond_what_is_known_nothing_is_in_the_way(self) -> None:
        found = capable_to_promise("LENS", Decimal(9), {"LENS": LENS}, hours(1, 1, 1, 1))
        self.assertEqual(found.day, 4)


FREE = st.lists(st.integers(0, 6).map(Decimal), max_size=20)


class Always(TestCase):
    """Whatever is free."""

    @settings(max_examples=150, phases=[Phase.explicit, Phase.generate])
    @given(FREE, FREE, st.integers(1, 12), st.integers(0, 6))
    def test_it_is_never_sooner_than_by_lead_times_and_more_hours_make_it_no_later(
        self, mill: list[Decimal], saw: list[Decimal], quantity: int, day: int
    ) -> None:
        kit = {"SCOPE": SCOPE, "LENS": LENS}
        by_leads = capable_to_promise("SCOPE", Decimal(quantity), kit)
        busy = capable_to_promise("SCOPE", Decimal(quantity), kit, {"MILL": mill, "SAW": saw})
        self.assertGreaterEqual(busy.day, by_leads.day)
        more = [h + (n == day) for n, h in enumerate(mill)]
        eased = capable_to_promise("SCOPE", Decimal(quantity), kit, {"MILL": more, "SAW": saw})
        self.assertLessEqual(eased.day, busy.day)
        self.assertEqual(busy.path[0].waits_at is None, busy.day == _without_wait(busy.path))

    @settings(max_examples=150, phases=[Phase.explicit, Phase.generate])
    @given(FREE, st.integers(1, 12))
    def test_what_is_free_until_then_is_enough(self, mill: list[Decimal], quantity: int) -> None:
        """Of one operation: until the day it ends on, and not until the day before."""
        lens = Source(works=[MILL])
        day = capable_to_promise("LENS", Decimal(quantity), {"LENS": lens}, {"MILL": mill}).day
        wanted = MILL.hours(Decimal(quantity))
        self.assertLess(sum(mill[:day]), wanted)
        if day < len(mill):
            self.assertGreaterEqual(sum(mill[: day + 1]), wanted)


def _without_wait(path: tuple[Step, ...]) -> int:
    """Return when the first of a path would be there by its lead time."""
    return (path[1].day if len(path) > 1 else 0) + SCOPE.lead
