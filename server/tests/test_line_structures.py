"""A structure of a customer's line's own: drafted, changed, costed, approved, made by, given up."""

from decimal import Decimal
from typing import Any

from poietic.engineering.models import Revision
from poietic.orders.models import Order, PlannedNeed, Standing

from .selling_shop import SellingTest

OPERATIONS = [
    {
        "number": 10,
        "name": "Mill cell",
        "work_center": "MILL",
        "yield_share": "0.95",
        "setup_labour_hours": "1",
        "setup_machine_hours": "1",
        "run_labour_hours": "0.25",
        "run_machine_hours": "0.25",
    },
    {"number": 20, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"},
]
#: three pads and a collimation set more than the standard
CHANGED = {
    "item": "MA-200",
    "operations": OPERATIONS,
    "components": [
        {"item": "AP-20", "operation": 10, "quantity": "2.40"},
        {"item": "PAD-3", "operation": 20, "quantity": "12"},
        {"item": "CS-01", "operation": 20, "quantity": "2"},
    ],
    "outputs": [{"item": "SW-AL", "operation": 10, "quantity": "1.10", "credit_price": "1.20"}],
}
#: 53.403684 by the standard, 3 pads at 0.42 and a set at 8.15 more
OWN_COST = "62.813684"


class LineStructures(SellingTest):
    """Cells with more pads than others, for one observatory only."""

    def act(self, name: str, number: int, **more: Any) -> Any:
        return self.must(name, customer_order=number, line=1, **more)

    def line(self, number: int) -> Any:
        return self.caller.get(f"customer-orders/{number}")["lines"][0]

    def approved(self, quantity: str = "5", due: int = 60) -> int:
        """Return an order whose line has a structure of its own, approved."""
        number = self.ordered(quantity, due=due)
        letter = self.act("draft-line-structure", number)["made"]["structure"]
        self.must("draft-structure", **CHANGED, letter=letter)
        self.act("approve-line-structure", number)
        return number

    def test_a_copy_of_the_standard_is_changed_costed_and_approved(self) -> None:
        number = self.ordered("5", is_offer=True)
        self.assertEqual((self.line(number)["structure"], self.line(number)["margin"]), ("", "182.98"))  # fmt: skip
        made = self.act("draft-line-structure", number)["made"]
        self.assertEqual(made, {"structure": "S1"})
        same = self.caller.get("items/MA-200/revisions/S1/compare", old="A")
        self.assertEqual((same["difference"], {r["status"] for r in same["rows"]}), ("0.000000", {"same"}))  # fmt: skip

        said = self.must("draft-structure", **CHANGED, letter="S1")
        self.assertEqual(said["made"]["revision"], "S1")
        self.assertEqual(self.line(number)["structure_state"], "own draft")
        self.assertIsNone(self.line(number)["own_cost"])
        shown = self.caller.preview("approve-line-structure", {"customer_order": number, "line": 1})
        self.assertIn("leaves 135.93 EUR of its price, 30.2%", str(shown["consequences"]))
        self.act("approve-line-structure", number)

        told = self.line(number)
        self.assertEqual((told["structure"], told["structure_state"], told["own_cost"]), ("S1", "own", OWN_COST))  # fmt: skip
        # 90 − 62.813684 each, of five
        self.assertEqual((told["standard"], told["margin"], told["share"]), ("53.403684", "135.93", "0.302"))  # fmt: skip
        tree = self.caller.get("items/MA-200/tree", revision="S1")
        needs = {r["code"]: Decimal(r["need"]) for r in tree["rows"] if r.get("need")}
        self.assertEqual((needs["PAD-3"], needs["SB-06"]), (12, Decimal("0.244")))

    def test_the_item_stays_as_it_is_for_everybody_else(self) -> None:
        before = self.caller.get("items/MA-200/tree")
        self.approved()
        self.assertEqual(self.caller.get("items/MA-200/tree"), before)
        self.assertEqual([r["letter"] for r in self.caller.get("items/MA-200/revisions")], ["A"])
        self.assertFalse(self.caller.get("items/MA-200")["has_draft"])
        used = [u["item"] for u in self.caller.get("items/PAD-3/where-used")["rows"]]
        self.assertEqual(used.count("MA-200"), 1)
        plain = self.must("plan-order", item="MA-200", quantity="5", due=str(self.day(60)))
        needs = PlannedNeed.objects.filter(order__number=plain["made"]["order"])
        self.assertEqual(needs.get(item__code="PAD-3").quantity, 45)
        # its next revision is B, and a further line's structure S2
        self.assertEqual(self.must("draft-structure", **CHANGED)["made"]["revision"], "B")
        self.assertEqual(self.act("draft-line-structure", self.ordered("1"))["made"]["structure"], "S2")  # fmt: skip

    def test_orders_of_all_levels_are_made_by_it(self) -> None:
        number = self.approved()
        self.must("make-to-order", customer_order=number)
        orders = {o.item.code: o for o in Order.objects.select_related("item", "revision")}
        self.assertEqual({c: int(o.quantity) for c, o in orders.items()}, {"MA-200": 5, "CS-01": 10})  # fmt: skip
        top = orders["MA-200"]
        assert top.revision
        self.assertEqual(top.revision.letter, "S1")
        needs = PlannedNeed.objects.filter(order=top)
        self.assertEqual(needs.get(item__code="PAD-3").quantity, 60)

        for name in ("make-firm", "rederive-order", "leave-to-planning", "make-firm"):
            self.must(name, order=top.number)
            top.refresh_from_db()
            assert top.revision
            self.assertEqual(top.revision.letter, "S1", name)
        self.must("release-order", order=top.number)
        page = self.caller.get(f"orders/{top.number}")
        self.assertEqual(page["revision"], "S1")
        pads = next(i for i in top.inputs.filter(item__code="PAD-3"))
        self.assertEqual((pads.need, pads.allowed, pads.standard), (60, 12, 9))
        self.must("draft-structure", **CHANGED)
        self.must("approve-structure", item="MA-200")  # B: nothing that this order is to adopt
        self.assertEqual(Standing.objects.get(order=top).newer, "")

    def test_it_does_not_change_under_orders_that_make_it(self) -> None:
        number = self.approved()
        made = self.must("make-to-order", customer_order=number, buys=False)["made"]["orders"]
        for name in ("draft-line-structure", "approve-line-structure", "give-up-line-structure"):
            said = self.refused("customer_order.made_already", name, customer_order=number, line=1)
            self.assertIn(made.split(",")[0], said["detail"])
        for order in made.split(","):
            self.must("cancel-order", order=int(order))
        self.act("draft-line-structure", number)
        said = self.refused("input.invalid", "make-to-order", customer_order=number)
        self.assertIn("structure S1 of line 1 is a draft", said["detail"])
        self.act("give-up-line-structure", number)
        self.assertEqual((self.line(number)["structure"], self.line(number)["own_cost"]), ("", None))  # fmt: skip
        self.assertEqual(Revision.objects.get(letter="S1").state, "retired")
        self.assertEqual(self.act("draft-line-structure", number)["made"]["structure"], "S2")
        self.act("give-up-line-structure", number)
        self.must("make-to-order", customer_order=number, buys=False)
        newest = Order.objects.filter(item__code="MA-200").latest("number")
        self.assertIsNone(newest.revision)

    def test_what_can_not_be_is_refused_by_name(self) -> None:
        number = self.approved()
        self.refused("input.not_found", "draft-structure", **CHANGED, letter="S1")  # it is approved
        self.refused("input.not_found", "draft-structure", **CHANGED, letter="A")
        self.refused("input.not_found", "draft-line-structure", customer_order=number, line=2)
        self.refused("input.not_found", "approve-line-structure", customer_order=self.ordered(), line=1)  # fmt: skip
        pads = self.ordered("5", line={"item": "PAD-3"})
        self.refused("input.invalid", "draft-line-structure", customer_order=pads, line=1)
        other = self.ordered("1")
        letter = self.act("draft-line-structure", other)["made"]["structure"]
        empty = CHANGED | {"components": [], "operations": [], "outputs": []}
        self.must("draft-structure", **empty, letter=letter)
        self.refused("structure.not_approvable", "approve-line-structure", customer_order=other, line=1)  # fmt: skip
        self.must("end-customer-order", customer_order=other)
        self.refused("customer_order.state", "draft-line-structure", customer_order=other, line=1)
        self.shop.do("define-item", code="BARE", name="Bare", unit="pcs", source="make")
        bare = self.ordered("1", line={"item": "BARE", "price": "1"})
        self.refused("input.not_found", "draft-line-structure", customer_order=bare, line=1)
