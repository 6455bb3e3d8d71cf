"""A planning run of 100,000 items over 60 periods, against the same rules in plain Python; pegging; storing."""

import tracemalloc
from datetime import date, timedelta
from decimal import Decimal
from resource import RUSAGE_SELF, getrusage
from time import perf_counter

import numpy as np
from django.db import connection
from django.test import SimpleTestCase, TransactionTestCase
from django.utils import timezone
from poietic.catalog.models import Item
from poietic.demo.shop import Shop
from poietic.planning.models import PlanRun, Proposal
from poietic.planning.reading import Assumed, read_works
from poietic.statements.copying import copy_rows, days_of
from poietic_core.planning.lot_sizing import LotRule
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.netting import RULES, Plan, Policy, Works, net
from poietic_core.planning.pegging import peg
from scipy.sparse import csr_matrix

from core.tests.plain_netting import plain_net

from .plant import Lines, store

ITEMS, LEVELS, LINES, PERIODS = 100_000, 10, 1_000_000, 60
FOUR = (LotRule.LOT_FOR_LOT, LotRule.FIXED, LotRule.PERIODS, LotRule.REORDER_POINT)
GOAL = 15
#: of the netting's time, for the heaviest item; rows stored in a second, against bulk_create
GOAL_PEGGING, GOAL_STORING = 0.01, 30
STORED, ONE_BY_ONE = 760_000, 20_000


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
        self.pegging(works, plan, min(own))

    def pegging(self, works: Works, plan: Plan, netting: float) -> None:
        """Peg the item of which most is wanted, on demand, from the plan's arrays."""
        item = int(np.argmax((plan.gross > 0).sum(axis=1) * 1e9 + plan.gross.sum(axis=1)))
        first = date(2026, 12, 1)
        begin = perf_counter()
        demands = [Demand(source=Source.ORDER, number=n, due=first + timedelta(n), quantity=Decimal(str(q))) for n, q in enumerate(plan.gross[item].tolist()) if q]  # fmt: skip
        supplies = [Supply(source=Source.PROPOSAL, number=n, comes=first + timedelta(n), quantity=Decimal(str(q))) for n, q in enumerate((plan.due[item] + works.supply[item]).tolist()) if q]  # fmt: skip
        pegs = peg(Decimal(str(works.on_hand[item])), demands, supplies)
        took = perf_counter() - begin
        self.assertEqual(
            sum(p.quantity for p in pegs if p.demand), sum(d.quantity for d in demands)
        )
        met = "met" if took / netting <= GOAL_PEGGING else "MISSED"
        print(
            f"\npegging of the heaviest item, {len(demands)} demands, {len(pegs)} pegs: {took * 1000:.2f} ms, "
            f"{took / netting:.2%} of the netting (goal: {GOAL_PEGGING:.0%}: {met})"
        )


class Storing(TransactionTestCase):
    """A plan is written."""

    def test_storing(self) -> None:
        Shop().do("define-item", code="X", name="X", unit="pcs", source="buy")
        day = timezone.localdate()
        run = PlanRun.objects.create(is_what_if=False, first_day=day, last_day=day, made_at=timezone.now(), change=1, items=1, proposals=0, late=0, moves=0, digest="")  # fmt: skip
        item = Item.objects.get()
        due = days_of([day])[0]
        columns = {
            "run": np.full(STORED, run.pk, dtype=np.int64),
            "item": np.full(STORED, item.pk, dtype=np.int64),
            "steps": np.arange(1, STORED + 1, dtype=np.int64),
            "due": np.full(STORED, due, dtype=np.int32),
            "order_on": np.full(STORED, due, dtype=np.int32),
            "late": np.zeros(STORED, dtype=np.int32),
            "state": "open",
            "became": "",
        }
        begin = perf_counter()
        copy_rows(Proposal, columns, STORED)
        own = STORED / (perf_counter() - begin)
        self.assertEqual(Proposal.objects.count(), STORED)
        with connection.cursor() as cursor:
            cursor.execute("TRUNCATE planning_proposal")
        rows = [Proposal(run=run, item=item, steps=n, due=day, order_on=day, late=0) for n in range(1, ONE_BY_ONE + 1)]  # fmt: skip
        begin = perf_counter()
        Proposal.objects.bulk_create(rows, batch_size=5_000)
        base = ONE_BY_ONE / (perf_counter() - begin)
        met = "met" if own / base >= GOAL_STORING else "MISSED"
        print(
            f"\nstoring {STORED:,} proposals by binary COPY with their indexes and checks: {own:,.0f} rows/s, "
            f"{own / base:.0f} × bulk_create ({base:,.0f} rows/s; goal: {GOAL_STORING} ×: {met})"
        )


class EndToEnd(TransactionTestCase):
    """From the database to stored proposals: 100,000 items on ten levels, 990,000 lines, 60 working days."""

    def test_run(self) -> None:
        lines = Lines(levels=LEVELS, width=ITEMS // LEVELS, each=11)
        lines.quantities /= 8
        today = timezone.localdate()
        store(lines, today)
        shop = Shop()
        shop.do("define-partner", code="C", name="Customer", is_supplier=False, is_customer=True)
        line = {"item": "I0", "quantity": "1", "wanted_on": str(today + timedelta(days=40))}
        shop.do("enter-customer-order", customer="C", lines=[line])
        with connection.cursor() as cursor:
            rules = [rule.value for rule in FOUR]
            cursor.execute("UPDATE catalog_item SET lot_rule = (%s::text[])[1 + id %% 4], lot_minimum = 4, lot_multiple = 8, lot_days = 3, lead_time_days = id %% 5, safety_stock = id %% 3", [rules])  # fmt: skip
            cursor.execute(
                "INSERT INTO selling_customerline (order_id, number, item_id, quantity, wanted_on, priority, is_planned, delivered, open) "
                "SELECT o.id, n + 1, n %% %s, 1 + n %% 40, %s::date + (n %% 84), 5, true, 0, 1 + n %% 40 "
                "FROM selling_customerorder o, generate_series(1, 200000) n",
                [ITEMS // LEVELS * 2, today],
            )
            cursor.execute("ANALYZE")
        connection.close()
        begin = perf_counter()
        read = read_works(today, PERIODS, Assumed())
        reading = perf_counter() - begin
        begin = perf_counter()
        plan = net(read.works)
        netting = perf_counter() - begin
        del read, plan
        before = getrusage(RUSAGE_SELF).ru_maxrss
        begin = perf_counter()
        shop.do("run-plan", horizon=PERIODS)
        whole = perf_counter() - begin
        run = PlanRun.objects.latest("pk")
        print(
            f"\na planning run from the database to stored proposals, {ITEMS:,} items × {PERIODS} days, {lines.parents.size:,} lines, "
            f"200,000 customers' lines: {whole:.1f} s, of it reading {reading:.1f} s, netting {netting:.1f} s, the rest storing "
            f"{run.proposals:,} proposals, what they load, and who waits; at most {getrusage(RUSAGE_SELF).ru_maxrss / 1e6:.1f} GB "
            f"in the process ({before / 1e6:.1f} GB before)"
        )
