"""What a page says of one thing, every other says too, and each figure's derivation leads to the figure shown."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase
from django.utils import timezone
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.engineering.queries import in_force
from poietic.orders.models import Order
from poietic.people.models import Person

from . import demo_rows
from .client import Caller, make_person


class Demo(TestCase):
    """Every order and tree of the invented works."""

    @classmethod
    def setUpTestData(cls) -> None:
        demo_rows.load()
        cls.caller = Caller(Person.objects.get(name="jonas"))

    def test_each_need_is_explained_as_it_is_stored(self) -> None:
        count = 0
        for number in Order.objects.values_list("number", flat=True):
            for i in self.caller.get(f"orders/{number}")["inputs"]:
                with self.subTest(order=number, input=i["code"]):
                    told = self.caller.get(f"orders/{number}/inputs/{i['row']}/need")
                    self.assertEqual(Decimal(told[0]["value"]), Decimal(i["need"]))
                    count += 1
        self.assertGreater(count, 50)

    def test_each_figure_of_a_tree_is_explained_as_it_is_shown(self) -> None:
        """Every need and every cost of every row, in every structure that is in force."""
        count = 0
        for code in in_force(timezone.localdate()).values_list("item__code", flat=True):
            rows = self.caller.get(f"items/{code}/tree")["rows"]
            for row in rows:
                for figure in ("need", "cost"):
                    if row[figure] is None:
                        continue
                    told = self.caller.get(f"items/{code}/tree/derivation", row=row["key"], figure=figure)  # fmt: skip
                    with self.subTest(item=code, row=row["key"], figure=figure):
                        self.assertEqual(Decimal(told[0]["value"]), Decimal(row[figure]))
                        count += 1
        self.assertGreater(count, 200)

    def test_a_tree_costs_what_the_standard_says_and_the_standard_is_the_sum_of_its_elements(self) -> None:  # fmt: skip
        count = 0
        for item in self.caller.get("items")["rows"]:
            if item["standard"] is None:
                continue
            shown = self.caller.get(f"items/{item['code']}/standard")
            with self.subTest(item=item["code"]):
                self.assertEqual(Decimal(shown["total"]), Decimal(item["standard"]))
                elements = sum(
                    Decimal(e["this_level"]) + Decimal(e["lower_levels"]) for e in shown["elements"]
                )
                self.assertEqual(elements, Decimal(shown["total"]))
                if item["has_approved"]:
                    self.assertEqual(Decimal(shown["derivation"][0]["value"]), elements)
                    count += 1
        self.assertGreater(count, 15)

    def test_a_bridge_leads_from_what_was_allowed_to_what_was_charged(self) -> None:
        """Each order's causes add up to its variance to the cent, each cause to its details."""
        closed = 0
        for number in Order.objects.exclude(state="planned").values_list("number", flat=True):
            bridge = self.caller.get(f"orders/{number}/bridge")
            with self.subTest(order=number):
                variance = Decimal(bridge["variance"])
                self.assertEqual(Decimal(bridge["charged"]) - Decimal(bridge["allowed"]), variance)
                causes = [Decimal(c["amount"]) for c in bridge["causes"]]
                if bridge["causes"]:
                    self.assertEqual(sum(causes), variance)
                for cause in bridge["causes"]:
                    details = [Decimal(d["amount"]) for d in cause["details"]]
                    self.assertEqual(sum(details), Decimal(cause["amount"]))
                    for detail in cause["details"]:
                        exact = Decimal(detail["derivation"][0]["value"])
                        self.assertLess(abs(exact - Decimal(detail["amount"])), Decimal("0.01"))
                closed += bridge["state"] == "closed"
        self.assertGreater(closed, 0)

    def test_a_queue_says_of_an_order_what_its_page_says(self) -> None:
        alike = ("quantity", "received", "state", "due", "starts", "finishes", "days_late")
        rows = self.caller.get("orders")["rows"]
        for row in rows:
            page = self.caller.get(f"orders/{row['number']}")
            with self.subTest(order=row["number"]):
                self.assertEqual({n: row[n] for n in alike}, {n: page[n] for n in alike})
                wip = sum(Decimal(c["amount"]) for c in page["wip"])
                self.assertEqual(Decimal(row["wip"]), wip)
        self.assertGreater(len(rows), 5)

    def test_an_item_s_stock_is_the_sum_of_its_places_and_lots(self) -> None:
        for item in self.caller.get("items")["rows"]:
            stock = self.caller.get(f"items/{item['code']}/stock")["rows"]
            with self.subTest(item=item["code"]):
                there = sum(Decimal(row["quantity"]) for row in stock)
                self.assertEqual(there, Decimal(item["on_hand"]))
                self.assertTrue(
                    all(Decimal(r["reserved"]) <= Decimal(r["quantity"]) for r in stock)
                )

    def test_run_hours_are_the_same_in_the_tree_and_in_a_comparison(self) -> None:
        compared = self.caller.get("items/SP-200/revisions/B/compare", old="A")["rows"]
        tree = self.caller.get("items/SP-200/tree", revision="B")["rows"]
        shown = {r["operation"]: r["run_hours"] for r in tree if r["kind"] == "operation" and r["depth"] == 0}  # fmt: skip
        for row in compared:
            if row["kind"] == "operation" and row["new"] is not None:
                self.assertEqual(Decimal(row["new"]), round(Decimal(shown[row["operation"]]), 6))
            effect = Decimal(row["new_cost"] or 0) - Decimal(row["old_cost"] or 0)
            self.assertEqual(Decimal(row["effect"]), effect)

    def test_what_an_order_holds_by_element_is_the_sum_of_its_cells(self) -> None:
        elements = 0
        for number in Order.objects.values_list("number", flat=True):
            shown = self.caller.get(f"orders/{number}")
            for element in {c["element"] for c in shown["wip"]}:
                whole = sum(Decimal(c["amount"]) for c in shown["wip"] if c["element"] == element)
                told = [e["amount"] for e in shown["wip_by_element"] if e["element"] == element]
                self.assertEqual([Decimal(t) for t in told], [whole] if whole else [])
                elements += bool(whole)
            self.assertEqual(shown["is_all_received"], Decimal(shown["received"]) >= Decimal(shown["quantity"]))  # fmt: skip
        self.assertGreater(elements, 3)

    def test_a_tree_says_how_many_the_stock_is_enough_for(self) -> None:
        tree = self.caller.get("items/MA-200/tree")
        for row in tree["rows"]:
            if row["enough_for"] is not None and row["need"]:
                enough = Decimal(row["on_hand"]) // Decimal(row["need"])
                self.assertEqual(Decimal(row["enough_for"]), enough, row["code"])
                self.assertEqual(row["covers_lot"], enough >= Decimal(tree["standard_lot"]))


