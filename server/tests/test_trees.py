"""Orders over several levels: planned in one act, tied by dates, their output kept, seen as one tree."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Reservation
from poietic.ledger.verify import differences
from poietic.orders.models import Order, OrderInput, OrderOperation, PlannedNeed, PlannedWork

from .client import Caller, make_person

DUE = date(2027, 3, 1)


class TreeTest(TestCase):
    """A tube takes one mirror cell and two collimation sets; a cell takes one set; a set 0.122 m of bar."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        mirror_cell.define(cls.shop)
        cls.shop.do("define-item", code="TUBE", name="Tube assembly", unit="pcs", source="make")
        work = [{"number": 10, "name": "Line up", "work_center": "ASSY", "run_labour_hours": "0.5"},
                {"number": 50, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "1"}]  # fmt: skip
        mirror_cell.structure(cls.shop, "TUBE", work, [
            {"item": "MA-200", "operation": 50, "quantity": "1"},
            {"item": "CS-01", "operation": 10, "quantity": "2"},
        ])  # fmt: skip
        cls.shop.do("freeze-standard")
        cls.caller = Caller(make_person())

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def must(self, name: str, /, **given: Any) -> Any:
        return self.caller.must(name, given)

    def tree(self, quantity: str = "10", **more: Any) -> list[Order]:
        """Plan a tree and return its orders."""
        made = self.must("plan-tree", item="TUBE", quantity=quantity, due=str(DUE), **more)["made"]
        numbers = [int(n) for n in made["orders"].split(",")]
        rows = {o.number: o for o in Order.objects.select_related("item", "made_for__item", "top")}
        return [rows[n] for n in numbers]

    def buy(self, item: str, quantity: str) -> None:
        line = {"item": item, "quantity": quantity, "price": "2", "place": "STORE"}
        self.must("receive-material", lines=[line])

    def make(self, item: str, quantity: str) -> None:
        """Have some of a made item in stock, whatever it was made of."""
        reason = {"code": "FOUND", "name": "Found", "use": "adjustment"}
        self.caller.do("define-reason", reason)
        self.must("adjust-stock", item=item, place="STORE", on_hand=quantity, why="FOUND")


class Planned(TreeTest):
    """One act plans the orders of all made components."""

    def test_every_level_has_its_order_and_each_is_due_before_it_is_needed(self) -> None:
        orders = self.tree()
        told = [(o.item.code, str(o.quantity.normalize()), o.made_for and o.made_for.item.code, o.made_for_operation) for o in orders]  # fmt: skip
        self.assertEqual(
            told,
            [
                ("TUBE", "1E+1", None, None),
                ("CS-01", "2E+1", "TUBE", 10),
                ("MA-200", "1E+1", "TUBE", 50),
                ("CS-01", "1E+1", "MA-200", 20),
            ],
        )
        self.assertEqual({o.top and o.top.item.code for o in orders[1:]}, {"TUBE"})
        for o in orders[1:]:
            assert o.made_for is not None
            work = PlannedWork.objects.get(order=o.made_for, number=o.made_for_operation)
            begins = timezone.localtime(work.starts_at).date()
            self.assertEqual(o.due, begins - timedelta(days=1))

    def test_stock_that_is_enough_needs_no_order_and_is_counted_once(self) -> None:
        self.make("CS-01", "25")
        orders = self.tree()  # 20 of 25 sets go to the tubes, 5 are left for ten cells
        self.assertEqual([o.item.code for o in orders], ["TUBE", "MA-200", "CS-01"])

    def test_each_component_as_it_is_decided(self) -> None:
        how = [
            {"item": "CS-01", "how": "from stock"},
            {"item": "MA-200", "how": "within the order"},
        ]
        (top,) = self.tree(components=how)
        self.assertEqual(top.made_within, ["MA-200"])
        needs = {n.item.code: n.quantity for n in PlannedNeed.objects.select_related("item")}
        self.assertEqual(needs, {"AP-20": Decimal("25.264"), "PAD-3": Decimal(90), "CS-01": Decimal(30)})  # fmt: skip

        for item, quantity in (("AP-20", "30"), ("PAD-3", "90")):
            self.buy(item, quantity)
        self.must("release-order", order=top.number)
        work = [(o.number, o.name) for o in OrderOperation.objects.filter(order=top)]
        self.assertEqual([name for _, name in work], ["Line up", "Mill cell", "Assemble", "Fit"])
        inputs = OrderInput.objects.filter(order=top, kind="component").select_related("item")
        self.assertEqual({i.item.code for i in inputs if i.item and i.allowed}, {"AP-20", "PAD-3", "CS-01"})  # fmt: skip
        self.assertEqual(self.caller.causes(top.number).get("yield", 0), 0)

    def test_smallest_lots_and_multiples_are_kept(self) -> None:
        self.must("change-item", code="CS-01", lot_minimum="12", lot_multiple="8")
        orders = self.tree("3")
        self.assertEqual([int(o.quantity) for o in orders if o.item.code == "CS-01"], [16, 16])

    def test_it_says_when_each_runs_what_it_loads_and_what_is_missing(self) -> None:
        given = {"item": "TUBE", "quantity": "10", "due": str(DUE)}
        seen = self.caller.preview("plan-tree", given)["consequences"]
        words = [f"{r['thing']}: {r['text']}" for r in seen["remarks"]]
        self.assertTrue(
            any(w.startswith("TUBE: 10 pcs due Mon 1 Mar: starts") for w in words), words
        )
        self.assertIn("SB-06: 3.66 m short, none is to come in time", words)
        loaded = {f["thing"]: f["after"] for f in seen["fields"] if f["field"] == "hours released"}
        self.assertEqual(loaded["LATHE"], "3")
        self.assertFalse(Order.objects.exists())

    def test_what_is_bought_is_not_decided_and_a_tree_has_an_end(self) -> None:
        bought = [{"item": "SB-06", "how": "within the order"}]
        given = {"item": "TUBE", "quantity": "1", "due": str(DUE)}
        self.assertEqual(self.caller.do("plan-tree", given | {"components": bought})["code"], "input.invalid")  # fmt: skip
        below = "TUBE"
        for n in range(8):  # each level twice what is above it: 2 to the 8th orders
            code = f"LEVEL-{n}"
            self.must("define-item", code=code, name=code, unit="pcs", source="make")
            work = [{"number": k, "name": "Join", "work_center": "ASSY", "run_labour_hours": "1"} for k in (10, 20)]  # fmt: skip
            mirror_cell.structure(self.shop, code, work, [{"item": below, "operation": k, "quantity": "1"} for k in (10, 20)])  # fmt: skip
            below = code
        refused = self.caller.do("plan-tree", given | {"item": below})
        self.assertEqual(refused["code"], "order.tree_too_large")
        self.assertFalse(Order.objects.exists())


