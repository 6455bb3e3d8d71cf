"""Pegs over all levels: a chain by hand, and random networks against every single path through them."""

from collections.abc import Callable, Mapping
from collections.abc import Set as AbstractSet
from datetime import date
from decimal import Decimal
from typing import Any

import numpy as np
from django.test import SimpleTestCase
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from poietic_core.planning.chain import Chain, Key, covered_by, key_of, late_ways, served_by
from poietic_core.planning.days import WEEKDAYS, PlanDays
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.pegging import Peg

MONDAY = date(2026, 11, 30)
DAYS = WEEKDAYS.following(MONDAY, 60)
TELESCOPE, TUBE, MIRROR = 1, 2, 3
Network = dict[int, list[Peg]]


def wants(source: Source, number: int, on: int, line: int = 0) -> Demand:
    return Demand(source=source, number=number, due=DAYS[on], quantity=Decimal(1), line=line)


def comes(source: Source, number: int, on: int | None) -> Supply:
    day = None if on is None else DAYS[on]
    return Supply(source=source, number=number, comes=day, quantity=Decimal(1))


def one(demand: Demand | None, supply: Supply | None, *, is_open: bool = False) -> Peg:
    return Peg(demand, supply, Decimal(1), is_open=is_open)


def of(pegs: Network) -> Callable[[AbstractSet[int]], Network]:
    return lambda items: {i: pegs[i] for i in items if i in pegs}


def gives(pegs: Network) -> Callable[[AbstractSet[Key]], Mapping[Key, set[int]]]:
    """Return the items that something supplies."""
    return lambda makers: {
        m: {i for i, own in pegs.items() if any(p.supply and (p.supply.source, p.supply.number) == m[:2] for p in own)}
        for m in makers
    }  # fmt: skip


def takes(pegs: Network) -> Callable[[AbstractSet[Key]], Mapping[Key, set[int]]]:
    """Return the items that something wants."""
    return lambda makers: {
        m: {i for i, own in pegs.items() if any(p.demand and (p.demand.source, p.demand.number) == m[:2] for p in own)}
        for m in makers
    }  # fmt: skip


def told(chain: Chain) -> list[tuple[int, int, int | None]]:
    return [(link.depth, link.item, link.late) for link in chain.links]


