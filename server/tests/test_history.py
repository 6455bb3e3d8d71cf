"""What finished orders came to is kept, and an item's history, its comparison and the wide table read it."""

from datetime import datetime, timedelta
from decimal import Decimal
from io import BytesIO
from typing import Any

from django.test import TestCase
from django.utils import timezone
from openpyxl import load_workbook
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting
from poietic.ledger.verify import differences
from poietic.orders.models import Outcome
from poietic.orders.outcomes import keep_missing_outcomes

from .client import Caller, make_person


class HistoryTest(TestCase):
    """The handbook's constructed order, closed: 2,258.84 charged for 40 cells, 122.69 unfavourable."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        mirror_cell.define(cls.shop)
        mirror_cell.supply(cls.shop)
        cls.number = mirror_cell.plan(cls.shop, "MA-200", "40", timezone.localdate() + timedelta(days=9))  # fmt: skip
        for name, given in mirror_cell.steps(cls.number):
            cls.shop.do(name, **given)
        cls.caller = Caller(make_person())

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def rows(self, item: str = "MA-200") -> list[dict[str, Any]]:
        return list(self.caller.get(f"items/{item}/history")["rows"])

    def another(self, quantity: str, hours: str) -> int:
        """Make and close one more order of collimation sets, in so many hours."""
        order = mirror_cell.plan(self.shop, "CS-01", quantity)
        self.shop.do("release-order", order=order)
        self.shop.do("issue-material", order=order, lines=[{"operation": 10, "item": "SB-06", "quantity": "0.61"}])  # fmt: skip
        self.shop.do("report", order=order, operation=10, good=quantity, run_labour_hours=hours, run_machine_hours=hours, receive=quantity, complete=True)  # fmt: skip
        self.shop.do("close-order", order=order)
        return order


class Kept(HistoryTest):
    """One row for each finished order, worked out when it was completed and closed."""

    def test_the_check_values_of_the_constructed_order(self) -> None:
        row = self.rows()[0]
        self.assertEqual(row["order"], self.number)
        self.assertEqual(Decimal(row["variance"]), Decimal("122.69"))
        self.assertEqual(Decimal(row["unit_cost"]), Decimal("56.471"))  # 2,258.84 / 40
        self.assertEqual(Decimal(row["standard"]), Decimal("53.403684"))
        self.assertEqual(sum(Decimal(c["amount"]) for c in row["causes"]), Decimal("122.69"))
        bridge = self.caller.causes(self.number)
        self.assertEqual({c["kind"]: Decimal(c["amount"]) for c in row["causes"]}, bridge)
        self.assertEqual((row["scrap"], Decimal(row["good_share"])), ("4.000000", Decimal("0.9091")))  # fmt: skip

    def test_elements_and_hours_of_one_unit(self) -> None:
        outcome = Outcome.objects.get(order__number=self.number)
        self.assertEqual(sum(map(Decimal, outcome.elements.values())), Decimal("2258.84"))
        # set up 1.5 h, milled 12 h and assembled 7.5 h by people; the machine 13.5 h
        self.assertEqual((outcome.labour_hours, outcome.machine_hours), (21, Decimal("13.5")))
        # allowed: 1 + 44 × 0.25 + 40 × 0.2, and 1 + 44 × 0.25
        self.assertEqual((outcome.labour_allowed, outcome.machine_allowed), (20, 12))
        row = self.rows()[0]
        self.assertEqual(Decimal(row["labour_each"]), Decimal("0.525"))
        each = sum(Decimal(e["each"]) for e in row["elements"])
        self.assertAlmostEqual(each, Decimal(row["unit_cost"]), places=4)
        self.assertIn("by-product credit", [e["element"] for e in row["elements"]])

    def test_it_goes_with_the_completion_and_comes_back_with_it(self) -> None:
        def last(kind: str) -> int:
            rows = Posting.objects.filter(cost_object__number=self.number, kind=kind, reversal=None)
            return rows.exclude(reverses__isnull=False).latest("pk").pk

        self.caller.must("take-back", {"posting": last("closing")})
        self.assertEqual(Outcome.objects.get(order__number=self.number).variance, Decimal("122.69"))
        self.caller.must("take-back", {"posting": last("completion")})
        self.assertEqual(self.rows(), [])
        self.caller.must("complete-order", {"order": self.number, "leftovers": "charge"})
        kept = Outcome.objects.get(order__number=self.number)
        self.assertEqual(sum(map(Decimal, kept.elements.values())), Decimal("2258.84"))

    def test_what_an_older_version_has_not_kept_is_worked_out_once(self) -> None:
        before = list(Outcome.objects.order_by("pk").values())
        Outcome.objects.all().delete()
        self.assertEqual(keep_missing_outcomes(), len(before))
        self.assertEqual(list(Outcome.objects.order_by("pk").values()), before)
        self.assertEqual(keep_missing_outcomes(), 0)

    def test_the_latest_first_a_page_at_a_time(self) -> None:
        numbers = [self.another("5", "0.5") for _ in range(3)]
        self.assertEqual([r["order"] for r in self.rows("CS-01")][:3], numbers[::-1])
        page = self.caller.get("items/CS-01/history", skip="1", limit="2")
        self.assertEqual(([r["order"] for r in page["rows"]], page["whole"]), (numbers[1::-1], 4))


class Compared(HistoryTest):
    """Two orders of an item, per unit worked on."""

    def test_row_by_row(self) -> None:
        slow, quick = self.another("5", "1"), self.another("5", "0.4")
        said = self.caller.get(f"orders/{slow}/compare/{quick}")
        self.assertEqual((said["old"], said["new"]), (f"order {slow}", f"order {quick}"))
        # 0.2 h and 0.08 h a set, of people at 24.00 and a machine at 27.00
        moved = Decimal(said["new_total"]) - Decimal(said["old_total"])
        self.assertEqual(moved, Decimal("-0.12") * 51)

    def test_only_orders_of_one_item_that_are_built(self) -> None:
        other = self.another("5", "1")
        said = self.caller.get(f"orders/{self.number}/compare/{other}")
        self.assertEqual((self.caller.status, said["code"]), (422, "input.invalid"))
        planned = mirror_cell.plan(self.shop, "CS-01", "5")
        self.assertIn("is not released", self.caller.get(f"orders/{other}/compare/{planned}")["detail"])  # fmt: skip


class InTheTable(HistoryTest):
    """The wide table has what finished orders came to beside what running ones hold."""

    def test_columns_filters_and_sums(self) -> None:
        self.another("5", "0.5")
        table = self.caller.get("orders/table", where="variance:>100")
        (row,) = table["rows"]
        self.assertEqual(row["order"], self.number)
        shown = {n: Decimal(row[n]) for n in ("charged", "variance", "unit_cost", "labour", "machine_allowed", "per_hour", "done")}  # fmt: skip
        self.assertEqual(shown, {"charged": Decimal("2258.84"), "variance": Decimal("122.69"), "unit_cost": Decimal("56.47"), "labour": 21, "machine_allowed": 12, "per_hour": Decimal("1.90"), "done": 100})  # fmt: skip
        causes = self.caller.causes(self.number)
        self.assertEqual(Decimal(row["by_yield"]), causes["yield"])
        self.assertEqual(Decimal(row["by_price"]), causes["price"])
        self.assertEqual(Decimal(table["sums"]["variance"]), Decimal("122.69"))
        chosen = self.caller.get("orders/table", where="by_yield:>50;finished:>2026-01-01", sort="-by_price")  # fmt: skip
        self.assertEqual([r["order"] for r in chosen["rows"]], [self.number])

    def test_a_file_has_them_too(self) -> None:
        text = self.caller.client.get("/api/orders/table.csv", {"where": "unit_cost:>50", "columns": "order,unit_cost,by_yield,finished"}).content.decode()  # fmt: skip
        self.assertIn(f"{self.number},56.47", text)

    def test_a_workbook_can_be_computed_with(self) -> None:
        content = self.caller.client.get("/api/orders/table.xlsx", {"where": "unit_cost:>50", "columns": "order,unit_cost,finished,at"}).content  # fmt: skip
        sheet = load_workbook(BytesIO(content)).active
        assert sheet is not None
        order, cost, finished, at = (c.value for c in list(sheet.iter_rows())[1])
        self.assertEqual((order, cost, at), (self.number, 56.47, None))
        self.assertIsInstance(finished, datetime)


class Numbered(TestCase):
    """A works that begins here goes on with the numbers that it has."""

    def test_the_first_order_has_the_number_that_was_set_and_then_it_stays(self) -> None:
        shop = Shop()
        mirror_cell.define(shop)
        caller = Caller(make_person())
        caller.preview("begin-orders-at", {"number": 500})
        caller.must("begin-orders-at", {"number": 4711})
        self.assertEqual([mirror_cell.plan(shop, "CS-01", "5") for _ in range(2)], [4711, 4712])
        said = caller.do("begin-orders-at", {"number": 9000})
        self.assertEqual(said["code"], "order.numbers_begun")
        self.assertIn("There are orders from 4711 to 4712.", said["detail"])