class Tied(TreeTest):
    """What is received of a component's order is kept for whom it was made."""

    def receive(self, order: Order, quantity: str) -> Any:
        """Release, report and receive some of an order of sets."""
        if Order.objects.get(pk=order.pk).state == "planned":
            self.buy("SB-06", "5")
            self.must("release-order", order=order.number)
            bar = OrderInput.objects.get(order=order, kind="component")
            line = {"operation": 10, "item": "SB-06", "quantity": str(bar.need.normalize())}
            self.must("issue-material", order=order.number, lines=[line])
        self.must("report", order=order.number, operation=10, good=quantity)
        return self.must("receive", order=order.number, quantity=quantity)

    def kept(self, order: Order) -> dict[str, Decimal]:
        rows = Reservation.objects.filter(cost_object=order.pk).select_related("item")
        return {r.item.code: r.quantity for r in rows}

    def test_it_is_kept_before_the_release_and_used_by_it(self) -> None:
        orders = self.tree()
        top, sets = orders[0], orders[1]
        said = self.receive(sets, "12")["consequences"]["remarks"]
        self.assertIn(f"12 pcs are kept for order {top.number}", [r["text"] for r in said])
        self.assertEqual(self.kept(top), {"CS-01": Decimal(12)})
        other = int(self.must("plan-order", item="MA-200", quantity="5", due=str(DUE))["made"]["order"])  # fmt: skip
        self.must("release-order", order=other)
        self.assertNotIn("CS-01", {r.item.code for r in Reservation.objects.filter(cost_object__number=other)})  # fmt: skip

        self.receive(sets, "8")
        self.must("release-order", order=top.number)
        self.assertEqual(self.kept(top), {"CS-01": Decimal(20)})
        page = self.caller.get(f"orders/{top.number}")
        line = next(i for i in page["inputs"] if i["code"] == "CS-01")
        self.assertEqual((line["kept"], line["free"], line["made_by"]), ("20.000000", "0", [sets.number]))  # fmt: skip

    def test_no_more_is_kept_than_is_needed(self) -> None:
        orders = self.tree("3")
        top, sets = orders[0], orders[1]
        self.must("change-order", order=sets.number, quantity="9")
        self.receive(sets, "9")
        self.assertEqual(self.kept(top), {"CS-01": Decimal(6)})


