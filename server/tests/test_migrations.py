"""Migrations on rows that were there before."""

import json
from datetime import date
from fractions import Fraction
from typing import Any

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase
from django.utils import timezone
from poietic.costing.models import CostSet, Standard
from poietic.costing.sets import reached_in, set_in_arrays
from poietic.orders.models import OrderGrade, OrderInput
from poietic.people.models import Person
from poietic.works.models import Works

#: how it was; of the first two, also to go back to
BEFORE = [("orders", "0006_overhead_of_orders"), ("costing", "0002_sets_next_and_what_if"), ("ledger", "0005_overhead_lines"), ("catalog", "0005_list_prices"), ("engineering", "0005_overhead_budgets")]  # fmt: skip
#: as far as sets and orders had to be changed, and can be changed back
AFTER = [("orders", "0009_bases_instead_of_marks"), ("costing", "0006_one_what_if_of_a_name")]
YOUNGER: list[tuple[str, str | None]] = [
    ("stores", None),
    ("picking", None),
    ("buying", None),
    ("selling", None),
    ("planning", None),
    ("settling", None),
]
#: what an input was marked with: once per order, per good unit
MARKS = {"once": (True, False), "good": (False, True), "entering": (False, False)}


def line(kind: str, code: str) -> dict[str, object]:
    """Return an input as a basis keeps it."""
    return {"operation": 10, "kind": kind, "code": code, "quantity": "2", "unit": "pcs", "price": "1", "split": {"material": "1"}}  # fmt: skip


BASIS = {
    "item": "MAIN",
    "standard_lot": "1",
    "operations": [{"number": 10, "name": "Cut", "work_center": "SAW", "yield_share": "1"}],
    "inputs": [line("co-product", "RING"), line("component", "BAR")],
    "grades": {"MAIN-A": "1.5"},
}


