"""Netting and lot sizing: the textbooks' plans, an oracle in plain Python, and what always holds."""

from dataclasses import replace
from datetime import date
from decimal import Decimal
from itertools import pairwise
from typing import Any

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from poietic_core.planning.capable import Source as Made
from poietic_core.planning.capable import capable_to_promise
from poietic_core.planning.economic import economic_quantity, production_quantity, with_discounts
from poietic_core.planning.lot_sizing import (
    BY_COST,
    LotRule,
    cost_of,
    in_parts,
    lots_by_cost,
)
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.moving import Coming, fit
from poietic_core.planning.net_change import net_change
from poietic_core.planning.netting import RULES, Plan, Policy, Works, net
from poietic_core.planning.pegging import available_to_promise, peg
from scipy.sparse import csr_matrix
from stockpyl.eoq import economic_order_quantity, economic_order_quantity_with_all_units_discounts
from stockpyl.wagner_whitin import wagner_whitin

from .plain_netting import plain_net

#: Wagner & Whitin, Management Science 5 (1958), from memory, recomputed
PAPER = [69, 29, 36, 61, 61, 26, 34, 67, 45, 67, 79, 56]
PAPER_SETUP = [85, 102, 102, 101, 98, 114, 105, 86, 119, 110, 98, 114]
#: Heizer & Render, Operations Management, ch. 14, from memory, recomputed: 35 are on hand
RECORD = [0, 30, 40, 0, 10, 40, 30, 0, 30, 55]


def policy(n: int, **columns: Any) -> Policy:
    """Return the policies of n items: lot for lot where nothing else is said."""
    told = {name: np.zeros(n) for name in ("lot", "least", "multiple", "safety", "setup", "holding")}  # fmt: skip
    told |= {"rule": np.zeros(n, int), "step": np.ones(n), "lead": np.zeros(n, int), "periods": np.ones(n, int)}  # fmt: skip
    told |= {"is_left_out": np.zeros(n, bool)}
    for name, column in columns.items():
        told[name] = np.array(column, dtype=told[name].dtype)
    return Policy(**told)


def one_item(rule: LotRule, gross: list[float], on_hand: float = 0, **columns: Any) -> Plan:
    """Return the plan of one item."""
    return net(
        Works(
            levels=[0, 1],
            uses=csr_matrix((1, 1)),
            policy=policy(1, rule=[RULES.index(rule)], **{k: [v] for k, v in columns.items()}),
            on_hand=np.array([on_hand], dtype=float),
            demand=np.array([gross], dtype=float),
            supply=np.zeros((1, len(gross))),
        )
    )


def lots(
    rule: LotRule, needs: list[float], setup: float | list[float], holding: float = 1
) -> list[float]:
    """Return the lots of one item by a rule that weighs costs."""
    row = np.array([needs], dtype=float)
    given_setup = np.array([setup if isinstance(setup, list) else [setup]], dtype=float)
    return list(lots_by_cost(rule, row, given_setup, np.array([[holding]], dtype=float))[0])