class CarriedDown(TreeTest):
    """A changed order offers to change those of its components."""

    def test_quantities_and_dates_follow_level_by_level(self) -> None:
        orders = self.tree()
        later = DUE + timedelta(days=7)
        self.must("change-order", order=orders[0].number, quantity="20", due=str(later), carry_down=True)  # fmt: skip
        after = {o.number: o for o in Order.objects.all()}
        self.assertEqual([int(after[o.number].quantity) for o in orders], [20, 40, 20, 20])
        for was in orders:
            self.assertGreater(after[was.number].due, was.due)

    def test_left_as_they_are_and_what_is_released_stays(self) -> None:
        orders = self.tree()
        said = self.must("change-order", order=orders[0].number, quantity="12")["consequences"]
        self.assertIn("2 orders of its components stay as they are", [r["text"] for r in said["remarks"]])  # fmt: skip
        self.must("release-order", order=orders[1].number)
        said = self.must("change-order", order=orders[0].number, quantity="5", carry_down=True)["consequences"]  # fmt: skip
        self.assertIn("is released and stays as it is", [r["text"] for r in said["remarks"]])
        after = {o.number: int(o.quantity) for o in Order.objects.all()}
        self.assertEqual([after[o.number] for o in orders], [5, 20, 5, 5])


class Seen(TreeTest):
    """All orders of a tree are one interleaved tree, from wherever it is asked."""

    def rows(self, order: int) -> list[dict[str, Any]]:
        return list(self.caller.get(f"orders/{order}/tree")["rows"])

    def test_orders_stand_below_the_material_that_they_make(self) -> None:
        orders = self.tree()
        rows = self.rows(orders[3].number)
        shown = [(r["depth"], r["kind"], r["code"]) for r in rows]
        self.assertEqual(shown[:3], [(0, "order", "TUBE"), (1, "operation", "ASSY"), (1, "operation", "ASSY")])  # fmt: skip
        of_orders = [(r["depth"], r["order"]) for r in rows if r["kind"] == "order"]
        numbers = [o.number for o in orders]
        self.assertEqual(of_orders, [(0, numbers[0]), (2, numbers[1]), (2, numbers[2]), (4, numbers[3])])  # fmt: skip
        self.assertFalse(any(r["is_late"] for r in rows))

    def test_released_ones_show_progress_and_cost_and_lateness_against_the_parent(self) -> None:
        orders = self.tree()
        self.buy("SB-06", "5")
        self.must("release-order", order=orders[1].number)
        line = {"operation": 10, "item": "SB-06", "quantity": "2.44"}
        self.must("issue-material", order=orders[1].number, lines=[line])
        self.must("report", order=orders[1].number, operation=10, good="7")
        late = str(DUE + timedelta(days=30))
        self.must("change-order", order=orders[2].number, due=late)

        rows = self.rows(orders[0].number)
        work = next(r for r in rows if r["order"] == orders[1].number and r["kind"] == "operation")
        self.assertEqual((work["name"], work["done"]), ("Turn screws", "7.000000"))
        made = next(r for r in rows if r["order"] == orders[1].number and r["kind"] == "order")
        self.assertGreater(Decimal(made["wip"]), 0)
        bases = {r["order"]: r["basis"] for r in rows if r["kind"] == "order"}
        self.assertEqual([bases[o.number] for o in orders[:2]], ["standard", "provisional"])
        self.assertTrue(all(r["basis"] is None for r in rows if r["kind"] != "order"))
        cell = next(r for r in rows if r["order"] == orders[2].number and r["kind"] == "order")
        self.assertTrue(cell["is_late"], cell)
        whole = self.caller.get(f"orders/{orders[0].number}/tree")
        self.assertEqual(whole["wip"], made["wip"])
        self.assertEqual(self.caller.get(f"orders/{orders[0].number}")["is_in_tree"], True)

    def test_a_larger_tree_takes_no_more_statements(self) -> None:
        small = self.must("plan-order", item="TUBE", quantity="1", due=str(DUE))["made"]["order"]
        large = self.tree()[0].number
        taken = []
        for number in (small, large):
            self.caller.get(f"orders/{number}/tree")
            with CaptureQueriesContext(connection) as found:
                self.caller.get(f"orders/{number}/tree")
            taken.append(len(found))
        self.assertEqual(taken[0], taken[1])

    def test_the_made_components_of_an_item_are_told_with_what_is_free(self) -> None:
        self.make("CS-01", "25")
        rows = self.caller.get("items/TUBE/made-components", quantity="10")
        told = [(r["level"], r["item"], r["need"], r["free"]) for r in rows]
        self.assertEqual(
            told, [(1, "MA-200", "10.000000", "0"), (2, "CS-01", "30.000000", "25.000000")]
        )
        self.assertEqual(self.caller.get("items/SB-06/made-components", quantity="x"), [])
