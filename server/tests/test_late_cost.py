"""Late cost carried to where the goods went: stock, orders, what they made, what was delivered."""

from datetime import date
from decimal import Decimal
from typing import Any

from django.test import TestCase
from poietic.buying.models import Delivery
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Correction, Holding, JournalLine, LateCost, Posting
from poietic.ledger.verify import differences
from poietic.orders.models import Order, Outcome
from poietic.settling.models import ChainRow

from . import tracked
from .client import Caller, make_person

MADE = {"BODY": "moving average", "SCOPE": "FIFO layers", "MOUNT": "standard"}


def define(shop: Shop) -> None:
    """Define what is made of bought things and of each other, valued in different ways."""
    tracked.define(shop)
    shop.do("define-partner", code="ALU", name="Example Alloys")
    shop.do("define-partner", code="SHOP", name="Example Optics", is_customer=True)
    for code, valuation in MADE.items():
        shop.do("define-item", code=code, name=code.title(), unit="pcs", source="make", standard_lot="5", valuation=valuation)  # fmt: skip
    parts = {
        "BODY": [("AVERAGE", "2"), ("LAYERED", "1")],
        "SCOPE": [("BODY", "1"), ("GLASS", "1")],
        "MOUNT": [("AVERAGE", "1")],
    }
    for code, own in parts.items():
        mirror_cell.structure(
            shop,
            code,
            [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.1"}],
            [{"item": c, "operation": 10, "quantity": q, "issue_rule": "by hand"} for c, q in own],
        )  # fmt: skip
    shop.do("freeze-standard")


class LateCostTest(TestCase):
    """A works in which things are bought, made of each other, and delivered."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        define(cls.shop)
        cls.caller = Caller(make_person())

    def setUp(self) -> None:
        self.deliveries: dict[str, int] = {}
        self.invoices = 0

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def must(self, name: str, /, **given: Any) -> Any:
        return self.caller.must(name, given)

    def refused(self, code: str, name: str, /, **given: Any) -> Any:
        said = self.caller.do(name, given)
        self.assertEqual(said.get("code"), code, said)
        return said

    def buy(self, item: str, quantity: str, price: str = "10", lot: str = "") -> int:
        """Order, receive, and return the purchase order."""
        line = {"item": item, "quantity": quantity, "price": price, "comes_on": "2027-01-15"}
        number = int(self.must("draft-purchase", supplier="ALU", lines=[line], send=True)["made"]["purchase"])  # fmt: skip
        lots = [{"lot": lot, "quantity": quantity}] if lot else []
        self.must("receive-purchase", purchase=number, lines=[{"line": 1, "quantity": quantity, "lots": lots}])  # fmt: skip
        return number

    def invoice(self, purchase: int, quantity: str, amount: str) -> int:
        """Invoice a purchase order and return the posting."""
        self.invoices += 1
        lines = [{"line": 1, "purchase": purchase, "quantity": quantity, "amount": amount}]
        said = self.must("post-invoice", supplier="ALU", number=f"R{self.invoices}", dated="2026-11-20", lines=lines)  # fmt: skip
        return int(said["postings"][0])

    def begin(self, item: str, quantity: str) -> int:
        return tracked.running_order(self.shop, quantity, item)

    def issue(self, order: int, item: str, quantity: str, act: str = "issue") -> None:
        line = {"operation": 10, "item": item, "quantity": quantity}
        self.must(f"{act}-material", order=order, lines=[line])

    def make(self, order: int, quantity: str, *, closes: bool = True) -> None:
        """Report and receive pieces; complete and close the order."""
        self.must("report", order=order, operation=10, good=quantity, receive=quantity, complete=closes)  # fmt: skip
        if closes:
            self.must("close-order", order=order)

    def deliver(self, item: str, quantity: str, price: str | None = None) -> int:
        line = {"item": item, "quantity": quantity, "price": price, "customer_line": "1"}
        said = self.must("deliver", customer="SHOP", customer_order="318", place="STORE", lines=[line])  # fmt: skip
        return int(said["postings"][0])

    def carry(self) -> list[tuple[str, str, Decimal]]:
        """Carry on what waits; return what stays: item, kind, amount."""
        posting = self.must("carry-late-cost")["postings"][0]
        rows = ChainRow.objects.filter(posting=posting, stays=True).select_related("item")
        return [(r.item.code, r.kind, r.amount) for r in rows]

    def value(self, item: str) -> Decimal:
        return Decimal(Holding.objects.get(item__code=item).value)

    def booked(self, account: str) -> Decimal:
        rows = JournalLine.objects.filter(account=account).values_list("amount", flat=True)
        return sum(rows, Decimal(0))

    def order_cost(self, order: int) -> Decimal:
        return Decimal(self.caller.get(f"orders/{order}/bridge")["charged"])


class WorkedByHand(LateCostTest):
    """The handbook's section 12 (common practice, constructed): 100 at 10, 60 to an order of 30, 20 delivered."""

    def test_200_more_is_80_in_stock_40_in_what_was_made_and_80_sold(self) -> None:
        purchase = self.buy("AVERAGE", "100")
        self.buy("LAYERED", "30")
        order = self.begin("BODY", "30")
        self.issue(order, "AVERAGE", "60")
        self.issue(order, "LAYERED", "30")
        self.make(order, "30")
        self.deliver("BODY", "20", "50")
        before = {k: self.booked(k) for k in ("stock", "cost of goods sold", "price variance")}
        made = self.value("BODY")

        self.invoice(purchase, "100", "1200")

        self.assertEqual(
            (self.value("AVERAGE"), self.booked("late cost not carried on")), (480, 120)
        )
        self.assertEqual(self.carry(), [("BODY", "stock", 40), ("BODY", "cost of goods sold", 80)])
        self.assertEqual(self.value("BODY") - made, 40)
        self.assertEqual(self.booked("cost of goods sold") - before["cost of goods sold"], 80)
        self.assertEqual(self.booked("stock") - before["stock"], 80 + 40)
        self.assertEqual(self.booked("late cost not carried on"), 0)
        self.assertEqual(self.booked("price variance"), before["price variance"])
        self.refused("input.invalid", "carry-late-cost")

    def test_a_piece_stands_at_what_each_further_cost_makes_it(self) -> None:
        purchase = self.buy("AVERAGE", "2", "6")  # two pieces: 12 in one finished piece
        self.buy("LAYERED", "1")
        order = self.begin("BODY", "1")
        self.issue(order, "AVERAGE", "2")
        self.issue(order, "LAYERED", "1")
        self.make(order, "1")
        without = self.value("BODY") - 12
        stands = [Decimal(12)]
        self.invoice(purchase, "2", "17")
        self.carry()
        stands.append(self.value("BODY") - without)
        delivery = Delivery.objects.get(line__purchase__number=purchase).pk
        for what, amount in (("Freight", "4"), ("Duty", "3")):
            self.invoices += 1
            cost = {"what": what, "amount": amount, "deliveries": [{"delivery": delivery}]}
            self.must("post-invoice", supplier="ALU", number=f"R{self.invoices}", dated="2026-11-21", costs=[cost])  # fmt: skip
            self.carry()
            stands.append(self.value("BODY") - without)

        self.assertEqual(stands, [12, 17, 21, 24])


class AnyDepth(LateCostTest):
    """Through made items of every way of being valued."""

    def test_an_order_that_runs_is_charged_more_and_its_price_cause_says_so(self) -> None:
        purchase = self.buy("AVERAGE", "10")
        order = self.begin("BODY", "5")
        self.issue(order, "AVERAGE", "10")
        before = self.order_cost(order)
        self.invoice(purchase, "10", "130")

        self.assertEqual(self.carry(), [("AVERAGE", "order", 30)])

        self.assertEqual(self.order_cost(order) - before, 30)
        causes = {c["kind"]: Decimal(c["amount"]) for c in self.caller.get(f"orders/{order}/bridge")["causes"]}  # fmt: skip
        self.assertEqual(causes["price"], 30)

    def test_of_a_closed_order_at_standard_it_is_price_variance(self) -> None:
        purchase = self.buy("AVERAGE", "10")
        order = self.begin("MOUNT", "10")
        self.issue(order, "AVERAGE", "10")
        self.make(order, "10")
        was, outcome = self.booked("price variance"), Outcome.objects.get(order__number=order)
        self.invoice(purchase, "10", "107.50")

        self.assertEqual(self.carry(), [("AVERAGE", "order", Decimal("7.50"))])

        self.assertEqual(self.booked("price variance") - was, Decimal("7.50"))
        now = Outcome.objects.get(order__number=order)
        self.assertEqual((now.charged - outcome.charged, now.variance - outcome.variance), (Decimal("7.50"), Decimal("7.50")))  # fmt: skip
        self.assertEqual(Decimal(now.causes["price"]) - Decimal(outcome.causes.get("price", "0")), Decimal("7.50"))  # fmt: skip

    def test_closing_can_be_taken_back_with_what_went_on_through_it(self) -> None:
        for item in ("MOUNT", "BODY"):
            purchase = self.buy("AVERAGE", "10")
            self.buy("LAYERED", "5")
            order = self.begin(item, "5")
            self.issue(order, "AVERAGE", "10")
            if item == "BODY":
                self.issue(order, "LAYERED", "5")
            self.make(order, "5")
            self.invoice(purchase, "10", "130")
            self.carry()
            stock = self.value(item)
            closing = Posting.objects.filter(cost_object__number=order, kind="closing").first()
            assert closing

            self.must("take-back", posting=closing.pk)

            self.assertEqual(differences(), [], item)
            self.must("close-order", order=order)
            self.assertEqual(self.value(item), stock, item)
            self.assertEqual(self.booked("late cost not carried on"), 0, item)

    def test_it_goes_through_layers_and_two_levels_to_what_was_delivered(self) -> None:
        cheap, dear = self.buy("LAYERED", "4", "10"), self.buy("LAYERED", "10", "20")
        self.buy("AVERAGE", "20")
        self.buy("GLASS", "10", "8", lot="G1")
        body = self.begin("BODY", "8")
        self.issue(body, "AVERAGE", "16")
        self.issue(body, "LAYERED", "8")  # four of each layer
        self.make(body, "8")
        scope = self.begin("SCOPE", "4")
        self.issue(scope, "BODY", "4")
        self.issue(scope, "GLASS", "4")
        self.make(scope, "4")
        self.deliver("SCOPE", "1")
        self.invoice(cheap, "4", "48")  # 8 more: 4 in bodies, 3 in scopes, 1 delivered
        self.invoice(dear, "10", "220")  # 20 more: 12 in stock, 8 in the eight bodies

        found = self.carry()

        self.assertEqual(
            sorted(found),
            sorted([("BODY", "stock", 8), ("SCOPE", "stock", 6), ("SCOPE", "cost of goods sold", 2)]),
        )  # fmt: skip
        self.assertEqual(LateCost.objects.filter(carried_by=None).count(), 0)

    def test_what_was_carried_on_comes_back_when_the_invoice_is_taken_back(self) -> None:
        purchase = self.buy("AVERAGE", "10")
        self.buy("LAYERED", "5")
        order = self.begin("BODY", "5")
        self.issue(order, "AVERAGE", "10")
        self.issue(order, "LAYERED", "5")
        self.make(order, "5")
        before = self.value("BODY")
        posting = self.invoice(purchase, "10", "150")
        self.carry()
        self.assertEqual(self.value("BODY") - before, 50)

        self.must("take-back", posting=posting)
        self.carry()

        self.assertEqual(self.value("BODY"), before)
        self.assertEqual(sum(Correction.objects.values_list("amount", flat=True)), 0)

    def test_returns_bring_their_share_back_and_splits_take_it_along(self) -> None:
        purchase = self.buy("AVERAGE", "20")
        order = self.begin("BODY", "10")
        self.issue(order, "AVERAGE", "20")
        self.issue(order, "AVERAGE", "4", act="return")
        other = int(self.must("split-order", order=order, quantity="4", due="2027-02-01")["made"]["order"])  # fmt: skip
        shares = {n: self.order_cost(n) for n in (order, other)}
        self.invoice(purchase, "20", "240")  # 2 more a piece: 8 in stock, 32 in the orders

        found = self.carry()

        more = {n: self.order_cost(n) - was for n, was in shares.items()}
        self.assertEqual(sum(more.values()), 32)
        self.assertEqual({a for _, kind, a in found if kind == "order"}, {m for m in more.values() if m})  # fmt: skip

    def test_an_issue_that_is_taken_back_brings_its_correction_back_with_the_next_run(self) -> None:
        purchase = self.buy("AVERAGE", "10")
        order = self.begin("BODY", "5")
        line = {"operation": 10, "item": "AVERAGE", "quantity": "10"}
        posting = self.must("issue-material", order=order, lines=[line])["postings"][0]
        self.invoice(purchase, "10", "130")
        self.carry()
        self.must("take-back", posting=posting)
        self.assertEqual((self.value("AVERAGE"), self.order_cost(order)), (100, 30))

        self.assertEqual(sorted(self.carry()), [("AVERAGE", "order", -30), ("AVERAGE", "stock", 30)])  # fmt: skip

        self.assertEqual((self.value("AVERAGE"), self.order_cost(order)), (130, 0))
        self.refused("input.invalid", "carry-late-cost")

    def test_a_run_can_not_be_mirrored(self) -> None:
        purchase = self.buy("AVERAGE", "10")
        order = self.begin("MOUNT", "10")
        self.issue(order, "AVERAGE", "10")
        self.invoice(purchase, "10", "107.50")
        posting = self.must("carry-late-cost")["postings"][0]

        self.assertIn("next run", self.refused("posting.not_reversible", "take-back", posting=posting)["fix"])  # fmt: skip

    def test_a_preview_shows_what_it_posts_and_posts_nothing(self) -> None:
        purchase = self.buy("AVERAGE", "10")
        order = self.begin("MOUNT", "10")
        self.issue(order, "AVERAGE", "10")
        self.invoice(purchase, "10", "107.50")

        shown = self.caller.preview("carry-late-cost", {})

        self.assertEqual(self.booked("late cost not carried on"), Decimal("7.50"))
        done = self.must("carry-late-cost")
        self.assertEqual(shown["consequences"], done["consequences"])

    def test_an_order_whose_output_is_at_actual_cost_leaves_no_variance(self) -> None:
        self.buy("AVERAGE", "10", "11")
        self.buy("LAYERED", "5", "12")
        accounts = {k: self.booked(k) for k in ("price variance", "rounding variance")}
        order = self.begin("BODY", "5")
        self.issue(order, "AVERAGE", "10")
        self.issue(order, "LAYERED", "5")
        provisional = Order.objects.get(number=order).standard
        assert provisional
        self.must("report", order=order, operation=10, good="5", receive="5", complete=True)
        self.assertEqual(self.value("BODY"), provisional.total * 5)
        charged = self.order_cost(order)

        self.must("close-order", order=order)

        self.assertEqual(self.value("BODY"), charged)
        self.assertEqual({k: self.booked(k) for k in accounts}, accounts)


class Shown(LateCostTest):
    """The chain as it is read, before it is posted and after."""

    def test_the_chain_that_waits_is_the_chain_that_is_posted(self) -> None:
        purchase = self.buy("AVERAGE", "10")
        self.buy("LAYERED", "5")
        order = self.begin("BODY", "5")
        self.issue(order, "AVERAGE", "10")
        self.issue(order, "LAYERED", "5")
        self.make(order, "5")
        self.deliver("BODY", "2", "60")
        self.invoice(purchase, "10", "125")

        waiting = self.caller.get("late-costs")
        self.carry()
        listed = self.caller.get("late-costs")
        shown = self.caller.get(f"late-costs/{listed['runs'][0]['posting']}")

        self.assertEqual((waiting["waiting"], waiting["count"]), ("25.00", 1))
        self.assertEqual(shown["rows"], waiting["rows"])
        self.assertEqual((listed["waiting"], listed["rows"]), ("0", []))
        rows = [(r["depth"], r["item"], r["kind"], r["order"], r["amount"], r["stays"]) for r in shown["rows"]]  # fmt: skip
        self.assertEqual(
            rows,
            [
                (0, "AVERAGE", "late cost", None, "25.00", False),
                (1, "AVERAGE", "order", order, "25.00", False),
                (2, "BODY", "stock", None, "15.00", True),
                (2, "BODY", "cost of goods sold", None, "10.00", True),
            ],
        )
        self.assertEqual(shown["rows"][0]["origin"], "Example Alloys, invoice R1")
        self.assertEqual((shown["rows"][3]["customer"], shown["rows"][3]["customer_order"]), ("Example Optics", "318"))  # fmt: skip
        self.assertEqual(shown["run"]["amount"], "25.00")
        (corrected,) = self.caller.get(f"orders/{order}/corrections")
        self.assertEqual([corrected[k] for k in ("item", "before", "after", "origins")], ["AVERAGE", "100.00", "125.00", ["Example Alloys, invoice R1"]])  # fmt: skip

    def test_a_run_that_is_none_is_named(self) -> None:
        self.assertEqual(self.caller.get("late-costs/1")["code"], "input.not_found")

    def test_an_order_says_on_what_its_cost_stands(self) -> None:
        """Planned nothing yet; provisional while it is open; actual when closed; corrected by a late cost."""
        purchase = self.buy("AVERAGE", "10")
        planned = mirror_cell.plan(self.shop, "BODY", "5", date(2027, 1, 15))
        self.assertIsNone(self.caller.get(f"orders/{planned}")["basis"])
        order = self.begin("BODY", "5")
        said = [self.caller.get(f"orders/{order}")["basis"]]
        self.issue(order, "AVERAGE", "10")
        self.make(order, "5")
        said.append(self.caller.get(f"orders/{order}")["basis"])
        (finished,) = self.caller.get("items/BODY/history")["rows"]
        said.append(finished["basis"])
        self.invoice(purchase, "10", "125")
        self.carry()
        said.append(self.caller.get(f"orders/{order}")["basis"])
        (finished,) = self.caller.get("items/BODY/history")["rows"]
        said.append(finished["basis"])
        self.assertEqual(said, ["provisional", "actual", "actual", "corrected", "corrected"])