class Published(SimpleTestCase):
    """Plans and lots that textbooks and papers print."""

    def test_wagner_and_whitins_own_example(self) -> None:
        found = lots(LotRule.WAGNER_WHITIN, list(map(float, PAPER)), list(map(float, PAPER_SETUP)))

        self.assertEqual([t + 1 for t, q in enumerate(found) if q], [1, 3, 5, 8, 10, 11])
        row = np.array([PAPER], dtype=float)
        cost = cost_of(np.array([found]), row, np.array([PAPER_SETUP]), np.array([[1.0]]))
        self.assertEqual(cost[0], 864)

    def test_the_lot_sizing_record(self) -> None:
        """Set-up 100, holding 1: lot for lot 700, lots of three periods 495, Wagner-Whitin 455."""
        row, setup, holding = np.array([RECORD], float), np.array([[100.0]]), np.array([[1.0]])
        three = one_item(LotRule.PERIODS, [35, *RECORD[1:]], 35, periods=3).due
        least = np.array([lots(LotRule.WAGNER_WHITIN, list(map(float, RECORD)), 100)])
        for found, cost in ((row, 700), (three, 495), (least, 455)):
            self.assertEqual(cost_of(found, row, setup, holding)[0], cost)

    def test_economic_lots(self) -> None:
        """Harris (1913); Heizer & Render: D 1,000, S 10, H 0.50; used 4 and made 8 a day; three prices."""
        self.assertEqual(economic_quantity(1000, 10, 0.5), 200)
        self.assertAlmostEqual(production_quantity(1000, 10, 0.5, used=4, made=8), 282.84, places=2)
        best = with_discounts(5000, 49, 0.2, [(0, 5.00), (1000, 4.80), (2000, 4.75)])
        self.assertEqual((best.quantity, round(best.cost, 2)), (1000, 24_725.00))

    def test_the_basic_record(self) -> None:
        """Vollmann, Berry & Whybark (from memory, recomputed): lead time 1, lot 50, 50 come in period 1."""
        plan = net(
            Works(
                levels=[0, 1],
                uses=csr_matrix((1, 1)),
                policy=policy(1, rule=[RULES.index(LotRule.FIXED)], lot=[50], lead=[1]),
                on_hand=np.array([4.0]),
                demand=np.array([[0, 10, 0, 40, 10]], dtype=float),
                supply=np.array([[50, 0, 0, 0, 0]], dtype=float),
            )
        )

        self.assertEqual(plan.projected[0].tolist(), [54, 44, 44, 4, 44])
        self.assertEqual(plan.due[0].tolist(), [0, 0, 0, 0, 50])  # ordered in period 4

    def test_the_speaker_kit(self) -> None:
        """Heizer & Render, MRP chapter (from memory, recomputed): 50 A in week 8, net of stock, by lead times."""
        names = "ABCEFDG"
        made = {"A": {"B": 2, "C": 3}, "B": {"D": 2, "E": 2}, "C": {"E": 2, "F": 2}, "F": {"D": 2, "G": 1}}  # fmt: skip
        uses = np.zeros((7, 7))
        for parent, components in made.items():
            for component, each in components.items():
                uses[names.index(parent), names.index(component)] = each
        demand = np.zeros((7, 8))
        demand[0, 7] = 50
        plan = net(
            Works(
                levels=[0, 1, 3, 5, 7],
                uses=csr_matrix(uses),
                policy=policy(7, lead=[1, 2, 1, 2, 3, 1, 2]),
                on_hand=np.array([10, 15, 20, 10, 5, 10, 0], dtype=float),
                demand=demand,
                supply=np.zeros((7, 8)),
            )
        )

        released = {
            name: {t + 1 - lead: q for t, q in enumerate(row) if q}
            for name, lead, row in zip(names, [1, 2, 1, 2, 3, 1, 2], plan.due.tolist(), strict=True)
        }
        self.assertEqual(
            released,
            {
                "A": {7: 40},
                "B": {5: 65},
                "C": {6: 100},
                "E": {3: 120, 4: 200},
                "F": {3: 195},
                "D": {2: 380, 4: 130},
                "G": {1: 195},
            },
        )

    def test_silver_meal_by_hand(self) -> None:
        """10, 20, 30, 10; set-up 30, holding 1. 30; (30 + 20) / 2 = 25; (50 + 60) / 3 rises: 30 in the
        first. Then 30; (30 + 10) / 2 = 20: 40 in the third."""
        self.assertEqual(lots(LotRule.SILVER_MEAL, [10, 20, 30, 10], 30), [30, 0, 40, 0])

    def test_least_unit_and_total_cost_and_part_periods_by_hand(self) -> None:
        """10, 20, 30, 10; set-up 30, holding 1.

        Unit cost: 3, then 50 / 30, then 110 / 60 rises; 1, then 40 / 40 does not rise. Total cost: holding
        20, then 80 which is further from 30; then 10. Part-periods of no more than 30: 20; then 10.
        """
        for rule in (LotRule.LEAST_UNIT_COST, LotRule.LEAST_TOTAL_COST, LotRule.PART_PERIOD):
            self.assertEqual(lots(rule, [10, 20, 30, 10], 30), [30, 0, 40, 0], rule)
        # 25 of holding in the second period: nearer to 20 than nothing is, but more than 20
        self.assertEqual(lots(LotRule.LEAST_TOTAL_COST, [10, 25], 20), [35, 0])
        self.assertEqual(lots(LotRule.PART_PERIOD, [10, 25], 20), [10, 25])

    def test_a_reorder_point_is_met_when_stock_and_orders_fall_below_it(self) -> None:
        """By hand: 30 there, 10 a period, point 15, lots of 40, two periods until they come."""
        plan = one_item(LotRule.REORDER_POINT, [10] * 8, 30, safety=15, lot=40, lead=2)
        # 20, 10: ordered in the second, there in the fourth
        self.assertEqual(plan.due[0].tolist(), [0, 0, 0, 40, 0, 0, 0, 40])
        self.assertEqual(plan.projected[0].tolist(), [20, 10, 0, 30, 20, 10, 0, 30])

    def test_what_expires_unused_is_no_stock_any_more(self) -> None:
        """By hand: 10 there, 6 of them until the end of the second period; 2 a period are wanted."""
        works = Works(
            levels=[0, 1],
            uses=csr_matrix((1, 1)),
            policy=policy(1),
            on_hand=np.array([10.0]),
            demand=np.full((1, 6), 2.0),
            supply=np.zeros((1, 6)),
            expiring={0: [(2, 6.0)]},
        )
        plan = net(works)
        # 4 of the 6 are used in time, 2 are gone; the other 4 last for two periods more
        self.assertEqual(plan.projected[0].tolist(), [8, 6, 2, 0, 0, 0])
        self.assertEqual(plan.due[0].tolist(), [0, 0, 0, 0, 2, 2])
        self.assertEqual(works.supply[0].tolist(), [0] * 6)

    def test_least_and_multiple_and_safety(self) -> None:
        """By hand: 7 are short of a safety stock of 2; at least 10, in boxes of 4."""
        plan = one_item(LotRule.LOT_FOR_LOT, [5, 3], 1, safety=2, least=10, multiple=4)
        self.assertEqual(plan.due[0].tolist(), [12, 0])


