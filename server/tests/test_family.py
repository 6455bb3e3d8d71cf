"""The demo's product family: what it costs and takes by hand, and the ledger behind it."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.utils import timezone
from poietic.catalog.models import Item
from poietic.costing.queries import standards_in_force
from poietic.engineering.queries import in_force
from poietic.engineering.snapshot import load_snapshot
from poietic.engineering.structures import structure_of
from poietic.ledger.models import JournalLine
from poietic.ledger.verify import differences
from poietic.orders.models import Order
from poietic.people.models import Person
from poietic_core.structure.explode import total_requirements
from poietic_core.structure.requirement import entering_for_one, need_per_good_unit

from . import demo_rows
from .client import Caller


class Family(TestCase):
    """Loaded once; each test looks at one part of it."""

    @classmethod
    def setUpTestData(cls) -> None:
        demo_rows.load()

    def setUp(self) -> None:
        self.ines = Caller(Person.objects.get(name="ines"))
        self.mara = Caller(Person.objects.get(name="mara"))
        self.sunil = Caller(Person.objects.get(name="sunil"))

    def standard(self, code: str) -> Decimal:
        """Return a standard in force."""
        return standards_in_force()[code].total

    def order_of(self, item: str, quantity: str) -> int:
        """Plan and release an order."""
        due = (timezone.localdate() + timedelta(days=20)).isoformat()
        places = {"supply_place": "STORE", "receipt_place": "STORE"}
        made = self.mara.must("plan-order", {"item": item, "quantity": quantity, "due": due, **places})  # fmt: skip
        order = int(made["made"]["order"])
        self.mara.must("release-order", {"order": order})
        return order

    def test_standards_worked_out_by_hand(self) -> None:
        self.assertEqual(self.standard("AL-SH"), Decimal("26.46"))  # 2 × 1 × 0.001 × 2700 × 4.90
        self.assertEqual(self.standard("HK-10"), Decimal("0.92"))
        # one sheet makes two tubes and six finder tubes: per tube sheet 13.23, machine 1.44,
        # labour 2.32, offcut −0.66, at a yield of 0.98, and setup 14.10 over a lot of 20;
        # shared by area 0.49 : 3 × 0.055
        joint = Decimal("16.33") / Decimal("0.98") + Decimal("0.705")
        finder = joint * Decimal("0.165") / Decimal("0.655") / (3 / Decimal("0.98"))
        self.assertEqual(self.standard("TB-50"), round(finder, 6))
        # rolling 0.2 h at 32 + 18 and coating 9.80 on each piece sent belong to the tube alone
        tube = joint * Decimal("0.49") / Decimal("0.655") + 10 / Decimal("0.98") + Decimal("9.8")
        self.assertEqual(self.standard("TB-150"), round(tube, 6))
        grades = [self.standard(f"PM-200-{g}") * s for g, s in (("A", Decimal("0.7")), ("B", Decimal("0.3")))]  # fmt: skip
        self.assertAlmostEqual(sum(grades), self.standard("PM-200"), places=5)

    def test_one_item_rolled_up_costs_what_the_whole_roll_up_says(self) -> None:
        """Nothing has moved since the opening standard; grades and co-products reach their main item."""
        for code in ("HT-200", "PM-200-A", "TB-50", "HT-150"):
            rolled = self.ines.get(f"items/{code}/rolled")
            self.assertEqual(
                (rolled["missing"], rolled["rolled"]), ([], f"{self.standard(code):f}"), code
            )

    def test_the_tree_of_a_product_adds_up_to_its_standard_with_its_phantoms_open(self) -> None:
        for code in ("HT-150", "FO-80", "TB-150", "PM-200"):
            tree = self.ines.get(f"items/{code}/tree")
            own = [
                r
                for r in tree["rows"]
                if r["cost"] is not None and r["kind"] != "phantom" and _is_own(tree["rows"], r)
            ]
            whole = sum((Decimal(r["cost"]) for r in own), Decimal(0))
            self.assertAlmostEqual(whole, Decimal(tree["standard"]), places=4, msg=code)
        rows = self.ines.get("items/HT-150/tree")["rows"]
        kit = next(n for n, r in enumerate(rows) if r["code"] == "PK-20")
        self.assertEqual(rows[kit]["kind"], "phantom")
        self.assertEqual([r["name"] for r in rows[kit + 1 : kit + 3]], ["Fold carton and inserts", "Carton, double wall"])  # fmt: skip
        lap = next(r for r in self.ines.get("items/PM-200/tree")["rows"] if r["name"] == "Polish and figure")  # fmt: skip
        self.assertIn("Press the lap warm", lap["detail"])

    def test_graded_mirrors_cost_their_grades_and_what_fell_is_an_expense(self) -> None:
        orders = Order.objects.filter(item__code="PM-200", number__gt=1000)
        number = orders.earliest("number").number
        order = self.ines.get(f"orders/{number}")
        self.assertEqual([(g["item"], g["received"]) for g in order["grades"]], [("PM-200-A", "8.000000"), ("PM-200-B", "4.000000")])  # fmt: skip
        causes = {c["kind"]: Decimal(c["amount"]) for c in self.ines.get(f"orders/{number}/bridge")["causes"]}  # fmt: skip
        short_of_a = 12 * self.standard("PM-200") - 8 * self.standard("PM-200-A") - 4 * self.standard("PM-200-B")  # fmt: skip
        self.assertEqual(causes["grading"], round(short_of_a, 2))
        expense = JournalLine.objects.get(account="scrap expense")
        self.assertEqual(causes["written off"], -expense.amount)
        work = {(i["kind"], i["code"]): i for i in order["inputs"] if i["operation"] == 10}
        room = work["overhead", "OPT-ROOM"]  # by the machine hours charged, at 43,200 over 9,600 h
        hours = Decimal(work["run machine", "OPTICS"]["used"])
        self.assertEqual(Decimal(room["amount"]), round(hours * Decimal("4.5"), 2))
        self.assertIn("fixed overhead volume", causes)
        # by hand: blank 62 + 0.8 h × (14 + 0.5 × 38 + 4.50 of clean room) − 0.12 × 0.35,
        # over 0.96; then 0.08 kg × 48 and 2.5 h × 37.50
        after_polish = (62 + Decimal("30") - Decimal("0.042")) / Decimal("0.96") + Decimal("97.59")
        self.assertAlmostEqual(expense.amount, after_polish, delta=Decimal("0.02"))
        self.mara.must("close-order", {"order": number})
        self.assertEqual(differences(), [])
        problem = self.mara.do("receive", {"order": self.order_of("PM-200", "2"), "quantity": "1"})
        self.assertEqual(problem["code"], "order.not_all_graded")

    def test_a_supplier_is_owed_by_the_payment_basis_and_a_co_product_is_credited(self) -> None:
        order = self.order_of("TB-150", "20")
        report: dict[str, Any] = {"order": order, "operation": 10, "good": "20"}
        self.mara.must("report", report | {"by_products": [{"item": "TB-50", "quantity": "60"}]})
        self.mara.must("report", {"order": order, "operation": 20, "good": "20"})
        scrap = [{"reason": "DROPPED", "quantity": "1"}]
        self.mara.must("report", {"order": order, "operation": 30, "good": "19", "scrap": scrap})
        work = next(i for i in self.ines.get(f"orders/{order}")["inputs"] if i["kind"] == "subcontract")  # fmt: skip
        self.assertEqual((work["code"], work["used"], work["amount"]), ("CORRIN", "20.000000", "196.00"))  # fmt: skip
        stock = self.ines.get("items/TB-50")
        self.assertEqual(Decimal(stock["value"]), round(60 * self.standard("TB-50"), 2))
        self.assertEqual(differences(), [])

    def test_stocked_or_phantom_is_one_act_with_its_effect_told(self) -> None:
        seen = self.mara.preview("change-phantom", {"item": "PK-20", "is_phantom": False})
        told = {(c["thing"], c["field"]): (c["before"], c["after"]) for c in seen["consequences"]["fields"]}  # fmt: skip
        self.assertEqual(told["orders of HT-150", "operations"], ("4", "3"))
        self.mara.must("change-phantom", {"item": "CS-01", "is_phantom": True})
        inputs = self.ines.get(f"orders/{self.order_of('MA-200', '2')}")["inputs"]
        needs = {i["code"]: Decimal(i["need"]) for i in inputs}
        # the standard still has the set: it stands beside, with nothing needed of it
        self.assertEqual((needs["CS-01"], needs["SB-06"]), (0, Decimal("0.244")))
        problem = self.mara.do("plan-order", {"item": "CS-01", "quantity": "1", "due": "2030-01-01", "supply_place": "STORE", "receipt_place": "STORE"})  # fmt: skip
        self.assertIn("phantom", problem["detail"])

    def test_rates_and_prices_count_from_their_day(self) -> None:
        tomorrow = (timezone.localdate() + timedelta(days=1)).isoformat()
        layers = [{"name": "all", "amount": "80"}]
        self.mara.must("set-rates", {"work_center": "MILL", "effective_from": tomorrow, "labour_rate": "25", "layers": layers})  # fmt: skip
        mill = next(w for w in self.ines.get("work-centers") if w["code"] == "MILL")
        self.assertEqual((Decimal(mill["machine_rate"]), Decimal(mill["labour_rate"])), (40, 24))
        self.assertEqual([r["is_in_force"] for r in mill["rates"]], [False, True])
        self.assertEqual(self.ines.get("items/MA-200/rolled")["rolled"], "53.403684")
        prices = [
            {"supplier": "MARROW", "price": "7.00", "effective_from": tomorrow},
            {"supplier": "MARROW", "price": "6.60", "from_quantity": "0"},
        ]
        self.mara.must("set-prices", {"item": "AP-20", "prices": prices})
        dearer = Decimal("0.10") * Decimal("2.40") / Decimal("0.95")
        rolled = Decimal(self.ines.get("items/MA-200/rolled")["rolled"])
        self.assertAlmostEqual(rolled - Decimal("53.403684"), dearer, places=5)
        problem = self.mara.do("set-rates", {"work_center": "MILL", "labour_rate": "1", "layers": [{"name": "x", "percent": "0.1", "of": "y"}]})  # fmt: skip
        self.assertEqual(problem["code"], "rate.layer_without_base")

    def test_an_overhead_budget_gives_a_rate_that_the_next_roll_up_charges(self) -> None:
        today = timezone.localdate()
        budget = {
            "code": "FAC", "name": "Factory", "element": "fixed overhead", "base": "machine hours",
            "work_center": "MILL", "effective_from": today.isoformat(),
            "effective_until": (today + timedelta(days=90)).isoformat(),
            "budget": "12000", "capacity": "1200", "capacity_basis": "practical",
        }  # fmt: skip
        self.sunil.must("set-overhead", budget)
        row = next(o for o in self.ines.get("overheads") if o["code"] == "FAC")
        self.assertEqual(Decimal(row["rate"]), 10)
        # 10 an hour on 0.25 machine hours a piece at a yield of 0.95, and on a setup of 1 h over 20
        charged = Decimal("2.5") / Decimal("0.95") + Decimal("0.5")
        rolled = Decimal(self.ines.get("items/MA-200/rolled")["rolled"])
        self.assertAlmostEqual(rolled - self.standard("MA-200"), charged, places=5)

        self.sunil.must("set-overhead", budget | {"capacity": "1000"})
        dearer = Decimal(self.ines.get("items/MA-200/rolled")["rolled"])
        self.assertAlmostEqual(dearer - self.standard("MA-200"), charged * Decimal("1.2"), places=5)
        self.sunil.must("drop-overhead", {"code": "FAC", "effective_from": today.isoformat()})
        self.assertEqual(self.ines.get("items/MA-200/rolled")["rolled"], f"{self.standard('MA-200'):f}")  # fmt: skip

    def test_the_plant_in_arrays_needs_what_exact_explosion_needs(self) -> None:
        today = timezone.localdate()
        seen = load_snapshot(today)
        keys = dict(Item.objects.values_list("code", "pk"))
        graph: dict[str, dict[str, Decimal]] = {}
        for revision in in_force(today):
            made, lot = structure_of(revision).on(today), revision.item.standard_lot
            enter = entering_for_one(made.operations)
            needs = graph[made.item] = {}
            for c in made.components:
                need = need_per_good_unit(made, c, enter, unit="", standard_lot=lot).value
                needs[c.item] = needs.get(c.item, Decimal(0)) + need
        for top in ("HT-200", "HT-150", "PM-200"):
            demand = np.zeros(seen.keys.size)
            demand[seen.position(keys[top])] = 7
            total = seen.plant.explode(demand)
            for code, need in total_requirements(graph, {top: Decimal(7)}).items():
                self.assertAlmostEqual(total[seen.position(keys[code])], float(need), places=6, msg=code)  # fmt: skip

    def test_a_document_is_shown_with_its_item_and_anything_else_is_refused(self) -> None:
        shown = self.ines.client.get("/api/items/MA-200/documents/cell.png")
        self.assertEqual(shown["Content-Type"], "image/png")
        self.assertTrue(shown.content.startswith(b"\x89PNG"))
        rows = self.ines.get("items/OT-200/tree")["rows"]
        self.assertEqual(next(r for r in rows if r["code"] == "MA-200")["documents"], ["MA-200.pdf", "cell.png"])  # fmt: skip
        script = SimpleUploadedFile("a.png", b"<script>alert(1)</script>")
        answer = self.ines.client.post("/api/files", {"file": script})
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "document.not_taken"))

    def test_what_contradicts_itself_is_refused_by_name(self) -> None:
        for name, given, words in (
            ("change-item", {"code": "MA-200", "valuation": "moving average"}, "in stock"),
            ("change-item", {"code": "MA-200", "valuation": "lot actual"}, "lot actual needs"),
            ("change-item", {"code": "PAD-3", "valuation": "standard"}, "in stock"),
            ("change-item", {"code": "SC-05", "tracking": "lot"}, "number_rule"),
            ("set-prices", {"item": "AP-20", "prices": [{"supplier": "ORMSBY", "price": "1"}]}, "supplier ORMSBY"),
            ("define-reason", {"code": "X", "name": "X", "use": "hold", "is_written_off": True}, "only scrap"),
            ("report", {"order": 1001, "operation": 10, "scrap": [{"reason": "WASTE", "quantity": "1"}]}, ""),
        ):  # fmt: skip
            problem = self.mara.do(name, given)
            self.assertIn(self.mara.status, (404, 409, 422), problem)
            self.assertIn(words, f"{problem['title']} {problem['detail']} {problem['fix']}")


def _is_own(rows: list[dict[str, Any]], row: dict[str, Any]) -> bool:
    """Tell whether a row is the product's own: not below a stocked sub-assembly."""
    at = rows.index(row)
    depth = row["depth"]
    for above in reversed(rows[:at]):
        if above["depth"] < depth:
            depth = above["depth"]
            if above["kind"] == "sub-assembly":
                return False
    return True
