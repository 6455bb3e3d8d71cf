"""The future of an item's stock: against the basic record of a textbook, and what must always hold."""

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal
from itertools import pairwise

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.projection import project
from poietic_core.planning.promise import share
from scipy.optimize import linprog

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


@st.composite
def demand_lists(draw: st.DrawFn) -> list[Demand]:
    numbers = draw(st.lists(st.integers(1, 99), unique=True, max_size=7))
    return [
        Demand(
            source=Source.ORDER,
            number=n,
            due=draw(days),
            quantity=draw(quantities),
            reserved=draw(quantities),
            rank=draw(st.integers(0, 1)),
        )
        for n in numbers
    ]


supply_lists = st.lists(st.tuples(st.none() | days, quantities), max_size=5).map(
    lambda rows: [supply(n, comes, q) for n, (comes, q) in enumerate(rows)]
)


def wanted_of(d: Demand) -> Decimal:
    return max(Decimal(0), d.quantity - d.reserved)


def usable(demands: list[Demand], free: int) -> list[Demand]:
    """Return demands with what is left of their reserved stock, taken from the last piece by piece."""
    left = {d.number: int(d.reserved) for d in demands}
    for d in sorted(demands, key=lambda d: (d.rank, d.due, d.number), reverse=True):
        while free < 0 and left[d.number]:
            left[d.number] -= 1
            free += 1
    return [replace(d, reserved=Decimal(left[d.number])) for d in demands]


def piece_by_piece(
    demands: list[Demand], free: int, supplies: list[Supply]
) -> dict[int, tuple[int, date | None]]:
    """Share as somebody would who hands out one piece after the other."""
    pieces: list[date | None] = [date.min] * max(0, free)
    for s in sorted((s for s in supplies if s.comes), key=lambda s: s.comes or FIRST):
        pieces += [s.comes] * int(s.quantity)
    found = {}
    stock = pieces[: max(0, free)]
    coming = pieces[max(0, free) :]
    for d in sorted(demands, key=lambda d: (d.rank, d.due, d.number)):
        short, last, enough = 0, None, True
        for _ in range(int(wanted_of(d))):
            if stock:
                stock.pop()
                continue
            short += 1
            if coming:
                last = coming.pop(0)
            else:
                enough = False
        if short:
            found[d.number] = (short, last if enough else None)
    return found


class Sharing(SimpleTestCase):
    """Stock is promised by rank and due date; what is reserved belongs to whom it is reserved for."""

    @given(demand_lists(), st.integers(-60, 90), supply_lists)
    def test_it_is_what_handing_out_piece_by_piece_comes_to(
        self, demands: list[Demand], free: int, supplies: list[Supply]
    ) -> None:
        lacks = share(demands, Decimal(free), supplies)

        told = {n: (int(lack.short), lack.comes) for n, lack in lacks.items()}
        self.assertEqual(told, piece_by_piece(usable(demands, free), free, supplies))

    @given(demand_lists(), st.integers(-60, 90), supply_lists)
    def test_no_more_is_given_than_there_is_and_all_of_it_before_anybody_is_short(
        self, demands: list[Demand], free: int, supplies: list[Supply]
    ) -> None:
        lacks = share(demands, Decimal(free), supplies)

        wanted = sum(map(wanted_of, usable(demands, free)), Decimal(0))
        short = sum((lack.short for lack in lacks.values()), Decimal(0))
        self.assertEqual(short, max(Decimal(0), wanted - max(free, 0)))
        promised = sum((lack.short for lack in lacks.values() if lack.comes), Decimal(0))
        self.assertLessEqual(promised, sum(s.quantity for s in supplies if s.comes))

    @given(demand_lists(), st.integers(0, 90))
    def test_nobody_is_served_before_one_who_comes_first(
        self, demands: list[Demand], free: int
    ) -> None:
        lacks = share(demands, Decimal(free))

        ranked = sorted(demands, key=lambda d: (d.rank, d.due, d.number))
        first = next((n for n, d in enumerate(ranked) if d.number in lacks), len(ranked))
        for later in ranked[first + 1 :]:  # from the first who is short on, nobody gets any
            short = lacks[later.number].short if later.number in lacks else Decimal(0)
            self.assertEqual(short, wanted_of(later))

    @given(demand_lists(), st.integers(0, 90), supply_lists, st.randoms())
    def test_the_order_in_which_they_are_asked_changes_nothing(
        self, demands: list[Demand], free: int, supplies: list[Supply], chance: object
    ) -> None:
        shuffled = list(demands)
        chance.shuffle(shuffled)  # type: ignore[attr-defined]

        self.assertEqual(share(shuffled, Decimal(free), supplies), share(demands, Decimal(free), supplies))  # fmt: skip

    @given(demand_lists(), st.integers(0, 90))
    def test_by_linear_programming_no_sharing_serves_more(
        self, demands: list[Demand], free: int
    ) -> None:
        """scipy's linprog: the most that can be given out of what is free."""
        lacks = share(demands, Decimal(free))
        if not demands:
            return
        wanted = [float(wanted_of(d)) for d in demands]
        best = linprog([-1.0] * len(wanted), A_ub=[[1.0] * len(wanted)], b_ub=[free], bounds=[(0, w) for w in wanted])  # fmt: skip

        given_out = sum(wanted) - sum(float(lack.short) for lack in lacks.values())
        self.assertAlmostEqual(given_out, -best.fun, places=6)