class AgainstALibrary(SimpleTestCase):
    """stockpyl, a general library of inventory models."""

    @given(st.lists(st.integers(1, 90), min_size=1, max_size=14), st.integers(1, 200), st.integers(1, 9))  # fmt: skip
    def test_wagner_and_whitin(self, needs: list[int], setup: int, holding: int) -> None:
        found = np.array([lots(LotRule.WAGNER_WHITIN, list(map(float, needs)), setup, holding)])

        _, least, _, _ = wagner_whitin(len(needs), holding, setup, needs)

        own = cost_of(found, np.array([needs], float), np.array([[setup]]), np.array([[holding]]))
        self.assertAlmostEqual(own[0], least)

    @given(st.integers(1, 9_000), st.integers(1, 500), st.integers(1, 90))
    def test_economic_quantity(self, demand: int, setup: int, holding: int) -> None:
        theirs, _ = economic_order_quantity(setup, holding, demand)
        self.assertAlmostEqual(economic_quantity(demand, setup, holding), theirs)

    @given(st.integers(100, 9_000), st.integers(1, 500), st.integers(1, 5))
    def test_discounts(self, demand: int, setup: int, tenths: int) -> None:
        prices = [(0, 5.0), (1000, 4.8), (2000, 4.75)]
        theirs = economic_order_quantity_with_all_units_discounts(setup, tenths / 10, demand, [b for b, _ in prices], [p for _, p in prices])  # fmt: skip
        own = with_discounts(demand, setup, tenths / 10, prices)
        self.assertAlmostEqual(own.cost, theirs[2], places=6)


def coming_of(drawn: list[tuple[int, int, int]]) -> dict[int, list[Coming]]:
    """Return what comes by item, of item, period and quantity."""
    found: dict[int, list[Coming]] = {}
    for key, (item, period, quantity) in enumerate(drawn):
        found.setdefault(item, []).append(Coming(key, period, float(quantity)))
    return found


