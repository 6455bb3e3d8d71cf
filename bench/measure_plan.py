"""A planning run of 100,000 items over 60 periods, against the same rules in plain Python."""

import tracemalloc
from time import perf_counter

import numpy as np
from django.test import SimpleTestCase
from poietic_core.planning.lot_sizing import LotRule
from poietic_core.planning.netting import RULES, Policy, Works, net
from scipy.sparse import csr_matrix

from core.tests.plain_netting import plain_net

ITEMS, LEVELS, LINES, PERIODS = 100_000, 10, 1_000_000, 60
FOUR = (LotRule.LOT_FOR_LOT, LotRule.FIXED, LotRule.PERIODS, LotRule.REORDER_POINT)
GOAL = 15


def plant() -> Works:
    """Return a works of ten levels whose quantities are dyadic, so that all ways give equal results."""
    chance = np.random.default_rng(18)
    each = ITEMS // LEVELS
    levels = [each * n for n in range(LEVELS + 1)]
    users = chance.integers(0, ITEMS - each, LINES)
    first = (users // each + 1) * each
    used = first + (chance.random(LINES) ** 2 * (ITEMS - first)).astype(np.int64)
    uses = csr_matrix(
        (chance.choice([0.5, 1.0, 1.0, 2.0], LINES) / 8, (users, used)), (ITEMS, ITEMS)
    )
    demand = np.zeros((ITEMS, PERIODS))
    tops = chance.integers(0, each * 2, 400_000)
    np.add.at(demand, (tops, chance.integers(0, PERIODS, 400_000)), chance.integers(1, 40, 400_000))
    supply = np.zeros((ITEMS, PERIODS))
    np.add.at(
        supply,
        (chance.integers(0, ITEMS, 20_000), chance.integers(0, PERIODS, 20_000)),
        chance.integers(1, 90, 20_000),
    )
    none = np.zeros(ITEMS)
    return Works(
        levels=levels,
        uses=uses,
        policy=Policy(
            rule=chance.choice([RULES.index(r) for r in FOUR], ITEMS),
            step=np.full(ITEMS, 0.5),
            lot=chance.choice([8.0, 32.0, 64.0], ITEMS),
            least=chance.choice([0.0, 4.0, 16.0], ITEMS),
            multiple=chance.choice([0.0, 2.0], ITEMS),
            lead=chance.integers(0, 6, ITEMS),
            safety=chance.choice([0.0, 4.0, 16.0], ITEMS),
            periods=chance.integers(1, 6, ITEMS),
            setup=none,
            holding=none,
            is_left_out=np.zeros(ITEMS, dtype=bool),
        ),
        on_hand=chance.integers(0, 60, ITEMS).astype(float),
        demand=demand,
        supply=supply,
    )


class Planning(SimpleTestCase):
    """Netting alone, without reading and storing."""

    def test_netting(self) -> None:
        works = plant()
        begin = perf_counter()
        due, _ = plain_net(works)
        theirs = perf_counter() - begin
        own = []
        for _ in range(3):
            begin = perf_counter()
            plan = net(works)
            own.append(perf_counter() - begin)
        self.assertTrue(np.array_equal(plan.due, np.array(due)))
        tracemalloc.start()
        net(works)
        _, peak = tracemalloc.get_traced_memory()
        tracemalloc.stop()
        ratio = theirs / min(own)
        met = "met" if ratio >= GOAL else "MISSED"
        print(
            f"\nnetting {ITEMS:,} items × {PERIODS} periods, four rules, {np.count_nonzero(plan.due):,} proposals: "
            f"{min(own) * 1000:.0f} ms, {ratio:.0f} × plain Python ({theirs:.1f} s), equal; {peak / 1e6:.0f} MB "
            f"(goal: {GOAL} ×: {met})"
        )