class Shown(TestCase):
    """Figures of one small shop."""

    def setUp(self) -> None:
        self.shop = Shop()
        mirror_cell.define(self.shop)
        self.caller = Caller(make_person())

    def come_in(self, price: str) -> int:
        line = {"item": "PAD-3", "quantity": "10", "price": price, "place": "STORE"}
        return self.shop.do("receive-material", lines=[line]).postings[0]

    def test_the_last_price_is_that_of_a_receipt_that_stands(self) -> None:
        def last() -> Any:
            return self.caller.get("items/PAD-3/peek")["last_price"]

        self.come_in("0.41")
        dear = self.come_in("0.99")
        self.assertEqual(last(), "0.99")
        self.shop.do("take-back", posting=dear)
        self.assertEqual(last(), "0.41")

    def test_a_journal_names_whose_stock_it_is_and_debits_first(self) -> None:
        money = self.caller.get(f"postings/{self.come_in('0.41')}")["money"]
        first = money[0]
        self.assertEqual((first["account"], first["item"], first["amount"]), ("stock", "PAD-3", "4.10"))  # fmt: skip
        self.assertEqual([m["item"] for m in money[1:]], [""] * (len(money) - 1))
        amounts = [Decimal(m["amount"]) for m in money]
        self.assertEqual(amounts, sorted(amounts, reverse=True))
        self.assertEqual(sum(amounts), 0)

    def test_an_order_is_finished_on_the_day_it_was_completed(self) -> None:
        mirror_cell.supply(self.shop)
        order = mirror_cell.plan(self.shop, "MA-200", "40", timezone.localdate() + timedelta(days=30))  # fmt: skip
        for name, wanted in mirror_cell.steps(order)[:7]:
            self.shop.do(name, **wanted)
        rows = self.caller.get("items/MA-200/history")["rows"]
        self.assertEqual([r["order"] for r in rows], [order])
        self.assertEqual(rows[0]["finished"], timezone.localdate().isoformat())

    def test_a_supplier_paints_each_phantom_leg_and_is_paid_for_each(self) -> None:
        """A table of 4 phantom legs, each painted at 3.00: 12.00 in the standard, charged at the report."""
        self.shop.do("define-partner", code="PAINT", name="Painter")
        for code in ("LEG", "TABLE"):
            self.shop.do("define-item", code=code, name=code, unit="pcs", source="make")
        paint = {"number": 10, "name": "Paint", "work_center": "ASSY", "supplier": "PAINT", "subcontract_price": "3"}  # fmt: skip
        mirror_cell.structure(self.shop, "LEG", [paint], [])
        self.shop.do("change-phantom", item="LEG", is_phantom=True)
        fit = {"number": 20, "name": "Fit", "work_center": "ASSY"}
        mirror_cell.structure(self.shop, "TABLE", [fit], [{"item": "LEG", "operation": 20, "quantity": "4"}])  # fmt: skip
        self.shop.do("freeze-standard")
        self.assertEqual(self.caller.get("items/TABLE/tree")["standard"], "12.000000")
        order = mirror_cell.plan(self.shop, "TABLE", "5")
        self.shop.do("release-order", order=order)
        self.shop.do("report", order=order, operation=1, good="5")
        shown = self.caller.get(f"orders/{order}")
        work = next(i for i in shown["inputs"] if i["kind"] == "subcontract")
        self.assertEqual((work["need"], work["used"], work["amount"]), ("20.000000", "20.000000", "60.00"))  # fmt: skip
        self.assertEqual(shown["variance"], "0.00")

    def test_a_kit_used_once_per_order_is_made_once_whatever_the_order(self) -> None:
        """2 kits per order, 0.5 h at 32 each and 4 pads at 0.42, a lot of 10: 3.536 a stand (by hand)."""
        for code, lot in (("KIT", "1"), ("STAND", "10")):
            self.shop.do("define-item", code=code, name=code, unit="pcs", source="make", standard_lot=lot)  # fmt: skip
        pack = {"number": 10, "name": "Pack", "work_center": "ASSY", "run_labour_hours": "0.5"}
        mirror_cell.structure(self.shop, "KIT", [pack], [{"item": "PAD-3", "operation": 10, "quantity": "4", "issue_rule": "at operation"}])  # fmt: skip
        self.shop.do("change-phantom", item="KIT", is_phantom=True)
        fit = {"number": 20, "name": "Fit", "work_center": "ASSY"}
        mirror_cell.structure(self.shop, "STAND", [fit], [{"item": "KIT", "operation": 20, "quantity": "2", "per": "order"}])  # fmt: skip
        self.shop.do("freeze-standard")
        self.assertEqual(self.caller.get("items/STAND/tree")["standard"], "3.536000")
        self.come_in("0.42")
        order = mirror_cell.plan(self.shop, "STAND", "10")
        self.shop.do("release-order", order=order)
        for _ in range(2):
            self.shop.do("report", order=order, operation=1, good="5")
        self.shop.do("report", order=order, operation=20, good="10", receive="ready", complete="when received")  # fmt: skip
        shown = self.caller.get(f"orders/{order}")
        used = {i["kind"]: (i["need"], i["used"]) for i in shown["inputs"]}
        self.assertEqual(used, {"component": ("8.000000", "8.000000"), "run labour": ("1.000000", "1.000000")})  # fmt: skip
        self.assertEqual((shown["state"], shown["variance"]), ("completed", "0.00"))