@st.composite
def plants(draw: Any) -> Works:
    """Return a works of up to nine items on up to four levels, over up to twelve periods."""
    sizes = draw(st.lists(st.integers(1, 3), min_size=1, max_size=4))
    n, periods = sum(sizes), draw(st.integers(1, 12))
    levels = np.concatenate([[0], np.cumsum(sizes)])
    uses, gives = np.zeros((n, n)), np.zeros((n, n))
    for level, (begin, end) in enumerate(pairwise(levels)):
        for item in range(begin, end):
            for other in range(levels[level + 1], n):
                uses[item, other] = draw(st.sampled_from([0, 0, 1, 2, 0.5]))
                gives[item, other] = draw(st.sampled_from([0, 0, 0, 0, 1, 0.25]))
    small = st.integers(0, 9)

    def column(values: Any) -> list[Any]:
        return draw(st.lists(values, min_size=n, max_size=n))

    by_period = [r for r in LotRule if r not in BY_COST]
    cells = st.lists(st.sampled_from([0, 0, 0, 3, 7]), min_size=n * periods, max_size=n * periods)
    return Works(
        levels=levels.tolist(),
        uses=csr_matrix(uses),
        policy=policy(
            n,
            rule=[RULES.index(r) for r in column(st.sampled_from(by_period))],
            lot=column(st.integers(1, 20)),
            least=column(small),
            multiple=column(st.sampled_from([0, 1, 4])),
            lead=column(st.integers(0, 4)),
            safety=column(small),
            periods=column(st.integers(1, 4)),
            setup=column(small),
            holding=column(st.sampled_from([0, 1, 2])),
            is_left_out=column(st.sampled_from([False, False, False, True])),
        ),
        on_hand=np.array(column(st.integers(0, 30)), dtype=float),
        demand=np.array(draw(cells), dtype=float).reshape(n, periods),
        supply=np.array(draw(cells), dtype=float).reshape(n, periods),
        gives=draw(st.sampled_from([None, csr_matrix(gives)])),
        frozen=draw(st.sampled_from([0, 0, min(2, periods - 1)])),
    )