class ByHand(SimpleTestCase):
    """A mirror is bought for a tube, made for a telescope, which a customer waits for."""

    def setUp(self) -> None:
        self.pegs = {
            MIRROR: [one(wants(Source.ORDER, 20, on=5), comes(Source.PURCHASE, 9, on=3))],
            TUBE: [one(wants(Source.ORDER, 10, on=10), comes(Source.ORDER, 20, on=9))],
            TELESCOPE: [
                one(wants(Source.CUSTOMER, 5001, on=16, line=1), comes(Source.ORDER, 10, on=15)),
                one(wants(Source.CUSTOMER, 5001, on=30, line=2), comes(Source.ORDER, 10, on=15)),
            ],
        }

    def up(self, late: int) -> list[tuple[int, int, int | None]]:
        return told(
            served_by(MIRROR, (Source.PURCHASE, 9, 0), late, of(self.pegs), gives(self.pegs))
        )

    def down(self, line: int = 1) -> list[tuple[int, int, int | None]]:
        chain = covered_by(TELESCOPE, (Source.CUSTOMER, 5001, line), of(self.pegs), takes(self.pegs))  # fmt: skip
        return told(chain)

    def test_what_is_to_spare_takes_a_delay_up(self) -> None:
        # two days until the tube begins, one until the telescope does, one until it is promised
        self.assertEqual(
            self.up(4), [(0, MIRROR, 2), (1, TUBE, 1), (2, TELESCOPE, 0), (2, TELESCOPE, 0)]
        )
        self.assertEqual(
            self.up(7), [(0, MIRROR, 5), (1, TUBE, 4), (2, TELESCOPE, 3), (2, TELESCOPE, 0)]
        )

    def test_what_is_late_below_makes_late_what_waits_for_it(self) -> None:
        self.assertEqual(self.down(), [(0, TELESCOPE, 0), (1, TUBE, 0), (2, MIRROR, 0)])
        self.pegs[MIRROR] = [one(wants(Source.ORDER, 20, on=5), comes(Source.PURCHASE, 9, on=12))]
        self.assertEqual(self.down(), [(0, TELESCOPE, 5), (1, TUBE, 6), (2, MIRROR, 7)])

    def test_what_nobody_sells_or_knows_the_day_of_has_no_day_above_it(self) -> None:
        for peg in (
            one(wants(Source.ORDER, 20, on=5), None, is_open=True),
            one(wants(Source.ORDER, 20, on=5), comes(Source.PURCHASE, 9, on=None)),
        ):
            self.pegs[MIRROR] = [peg]
            self.assertEqual(
                self.down(), [(0, TELESCOPE, None), (1, TUBE, None), (2, MIRROR, None)]
            )

    def test_stock_is_in_time_and_leads_no_further(self) -> None:
        self.pegs[TUBE] = [one(wants(Source.ORDER, 10, on=10), None)]
        self.assertEqual(self.down(), [(0, TELESCOPE, 0), (1, TUBE, 0)])
        chain = served_by(TUBE, None, 0, of(self.pegs), gives(self.pegs))
        self.assertEqual(told(chain), [(0, TUBE, 0), (1, TELESCOPE, 0), (1, TELESCOPE, 0)])

    def test_what_nobody_wants_serves_nobody(self) -> None:
        self.pegs[MIRROR] = [one(None, comes(Source.PURCHASE, 9, on=3))]
        self.assertEqual(self.up(50), [])

    def test_a_loop_of_orders_ends(self) -> None:
        self.pegs[MIRROR].append(one(wants(Source.ORDER, 20, on=5), comes(Source.ORDER, 10, on=4)))
        self.assertEqual({item for _, item, _ in self.down()}, {TELESCOPE, TUBE, MIRROR})

    def test_no_more_is_followed_than_was_asked_for(self) -> None:
        chain = covered_by(
            *(TELESCOPE, (Source.CUSTOMER, 5001, 1), of(self.pegs), takes(self.pegs)), most=2
        )
        self.assertTrue(chain.is_cut)
        self.assertEqual(told(chain), [(0, TELESCOPE, 0), (1, TUBE, 0)])

    def test_nothing_is_read_of_more_items_than_was_asked_for(self) -> None:
        """The mirror comes 30 days late, on the third level: of two items that is not seen, and said."""
        self.pegs[MIRROR] = [one(wants(Source.ORDER, 20, on=5), comes(Source.PURCHASE, 9, on=35))]
        read: list[set[int]] = []

        def pegs_of(items: Any) -> Any:
            read.append(set(items))
            return of(self.pegs)(items)

        begins = [(TELESCOPE, (Source.CUSTOMER, 5001, 1))]
        (whole,), is_cut = late_ways(begins, pegs_of, takes(self.pegs))
        self.assertEqual(
            ([link.item for link in whole], is_cut), ([TELESCOPE, TUBE, MIRROR], False)
        )
        read.clear()
        (seen,), is_cut = late_ways(begins, pegs_of, takes(self.pegs), most_items=2)
        self.assertEqual((seen, is_cut, read), ([], True, [{TELESCOPE}, {TUBE}]))


@st.composite
def networks(draw: st.DrawFn) -> Network:
    """Order n makes item n, of some items before it; the last item's goes to a customer."""
    count = draw(st.integers(2, 7))
    pegs: Network = {n: [] for n in range(count)}
    ends = [draw(st.integers(0, 40)) for _ in range(count)]
    for n in range(count):
        for below in draw(st.sets(st.integers(0, n - 1), max_size=3)) if n else ():
            need = wants(Source.ORDER, n, on=draw(st.integers(0, 40)))
            pegs[below].append(one(need, comes(Source.ORDER, below, on=ends[below])))
    last = count - 1
    sold = wants(Source.CUSTOMER, 1, on=draw(st.integers(0, 40)))
    pegs[last].append(one(sold, comes(Source.ORDER, last, on=ends[last])))
    return pegs