class SetsAndOrders(TransactionTestCase):
    """A set that was frozen when bases were JSON and nobody said what an item is made with; an order
    released when an input was marked per order or per good unit; and what-ifs of one name."""

    def test_they_go_back_and_are_read_as_new_ones(self) -> None:
        executor = MigrationExecutor(connection)
        self.addCleanup(self.migrate)  # whatever fails, others find the newest state
        executor.migrate([*BEFORE, *YOUNGER])
        own = {app for app, _ in (*BEFORE, *YOUNGER)}
        names = [n for n in executor.loader.graph.leaf_nodes() if n[0] not in own]
        self.old = executor.loader.project_state([*names, *BEFORE]).apps
        self.make_set()
        self.make_order()
        for _ in range(2):
            self.make("costing.CostSet", state="what-if", name="Copper up", frozen_at=timezone.now(), change=1)  # fmt: skip

        self.migrate(*AFTER)
        self.migrate(*BEFORE[:2])

        standard = self.old.get_model("costing", "Standard").objects.get(item__code="MAIN")
        self.assertEqual(standard.basis, BASIS)
        again = self.old.get_model("orders.OrderInput").objects.order_by("pk")
        self.assertEqual([(i.is_per_order, i.is_per_good) for i in again], list(MARKS.values()))

        self.migrate()

        self.assert_set_is_new()
        self.assert_order_is_new()
        what_ifs = CostSet.objects.filter(state="what-if").order_by("pk")
        self.assertEqual(list(what_ifs.values_list("name", flat=True)), ["Copper up (2)", "Copper up"])  # fmt: skip

    def migrate(self, *to: tuple[str, str | None]) -> None:
        """Migrate to some states, or to the newest of all."""
        executor = MigrationExecutor(connection)
        executor.migrate(list(to) or executor.loader.graph.leaf_nodes())

    def make(self, model: str, **given: object) -> Any:
        return self.old.get_model(model).objects.create(**given)

    def make_set(self) -> None:
        frozen = self.make("costing.CostSet", state="current", frozen_at=timezone.now(), change=1)
        for code in ("MAIN", "RING", "MAIN-A", "BAR"):
            item = self.make("catalog.Item", code=code, name=code, unit="pcs", step=1, source="make", change=1)  # fmt: skip
            basis = BASIS if code == "MAIN" else None
            self.make("costing.Standard", cost_set=frozen, item=item, total=3, cost={}, basis=basis)

    def make_order(self) -> None:
        make = self.make
        item, grade = (make("catalog.Item", code=c, name=c, unit="pcs", step=1, source="make", change=1) for c in "AB")  # fmt: skip
        store, floor = (make("catalog.Place", code=k, name=k, kind=k, change=1) for k in ("store", "work in process"))  # fmt: skip
        order = make("orders.Order", number=7, item=item, quantity=10, due=date(2026, 3, 2), state="started", supply_place=store, receipt_place=store, planned_at=timezone.now(), change=1)  # fmt: skip
        for name, (per_order, per_good) in MARKS.items():
            make("orders.OrderInput", order=order, operation=10, kind="component", unit=name, allowed="1.25", standard=1, price=1, split={}, need=10, is_per_order=per_order, is_per_good=per_good)  # fmt: skip
        make("orders.OrderGrade", order=order, item=grade, share=1, price=4, received=3)
        entry = make("commanding.Entry", id=1, command="report", key="k", fingerprint="f", given={}, answer={}, entered_at=timezone.now())  # fmt: skip
        posting = make("ledger.Posting", kind="receipt", entry=entry, order=order, happened_at=timezone.now(), entered_at=timezone.now())  # fmt: skip
        for a, b, quantity, worth in ((floor, store, 5, 20), (store, floor, 2, 8)):
            make("ledger.StockLine", posting=posting, item=grade, from_place=a, to_place=b, quantity=quantity, value=worth, worth=worth, part="output")  # fmt: skip

    def assert_set_is_new(self) -> None:
        rows = {s.item.code: (s.made_with, s.basis) for s in Standard.objects.select_related("item")}  # fmt: skip
        self.assertEqual({c: r[0] for c, r in rows.items()}, {"MAIN": "", "RING": "MAIN", "MAIN-A": "MAIN", "BAR": ""})  # fmt: skip
        self.assertEqual(json.loads(rows["MAIN"][1]), BASIS)
        self.assertEqual(rows["BAR"][1], "")
        current = CostSet.objects.get(state="current")
        self.assertEqual(set_in_arrays(current).names.tolist(), ["BAR", "MAIN", "MAIN-A", "RING"])
        self.assertEqual(reached_in(current, "MAIN-A").bases.keys(), {"MAIN"})
        self.assertEqual(reached_in(current, "RING").bought.keys(), {"BAR"})

    def assert_order_is_new(self) -> None:
        inputs = OrderInput.objects.order_by("pk")
        self.assertEqual([i.basis for i in inputs], ["order", "good unit", "unit entering"])
        self.assertEqual([i.standard_basis for i in inputs], [i.basis for i in inputs])
        self.assertEqual({Fraction(i.allowed_exactly) for i in inputs}, {Fraction(5, 4)})
        self.assertEqual(OrderGrade.objects.get().received_value, 12)


class Demo(TransactionTestCase):
    """A demo made when its persons had a password that everybody was told."""

    def test_its_doors_become_the_works_and_its_passwords_nobody_s(self) -> None:
        before = [("people", "0001_initial"), ("works", None)]
        executor = MigrationExecutor(connection)
        executor.migrate(before)
        old = executor.loader.project_state([("people", "0001_initial")]).apps
        for name, is_demo in (("mara", True), ("ada", False)):
            old.get_model("people.Person").objects.create(name=name, full_name=name, roles=[], password="kept", is_demo=is_demo, change=1)  # fmt: skip

        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())

        self.assertTrue(Works.objects.get().is_demo)
        self.assertFalse(Person.objects.get(name="mara").has_usable_password())
        self.assertEqual(Person.objects.get(name="ada").password, "kept")
