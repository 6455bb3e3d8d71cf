"""The cost accountant's sets: next, in force, back again, and what-ifs over them."""

import csv
import io
from decimal import Decimal
from typing import Any

from django.test import TestCase
from django.utils import timezone
from openpyxl import load_workbook
from poietic.costing.models import CostSet
from poietic.costing.queries import standards_in_force
from poietic.demo import tarn_hollow
from poietic.ledger.models import Holding, JournalLine
from poietic.ledger.verify import differences
from poietic.people.models import Person

from .client import Caller


class CostSets(TestCase):
    """On the demo's works."""

    @classmethod
    def setUpTestData(cls) -> None:
        tarn_hollow.load(timezone.localdate())

    def setUp(self) -> None:
        self.sunil = Caller(Person.objects.get(name="sunil"))

    def number(self, state: str) -> int:
        """Return the number of the set in a state."""
        return CostSet.objects.get(state=state).pk

    def test_the_next_set_is_compared_put_in_force_and_taken_out_again(self) -> None:
        self.sunil.must("change-item", {"code": "AP-20", "price": "7.15"})
        self.sunil.must("roll-up-next", {"note": "autumn"})
        old, new = self.number("current"), self.number("next")
        seen = self.sunil.get(f"cost-sets/{new}/against/{old}")
        rows = {r["item"]: r for r in seen["rows"]}
        # 0.65 more a kilogram, 2.40 kg at a yield of 0.95; by hand
        self.assertEqual(rows["MA-200"]["difference"], "1.642105")
        self.assertEqual(rows["MA-200"]["causes"], [{"cause": "price", "amount": "1.642105"}])
        self.assertEqual(seen["rows"][0]["item"], "HT-200")
        drilled = self.sunil.get(f"cost-sets/{new}/against/{old}/items/HT-200")
        self.assertEqual((drilled[0]["code"], drilled[0]["kind"]), ("AP-20", "component"))

        held = Holding.objects.get(item__code="MA-200")
        before = held.value
        answer = self.sunil.must("activate-set", {"cost_set": new})
        fields = {(f["thing"], f["field"]): f["after"] for f in answer["consequences"]["fields"]}
        held.refresh_from_db()
        self.assertEqual(fields["stock of MA-200", "value"], str(held.value))
        self.assertEqual(held.value, round(held.quantity * standards_in_force()["MA-200"].total, 2))
        lines = JournalLine.objects.filter(posting__kind="standard changed")
        self.assertEqual(sum(line.amount for line in lines), 0)
        self.assertEqual(differences(), [])

        self.sunil.must("activate-set", {"cost_set": old})
        held.refresh_from_db()
        self.assertEqual((held.value, self.number("current")), (before, old))
        self.assertEqual(differences(), [])

    def test_a_what_if_moves_what_it_says_and_nothing_in_force(self) -> None:
        changes: list[dict[str, Any]] = [
            {"kind": "price", "code": "A*", "by": "0.12"},
            {"kind": "labour rate", "code": "ASSY", "to": "41.50"},
            {"kind": "standard lot", "code": "MA-200", "to": "10"},
        ]
        before = {c: s.total for c, s in standards_in_force().items()}
        self.sunil.must("write-what-if", {"name": "dear aluminium", "changes": changes})
        if_so = CostSet.objects.get(name="dear aluminium").pk
        rows = self.sunil.get(f"cost-sets/{if_so}/against/{self.number('current')}")["rows"]
        cell = next(r for r in rows if r["item"] == "MA-200")
        causes = {c["cause"]: Decimal(c["amount"]) for c in cell["causes"]}
        # 12 % of 6.50 × 2.40 / 0.95; 9.50 × 0.2 h; a setup of 64 over 10 instead of 20
        aluminium = Decimal("0.78") * Decimal("2.4") / Decimal("0.95")
        by_hand = {"price": aluminium, "rate": Decimal("1.9"), "lot size": Decimal("3.2")}
        self.assertEqual(causes.keys(), by_hand.keys())
        for cause, amount in by_hand.items():
            self.assertAlmostEqual(causes[cause], amount, places=5)
        self.assertEqual({c: s.total for c, s in standards_in_force().items()}, before)
        now = self.number("current")
        parts = self.sunil.get(f"cost-sets/{if_so}/against/{now}/items/MA-200")
        moved = {(p["kind"], p["code"]) for p in parts if p["amount"] != p["old_amount"]}
        self.assertEqual(
            moved,
            {("component", "AP-20"), ("run labour", "ASSY"), ("setup labour", "MILL"), ("setup machine", "MILL")},
        )  # fmt: skip
        self.assertAlmostEqual(
            sum(Decimal(p["amount"]) for p in parts), Decimal(cell["new"]), places=4
        )
        sets = self.sunil.get("items/MA-200/cost")["sets"]
        self.assertEqual([s["state"] for s in sets], ["current", "what-if"])

        for changes, code in (
            ([{"kind": "price", "code": "NONE", "by": "0.1"}], "cost.change_of_nothing"),
            ([{"kind": "price", "code": "AP-20"}], "input.invalid"),
            ([{"kind": "price", "code": "AP-20", "by": "-2"}], "input.invalid"),
            ([{"kind": "standard lot", "code": "MA-200", "to": "0"}], "input.out_of_range"),
            ([{"kind": "standard lot", "code": "*", "by": "-1"}], "input.out_of_range"),
        ):
            problem = self.sunil.do("write-what-if", {"name": "bad", "changes": changes})
            self.assertEqual(problem["code"], code)
        self.sunil.must("drop-what-if", {"name": "dear aluminium"})

    def test_an_item_s_cost_is_taken_apart_and_its_history_tells_why_it_moved(self) -> None:
        self.sunil.must("change-item", {"code": "SC-05", "price": "0.09"})
        self.sunil.must("freeze-standard", {"note": "screws"})
        cost = self.sunil.get("items/RB-200/cost")
        parts = sum((Decimal(p["amount"]) for p in cost["parts"]), Decimal(0))
        self.assertAlmostEqual(parts, Decimal(cost["sets"][0]["total"]), places=4)
        layers = sum((Decimal(layer["this_level"]) + Decimal(layer["lower_levels"]) for layer in cost["sets"][0]["layers"]), Decimal(0))  # fmt: skip
        self.assertEqual(layers, Decimal(cost["sets"][0]["total"]))
        # the mirror is taken apart into its blank, its hours and its coating
        tube = {p["code"] for p in self.sunil.get("items/OT-200/cost")["parts"]}
        self.assertTrue({"BL-200", "TESSAL", "OPT-ROOM"} <= tube and "PM-200-A" not in tube, tube)
        first, second = cost["history"]
        self.assertEqual(first["causes"], [])
        moved = Decimal(second["total"]) - Decimal(first["total"])
        self.assertEqual(second["causes"], [{"cause": "price", "amount": f"{moved:f}"}])

    def test_the_cost_sheet_travels_as_table_and_on_paper(self) -> None:
        get = self.sunil.client.get
        rows = list(
            csv.reader(io.StringIO(get("/api/items/HT-150/cost-sheet/csv").content.decode()))
        )
        costs = [Decimal(r[8]) for r in rows[1:] if r[8] and r[0] in ("", "1")]
        self.assertEqual(rows[0][8], "cost in one")
        self.assertIn("Packing kit", [r[4] for r in rows])
        self.assertTrue(costs)
        sheet = load_workbook(io.BytesIO(get("/api/items/HT-150/cost-sheet/xlsx").content)).active
        assert sheet is not None
        self.assertEqual(sheet.max_row, len(rows))
        paper = get("/api/items/HT-150/cost-sheet/pdf")
        self.assertTrue(paper.content.startswith(b"%PDF-"))
        self.assertEqual(paper.content, get("/api/items/HT-150/cost-sheet/pdf").content)
        self.sunil.get("items/HT-150/cost-sheet/doc")
        self.assertEqual(self.sunil.status, 404)

    def test_what_is_missing_is_kept_with_the_set(self) -> None:
        self.sunil.must("roll-up-next", {})
        missing = next(s for s in self.sunil.get("cost-sets") if s["state"] == "next")["missing"]
        self.assertIn("FD-80 has no approved structure.", [m["why"] for m in missing])
