"""Migrations on rows that were there before."""

import json

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase
from django.utils import timezone
from poietic.costing.models import CostSet, Standard
from poietic.costing.sets import reached_in, set_in_arrays

BEFORE = [("costing", "0002_sets_next_and_what_if"), ("catalog", "0005_list_prices")]


def line(kind: str, code: str) -> dict[str, object]:
    """Return an input as a basis keeps it."""
    return {"operation": 10, "kind": kind, "code": code, "quantity": "2", "unit": "pcs", "price": "1", "split": {"material": "1"}}  # fmt: skip


class Costing(TransactionTestCase):
    """A set that was frozen when bases were JSON and nobody said what an item is made with."""

    def test_an_old_set_is_read_as_a_new_one_and_goes_back(self) -> None:
        executor = MigrationExecutor(connection)
        executor.migrate(BEFORE[:1])
        old = executor.loader.project_state(BEFORE).apps
        frozen = old.get_model("costing", "CostSet").objects.create(
            state="current", frozen_at=timezone.now(), change=1
        )
        basis = {
            "item": "MAIN",
            "standard_lot": "1",
            "operations": [{"number": 10, "name": "Cut", "work_center": "SAW", "yield_share": "1"}],
            "inputs": [line("co-product", "RING"), line("component", "BAR")],
            "grades": {"MAIN-A": "1.5"},
        }
        for code in ("MAIN", "RING", "MAIN-A", "BAR"):
            item = old.get_model("catalog", "Item").objects.create(
                code=code, name=code, unit="pcs", step=1, source="make", change=1
            )
            old.get_model("costing", "Standard").objects.create(
                cost_set=frozen,
                item=item,
                total=3,
                cost={},
                basis=basis if code == "MAIN" else None,
            )

        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())

        rows = {
            s.item.code: (s.made_with, s.basis) for s in Standard.objects.select_related("item")
        }
        self.assertEqual({c: r[0] for c, r in rows.items()}, {"MAIN": "", "RING": "MAIN", "MAIN-A": "MAIN", "BAR": ""})  # fmt: skip
        self.assertEqual(json.loads(rows["MAIN"][1]), basis)
        self.assertEqual(rows["BAR"][1], "")
        current = CostSet.objects.get()
        self.assertEqual(set_in_arrays(current).names.tolist(), ["BAR", "MAIN", "MAIN-A", "RING"])
        self.assertEqual(reached_in(current, "MAIN-A").bases.keys(), {"MAIN"})
        self.assertEqual(reached_in(current, "RING").bought.keys(), {"BAR"})

        executor = MigrationExecutor(connection)
        executor.migrate(BEFORE[:1])
        again = old.get_model("costing", "Standard").objects.get(item__code="MAIN")
        self.assertEqual(again.basis, basis)
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())