def passed_on(peg: Peg, delay: int) -> int:
    """Return what is left of a delay behind a peg, counted by hand in the list of days."""
    assert peg.demand is not None and peg.supply is not None and peg.supply.comes is not None
    return max(0, DAYS.index(peg.supply.comes) + delay - DAYS.index(peg.demand.due))


def along_every_path(pegs: Network, item: int, delay: int) -> int:
    """Return the greatest delay with which anything from an order reaches the customer."""
    found = 0
    for p in pegs[item]:
        assert p.demand is not None
        left = passed_on(p, delay)
        is_end = p.demand.source is Source.CUSTOMER
        found = max(found, left if is_end else along_every_path(pegs, p.demand.number, left))
    return found


class Networks(SimpleTestCase):
    """Over random networks of orders."""

    @settings(phases=[Phase.explicit, Phase.generate])
    @given(networks(), st.integers(0, 15))
    def test_a_delay_reaches_the_customer_as_along_the_worst_path(
        self, pegs: Network, late: int
    ) -> None:
        chain = served_by(0, (Source.ORDER, 0, 0), late, of(pegs), gives(pegs))

        reached = [li.late or 0 for li in chain.links if li.demand.source is Source.CUSTOMER]
        self.assertEqual(max(reached, default=0), along_every_path(pegs, 0, late))

    @settings(phases=[Phase.explicit, Phase.generate])
    @given(networks())
    def test_what_a_customer_waits_for_is_the_worst_of_all_below(self, pegs: Network) -> None:
        last = max(pegs)
        chain = covered_by(last, (Source.CUSTOMER, 1, 0), of(pegs), takes(pegs))

        def below(order: int) -> int:
            own = [p for n in pegs for p in pegs[n] if p.demand and p.demand.number == order and p.demand.source is Source.ORDER]  # fmt: skip
            return max((passed_on(p, below(p.supply.number)) for p in own if p.supply), default=0)

        top = next(p for p in pegs[last] if p.demand and p.demand.source is Source.CUSTOMER)
        self.assertEqual(chain.links[0].late, passed_on(top, below(last)))

    @settings(phases=[Phase.explicit, Phase.generate])
    @given(networks())
    def test_demands_followed_together_are_as_late_as_each_alone(self, pegs: Network) -> None:
        begins = [(i, key) for i, own in pegs.items() for p in own if (key := key_of(p.demand))]

        ways, is_cut = late_ways(begins, of(pegs), takes(pegs))
        self.assertFalse(is_cut)

        alone = [covered_by(i, key, of(pegs), takes(pegs)).path for i, key in begins if key]
        self.assertEqual(ways, alone)
        self.assertTrue(all(link.late for way in ways for link in way), "each link is late")


shut = st.sets(st.dates(date(2026, 11, 1), date(2027, 2, 28)), max_size=12)


class Days(SimpleTestCase):
    """Against numpy's business days."""

    @settings(phases=[Phase.explicit, Phase.generate])
    @given(st.dates(date(2026, 11, 1), date(2027, 1, 31)), st.integers(1, 40), shut)
    def test_they_are_those_of_a_library(self, day: date, count: int, closed: set[date]) -> None:
        days = PlanDays(closed)
        holidays = sorted(closed)

        until = days.later(day, count)

        self.assertEqual(until, np.busday_offset(day, count, "backward", holidays=holidays).item())
        first, last = (np.datetime64(d) + 1 for d in (day, until))
        self.assertEqual(days.between(day, until), np.busday_count(first, last, holidays=holidays))
        self.assertEqual(days.between(until, day), 0)

    @settings(phases=[Phase.explicit, Phase.generate])
    @given(st.dates(date(2026, 11, 1), date(2027, 1, 31)), shut, shut)
    def test_each_counts_once(self, day: date, closed: set[date], opened: set[date]) -> None:
        days = PlanDays(closed - opened, opened)
        for n, then in enumerate(days.following(day, 30)):
            self.assertTrue(days.is_working(then))
            self.assertEqual(days.between(day, then), n + (not days.is_working(day)))
            self.assertNotIn(then, closed - opened)