class Always(SimpleTestCase):
    """What holds for every works."""

    @given(plants())
    def test_the_arrays_plan_what_plain_python_plans(self, works: Works) -> None:
        due, gross = plain_net(works)
        plan = net(works)
        self.assertEqual(plan.due.tolist(), due)
        self.assertEqual(plan.gross.tolist(), gross)

    @given(plants())
    def test_no_projection_falls_below_the_safety_stock_where_a_proposal_helps(self, works: Works) -> None:  # fmt: skip
        plan = net(works)
        reorder = works.policy.rule == RULES.index(LotRule.REORDER_POINT)
        held = ~works.policy.is_left_out & ~reorder
        lowest = plan.projected[held, works.frozen :].min(axis=1, initial=np.inf)
        self.assertTrue((lowest >= works.policy.safety[held] - 1e-9).all())
        self.assertFalse(plan.due[:, : works.frozen].any(), "nothing new where it is frozen")

    @given(st.lists(st.tuples(st.integers(1, 500), st.integers(0, 40), st.sampled_from([0, 1, 4])), min_size=1))  # fmt: skip
    def test_lots_in_parts_are_what_they_were_and_none_is_too_large(self, drawn: list[tuple[int, int, int]]) -> None:  # fmt: skip
        steps, most, multiple = (np.array(c) for c in zip(*drawn, strict=True))
        most = np.where(multiple > 0, most // np.maximum(multiple, 1) * multiple, most)

        lot, parts = in_parts(steps, most, multiple)

        self.assertEqual(np.bincount(lot, parts, steps.size).tolist(), steps.tolist())
        self.assertTrue(((parts <= most[lot]) | (most[lot] == 0)).all() and (parts > 0).all())
        last = np.append(lot[1:] != lot[:-1], True)
        self.assertTrue((last | (multiple[lot] == 0) | (parts % np.maximum(multiple[lot], 1) == 0)).all())  # fmt: skip
        self.assertTrue((np.bincount(lot) <= -(-steps // np.maximum(most, 1)) + (most == 0)).all())

    @given(plants())
    def test_lot_for_lot_without_stock_makes_what_the_gozinto_matrix_says(
        self, works: Works
    ) -> None:
        """x = (I − N)⁻¹ d: Vazsonyi, Management Science 1 (1954)."""
        n, periods = works.demand.shape
        bare = Works(
            levels=works.levels,
            uses=works.uses,
            policy=policy(n, step=[0.0] * n),
            on_hand=np.zeros(n),
            demand=works.demand,
            supply=np.zeros((n, periods)),
        )
        wanted = np.linalg.solve(np.eye(n) - works.uses.toarray().T, works.demand.sum(axis=1))
        self.assertTrue(np.allclose(net(bare).due.sum(axis=1), wanted))

    @given(plants(), st.data())
    def test_what_changed_netted_again_is_the_plan_of_everything_to_the_digit(self, works: Works, data: Any) -> None:  # fmt: skip
        """Demand in thirds, which no order of additions may change; supply that moves; stock; a lead time."""
        n, periods = works.demand.shape
        item = st.integers(0, n - 1)
        came = st.lists(st.tuples(item, st.integers(0, periods), st.integers(1, 9)), max_size=4)
        begun = replace(
            works, demand=works.demand / 3, coming=coming_of(data.draw(came)), tolerance=1
        )
        changed = data.draw(st.lists(item, min_size=1, max_size=3, unique=True))
        demand, on_hand, lead = begun.demand.copy(), begun.on_hand.copy(), begun.policy.lead.copy()
        for k in changed:
            demand[k, data.draw(st.integers(0, periods - 1))] += data.draw(st.sampled_from([1 / 3, -0.1, 4.0]))  # fmt: skip
            on_hand[k] += data.draw(st.integers(0, 3))
        slower = data.draw(item)
        lead[slower] += 1
        more = coming_of(data.draw(came))
        now = replace(begun, demand=demand, on_hand=on_hand, policy=replace(begun.policy, lead=lead), coming=more)  # fmt: skip
        stirred = {*changed, slower, *begun.coming, *more}
        for lines in (works.uses, works.gives):
            stirred |= set() if lines is None else set(lines[slower].indices.tolist())
        told: list[int] = []
        empty = replace(now, demand=np.zeros_like(demand), supply=np.zeros_like(demand), coming={})

        def read(rows: Any) -> None:
            told.extend(rows.tolist())
            empty.demand[rows], empty.supply[rows] = demand[rows], now.supply[rows]
            empty.coming.update({k: now.coming[k] for k in rows.tolist() if k in now.coming})  # type: ignore[attr-defined]

        plan, again = net_change(empty, net(begun).due, np.array(sorted(stirred)), read)

        whole = net(now)
        self.assertEqual(plan.due.tolist(), whole.due.tolist())
        self.assertEqual(plan.late.tolist(), whole.late.tolist())
        self.assertEqual(plan.moves, {k: m for k, m in whole.moves.items() if k in again})
        for own, every in ((plan.gross, whole.gross), (plan.projected, whole.projected)):
            self.assertEqual(own[again].tolist(), every[again].tolist())
        self.assertEqual(told, again.tolist(), "only these are read, each once")

    def test_where_nothing_is_passed_on_nothing_below_is_netted(self) -> None:
        """By hand: 10 more of a part are there for which nothing was proposed; what it is made of is left alone."""
        works = Works(
            levels=[0, 1, 2],
            uses=csr_matrix(np.array([[0.0, 2.0], [0.0, 0.0]])),
            policy=policy(2),
            on_hand=np.array([30.0, 0.0]),
            demand=np.array([[20.0, 0.0], [0.0, 5.0]]),
            supply=np.zeros((2, 2)),
        )
        before = net(works).due
        _, again = net_change(replace(works, on_hand=np.array([40.0, 0.0])), before, np.array([0]), len)  # fmt: skip
        self.assertEqual(again.tolist(), [0])
        fewer = replace(works, on_hand=np.array([15.0, 0.0]))
        plan, again = net_change(fewer, before, np.array([0]), len)
        self.assertEqual((again.tolist(), plan.due.tolist()), ([0, 1], [[5, 0], [10, 5]]))

    @given(plants(), st.randoms(use_true_random=False))
    def test_the_order_of_input_does_not_matter(self, works: Works, chance: Any) -> None:
        place = np.arange(works.demand.shape[0])
        for begin, end in pairwise(works.levels):
            own = list(range(begin, end))
            chance.shuffle(own)
            place[begin:end] = own
        names = Policy.__slots__
        shuffled = Works(
            levels=works.levels,
            uses=csr_matrix(works.uses.toarray()[np.ix_(place, place)]),
            policy=Policy(**{name: getattr(works.policy, name)[place] for name in names}),
            on_hand=works.on_hand[place],
            demand=works.demand[place],
            supply=works.supply[place],
            frozen=works.frozen,
            gives=works.gives
            if works.gives is None
            else csr_matrix(works.gives.toarray()[np.ix_(place, place)]),
        )
        self.assertTrue(np.allclose(net(shuffled).due, net(works).due[place]))

    @given(st.lists(st.lists(st.integers(0, 60), min_size=6, max_size=6), min_size=1, max_size=5), st.integers(0, 150))  # fmt: skip
    def test_no_heuristic_is_cheaper_than_the_best_and_all_make_what_is_needed(self, rows: list[list[int]], setup: int) -> None:  # fmt: skip
        needs = np.array(rows, dtype=float)
        setups, holding = np.full((len(rows), 1), float(setup)), np.ones((len(rows), 1))
        best = lots_by_cost(LotRule.WAGNER_WHITIN, needs, setups, holding)
        least = cost_of(best, needs, setups, holding)
        for rule in BY_COST:
            found = lots_by_cost(rule, needs, setups, holding)
            self.assertTrue((found.sum(axis=1) == needs.sum(axis=1)).all(), rule)
            self.assertTrue((np.cumsum(found - needs, axis=1) >= 0).all(), rule)
            self.assertTrue((cost_of(found, needs, setups, holding) >= least - 1e-9).all(), rule)


class WhatComes(SimpleTestCase):
    """What exists is moved before anything new is proposed; who gets what; what can be promised."""

    @given(
        st.integers(0, 20),
        st.integers(0, 5),
        st.lists(st.integers(0, 9), min_size=1, max_size=8),
        st.lists(st.tuples(st.integers(0, 9), st.integers(1, 20)), max_size=5),
        st.integers(0, 2),
    )
    def test_supplies_that_are_moved_keep_the_stock_up_as_long_as_they_last(self, on_hand: int, safety: int, wanted: list[int], supplies: list[tuple[int, int]], tolerance: int) -> None:  # fmt: skip
        coming = [Coming(n, period, quantity) for n, (period, quantity) in enumerate(supplies)]
        comes, moves = fit(on_hand, safety, wanted, coming, tolerance)
        left, whole = float(on_hand), float(on_hand + sum(q for _, q in supplies))
        for period, want in enumerate(wanted):
            left += comes[period] - want
            whole -= want
            if left < safety:  # then nothing is left to move
                self.assertEqual(left, whole)
        self.assertEqual(len({m.key for m in moves}), len(moves))
        self.assertTrue(all(m.period < len(wanted) for m in moves if m.to is None))
        for m in moves:
            self.assertTrue(m.to is None or abs(m.to - m.period) > tolerance)

    @given(
        st.integers(0, 30),
        st.lists(st.tuples(st.integers(1, 9), st.integers(1, 9)), max_size=6),
        st.lists(st.tuples(st.integers(1, 9), st.integers(1, 9)), max_size=6),
    )
    def test_every_demand_and_every_supply_is_pegged_fully(self, on_hand: int, wants: list[tuple[int, int]], comes: list[tuple[int, int]]) -> None:  # fmt: skip
        demands = [Demand(source=Source.ORDER, number=n, due=date(2026, 12, day), quantity=Decimal(q)) for n, (day, q) in enumerate(wants)]  # fmt: skip
        supplies = [Supply(source=Source.PURCHASE, number=n, comes=date(2026, 12, day), quantity=Decimal(q)) for n, (day, q) in enumerate(comes)]  # fmt: skip
        pegs = peg(Decimal(on_hand), demands, supplies)
        for demand in demands:
            self.assertEqual(sum(p.quantity for p in pegs if p.demand is demand), demand.quantity)
        for supply in supplies:
            self.assertEqual(sum(p.quantity for p in pegs if p.supply is supply), supply.quantity)
        self.assertEqual(sum(p.quantity for p in pegs if p.supply is None and not p.is_open), on_hand)  # fmt: skip
        wanted, there = sum(q for _, q in wants), on_hand + sum(q for _, q in comes)
        self.assertEqual(sum(p.quantity for p in pegs if p.is_open), max(0, wanted - there))

    @given(st.integers(0, 30), st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), min_size=1, max_size=8))  # fmt: skip
    def test_what_can_be_promised_up_to_a_period_is_the_least_that_is_left_from_then_on(self, on_hand: int, periods: list[tuple[int, int]]) -> None:  # fmt: skip
        comes, committed = ([Decimal(p[n]) for p in periods] for n in (0, 1))
        found = available_to_promise(Decimal(on_hand), comes, committed)
        left, projected = Decimal(on_hand), []
        for more, less in zip(comes, committed, strict=True):
            left += more - less
            projected.append(left)
        for t in range(len(periods)):
            self.assertEqual(sum(found[: t + 1]), max(0, min(projected[t:])))


class Promising(SimpleTestCase):
    """The earliest day for a quantity, and what decides it."""

    def kit(self, **free: list[tuple[int, Decimal]]) -> dict[str, Made]:
        """Return the speaker kit (Heizer & Render) with its lead times, and what is free of it."""
        made = {"A": {"B": 2, "C": 3}, "B": {"D": 2, "E": 2}, "C": {"E": 2, "F": 2}, "F": {"D": 2, "G": 1}}  # fmt: skip
        leads = {"A": 1, "B": 2, "C": 1, "D": 1, "E": 2, "F": 3, "G": 2}
        return {
            code: Made(
                lead=lead,
                free=free.get(code, ()),
                uses={c: Decimal(q) for c, q in made.get(code, {}).items()},
            )
            for code, lead in leads.items()
        }

    def test_with_nothing_there_the_longest_way_through_the_structure_decides(self) -> None:
        """G 2, then F 3, C 1, A 1: seven periods (the kit's lead times, by hand)."""
        found = capable_to_promise("A", Decimal(50), self.kit())
        self.assertEqual((found.day, [s.item for s in found.path]), (7, ["A", "C", "F", "G"]))
        self.assertEqual([str(s.quantity) for s in found.path], ["50", "150", "300", "300"])

    def test_what_is_free_shortens_it_and_what_comes_is_waited_for(self) -> None:
        """With all F there, E decides: 2 + 2 + 1 by B; with F coming on the third day: 3 + 1 + 1, by hand."""
        there = self.kit(F=[(0, Decimal(300))])
        self.assertEqual(
            [s.item for s in capable_to_promise("A", Decimal(50), there).path], ["A", "B", "E"]
        )
        comes = capable_to_promise("A", Decimal(50), self.kit(F=[(3, Decimal(300))]))
        self.assertEqual((comes.day, [(s.item, s.is_free) for s in comes.path]), (5, [("A", False), ("B", False), ("E", False)]))  # fmt: skip
        later = capable_to_promise("A", Decimal(50), self.kit(F=[(4, Decimal(300))]))
        self.assertEqual((later.day, [(s.item, s.is_free) for s in later.path]), (6, [("A", False), ("C", False), ("F", True)]))  # fmt: skip

    @given(
        st.dictionaries(st.sampled_from("ABCDEFG"), st.lists(st.tuples(st.integers(0, 9), st.integers(1, 90)), max_size=3)),
        st.integers(1, 60),
        st.integers(0, 30),
    )  # fmt: skip
    def test_more_is_never_there_sooner_and_what_is_free_today_is_there_today(self, free: dict[str, list[tuple[int, int]]], quantity: int, more: int) -> None:  # fmt: skip
        listed = {c: [(day, Decimal(q)) for day, q in sorted(own)] for c, own in free.items()}
        kit = self.kit(**listed)
        one = capable_to_promise("A", Decimal(quantity), kit)
        self.assertGreaterEqual(capable_to_promise("A", Decimal(quantity + more), kit).day, one.day)
        self.assertLessEqual(one.day, 7)
        there = sum(q for day, q in listed.get("A", []) if day == 0)
        self.assertEqual(one.day == 0, there >= quantity)
        self.assertEqual([s.day for s in one.path], sorted((s.day for s in one.path), reverse=True))
