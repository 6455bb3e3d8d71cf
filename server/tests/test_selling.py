"""What customers order: entered, offered, foreseen, made to order, ready, delivered."""

from datetime import timedelta
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from poietic.buying.models import PurchaseLine
from poietic.commanding.roles import Role
from poietic.orders.models import Order
from poietic.selling.models import CustomerLine, CustomerOrder, Sold

from .client import Caller, make_person
from .paper_words import words_of
from .selling_shop import SellingTest


class CustomerOrders(SellingTest):
    """Entered, offered, changed, delivered, taken back."""

    def open(self, number: int) -> list[str]:
        lines = CustomerLine.objects.filter(order__number=number)
        return [f"{n.open.normalize():f}" for n in lines]

    def test_a_price_left_out_is_the_lists_and_leaves_a_margin(self) -> None:
        page = self.caller.get(f"customer-orders/{self.ordered('5')}")
        (line,) = page["lines"]
        self.assertEqual((line["price"], line["amount"]), ("90.000000", "450.00"))
        # 90 − 53.403684 each, of five
        self.assertEqual((line["margin"], line["share"], page["margin"]), ("182.98", "0.407", "182.98"))  # fmt: skip
        many = self.caller.get(f"customer-orders/{self.ordered('20')}")["lines"][0]
        self.assertEqual(many["price"], "80.000000")

    def test_an_offer_is_no_demand_before_it_is_accepted(self) -> None:
        number = self.ordered(is_offer=True)
        self.assertEqual(self.open(number), ["0"])
        self.assertEqual(self.caller.get("plan/items/MA-200")["steps"], [])
        self.refused("customer_order.state", "deliver-ordered", customer_order=number, place="STORE")  # fmt: skip
        self.must("accept-offer", customer_order=number)
        self.assertEqual(self.open(number), ["20"])
        (step,) = self.caller.get("plan/items/MA-200")["steps"]
        self.assertEqual((step["kind"], step["change"], step["words"]), ("customer order", "-20.000000", "for Observatory"))  # fmt: skip
        self.refused("customer_order.state", "accept-offer", customer_order=number)
        self.refused("customer_order.state", "reopen-customer-order", customer_order=number)

    def test_it_leaves_in_parts_ends_with_the_last_and_comes_back(self) -> None:
        number = self.ordered("20", line={"item": "PAD-3", "price": "0.90"})
        self.pads("20")
        line = {"line": 1, "quantity": "8"}
        self.must("deliver-ordered", customer_order=number, place="STORE", lines=[line])
        self.assertEqual(self.open(number), ["12"])
        self.refused("customer_order.more_than_open", "deliver-ordered", customer_order=number, place="STORE", lines=[line | {"quantity": "13"}])  # fmt: skip
        self.refused("customer_order.less_than_delivered", "change-customer-line", customer_order=number, line=1, quantity="7")  # fmt: skip
        said = self.must("deliver-ordered", customer_order=number, place="STORE")
        self.assertEqual(CustomerOrder.objects.get(number=number).state, "ended")
        self.refused("customer_order.state", "add-customer-lines", customer_order=number, lines=[{"item": "CS-01", "quantity": "1", "wanted_on": str(self.today)}])  # fmt: skip
        page = self.caller.get(f"customer-orders/{number}")
        self.assertEqual([d["quantity"] for d in page["delivered"]], ["12.000000", "8.000000"])
        self.assertEqual([d["days_late"] for d in page["delivered"]], [0, 0])
        with patch("poietic.selling.delivery_paper.paper", words_of):
            first = page["delivered"][-1]["posting"]
            paper = self.caller.client.get(
                f"/api/papers/delivery-note.pdf?code={first}"
            ).content.decode()
        self.assertIn("To Observatory", paper)
        self.assertIn("PAD-3  8 pcs", paper)
        label = self.caller.client.get(f"/api/labels/delivery.svg?code={first}").content.decode()
        self.assertIn("Observatory", label)
        self.assertIn(f"delivery note {first}", label)
        self.assertEqual(
            self.caller.get("labels/delivery.svg", code="1")["code"], "input.not_found"
        )
        self.assertEqual(
            self.caller.get("papers/delivery-note.pdf", code="1")["code"], "input.not_found"
        )

        self.must("take-back", posting=said["postings"][0], reason="wrong address")

        self.assertEqual((self.open(number), CustomerOrder.objects.get(number=number).state), (["12"], "accepted"))  # fmt: skip
        self.must("end-customer-order", customer_order=number)
        self.assertEqual(self.open(number), ["0"])
        self.must("reopen-customer-order", customer_order=number)
        self.assertEqual(self.open(number), ["12"])

    def test_more_lines_than_one_delivery_holds_are_delivered_in_parts(self) -> None:
        line = {"item": "PAD-3", "quantity": "2", "price": "1", "wanted_on": str(self.today)}
        said = self.must("enter-customer-order", customer="OBS", lines=[line, line])
        number = int(said["made"]["customer order"])
        self.pads("9")
        with patch("poietic.selling.commands.delivering.MOST_LINES", 1):
            said = self.refused("input.invalid", "deliver-ordered", customer_order=number, place="STORE")  # fmt: skip
            self.assertIn("2 are open, and at most 1 leave at once", said["detail"])
            self.must("deliver-ordered", customer_order=number, place="STORE", lines=[{"line": 2, "quantity": "2"}])  # fmt: skip
        self.assertEqual(self.open(number), ["2", "0"])

    def test_lists_and_finding(self) -> None:
        number = self.ordered("5", due=3, their_number="322/1")
        self.ordered("5", is_offer=True)
        rows = self.caller.get("customer-orders")["rows"]
        self.assertEqual([(r["number"], r["due"], r["amount"]) for r in rows], [(number, str(self.day(3)), "450.00")])  # fmt: skip
        self.assertEqual(self.caller.get("customer-orders", which="offers")["whole"], 1)
        self.assertEqual(self.caller.get("customer-orders", which="late")["whole"], 0)
        for words in (str(number), "322/1", "observatory"):
            hits = self.caller.get("find", q=words)
            self.assertIn(f"/sell/{number}", str(hits), words)

    def test_bad_input_names_what_is_wrong(self) -> None:
        line = {"item": "MA-200", "quantity": "1", "wanted_on": str(self.today)}
        self.refused("input.not_found", "enter-customer-order", customer="METAL", lines=[line])
        self.refused("input.not_found", "enter-customer-order", customer="OBS", lines=[line | {"item": "NONE"}])  # fmt: skip
        self.refused("quantity.off_step", "enter-customer-order", customer="OBS", lines=[line | {"quantity": "1.5"}])  # fmt: skip
        self.refused("input.not_found", "change-customer-line", customer_order=9, line=1, quantity="1")  # fmt: skip
        number = self.ordered()
        self.refused("input.not_found", "change-customer-line", customer_order=number, line=2, quantity="1")  # fmt: skip
        self.refused("input.not_found", "deliver-ordered", customer_order=number, place="STORE", lines=[{"line": 2, "quantity": "1"}])  # fmt: skip
        self.assertEqual(self.caller.get("customer-orders/9")["code"], "input.not_found")


class Forecasts(SellingTest):
    """Foreseen by item or group, consumed by what customers order."""

    def foresee(self, **more: Any) -> Any:
        one = {"item": "MA-200", "first_day": str(self.today), "last_day": str(self.today + timedelta(days=27)), "quantity": "40"} | more  # fmt: skip
        return self.caller.do("enter-forecast", {"forecasts": [one]})

    def wanted(self) -> Decimal:
        steps = self.caller.get("plan/items/MA-200")["steps"]
        return -sum((Decimal(s["change"]) for s in steps), Decimal(0))

    def test_what_customers_order_in_its_span_consumes_it(self) -> None:
        self.foresee()
        steps = self.caller.get("plan/items/MA-200")["steps"]
        self.assertEqual([s["change"] for s in steps], ["-10.000000"] * 4)  # in weekly parts
        self.ordered("12", due=5)
        self.assertEqual(self.wanted(), 40)
        self.ordered("35", due=6)
        self.assertEqual(self.wanted(), 47)
        self.ordered("5", due=40)  # beyond it
        self.assertEqual(self.wanted(), 52)
        (row,) = self.caller.get("forecasts")["rows"]
        self.assertEqual((row["quantity"], row["ordered"]), ("40.000000", "47.000000"))

    def test_a_group_is_shared_out_in_whole_pieces(self) -> None:
        self.shop.do("change-item", code="CS-01", item_group="CELLS")
        shares = [{"item": "MA-200", "share": "2"}, {"item": "CS-01", "share": "1"}]
        self.foresee(item=None, item_group="CELLS", shares=shares, quantity="40")
        rows = {r["item"]: r["quantity"] for r in self.caller.get("forecasts")["rows"]}
        self.assertEqual(rows, {"MA-200": "27.000000", "CS-01": "13.000000"})

    def test_it_is_replaced_taken_away_and_never_overlaps(self) -> None:
        self.foresee()
        self.foresee(quantity="8")
        self.assertEqual(self.wanted(), 8)
        later = str(self.today + timedelta(days=3))
        self.assertEqual(self.foresee(first_day=later)["code"], "input.invalid")
        self.foresee(quantity="0")
        self.assertEqual(self.wanted(), 0)
        for wrong in ({"item": None}, {"item_group": "CELLS"}, {"last_day": "2020-01-01"}):
            self.assertEqual(self.foresee(**wrong)["code"], "input.invalid", wrong)
        self.assertEqual(self.foresee(item=None, item_group="NONE")["code"], "input.not_found")


class OnTerms(SellingTest):
    """What a line costs, leaves, and when it can be there, while it is typed."""

    def terms(self, item: str, **more: str) -> Any:
        return self.caller.get(f"plan/terms/{item}", **more)["terms"]

    def test_the_price_of_the_list_leaves_a_margin_by_a_day(self) -> None:
        """80 each from 20 on, less 53.403684 at standard; 11 days from nothing, as promised elsewhere."""
        told = self.terms("MA-200", quantity="20", customer="OBS")
        self.assertEqual((told["price"], told["amount"]), ("80.000000", "1600.00"))
        self.assertEqual((told["margin"], told["share"]), ("531.93", "0.332"))
        self.assertEqual((told["day"], told["decides"]), (str(self.day(11)), "Steel bar M6 bought anew of Metal store: 5 working days"))  # fmt: skip
        agreed = self.terms("MA-200", quantity="20", customer="OBS", price="50")
        self.assertEqual((Decimal(agreed["amount"]), agreed["margin"]), (1000, "-68.07"))

    def test_without_a_list_or_an_item_there_are_none(self) -> None:
        self.pads("30")
        told = self.terms("PAD-3", quantity="30", customer="OBS")
        self.assertEqual((told["price"], told["margin"], told["day"]), (None, None, str(self.day(0))))  # fmt: skip
        self.assertEqual(told["decides"], "Support pad there today")
        self.assertIsNone(self.terms("MA-200", quantity="1")["price"])
        self.assertIsNone(self.terms("MA"))
        self.assertEqual(self.caller.get("plan/terms/MA-200", quantity="0")["code"], "input.invalid")  # fmt: skip
        self.assertEqual(self.caller.get("plan/terms/MA-200", customer="NONE")["code"], "input.not_found")  # fmt: skip

    def test_a_mill_that_orders_keep_busy_is_waited_for(self) -> None:
        """600 cells keep the mill busy for 159 hours, then assembly for 120; 20 more take 6.26 and 4 of them."""
        customer_order = self.ordered("600", due=40)
        made = {"item": "MA-200", "quantity": "600", "due": str(self.day(40))}
        self.must("plan-order", **made, supply_place="STORE", receipt_place="STORE")
        self.assertEqual(
            self.terms("MA-200", quantity="20")["day"], str(self.day(11))
        )  # no plan yet
        self.must("run-plan")
        told = self.caller.get("plan/promise/MA-200", quantity="20")
        self.assertEqual(
            told["path"][0]["how"], "made anew: Mill cell waits for free hours of MILL"
        )
        self.assertEqual(self.terms("MA-200", quantity="20")["day"], told["day"])
        milled = self.worked("MILL", 7, Decimal("6.263158"))  # material is there on the seventh day
        self.assertGreater(milled, 20)
        self.assertEqual(told["day"], str(self.day(self.worked("ASSY", milled, Decimal(4)))))

        # with the mill left to others again it is the lead times that decide
        for number in Order.objects.values_list("number", flat=True):
            self.must("cancel-order", order=number)
        self.must("end-customer-order", customer_order=customer_order)
        self.must("run-plan")
        self.assertEqual(self.terms("MA-200", quantity="20")["day"], str(self.day(11)))

    def worked(self, center: str, day: int, hours: Decimal) -> int:
        """Return the day on which so many hours are worked from a day on, by the loads that the plan tells."""
        (own,) = [c for c in self.caller.get("plan/loads")["centers"] if c["code"] == center]
        free = {w["first"]: Decimal(w["capacity"]) - Decimal(w["ordered"]) for w in own["weeks"]}
        while True:
            monday = self.day(day) - timedelta(days=self.day(day).weekday())
            hours -= max(Decimal(0), free.get(str(monday), Decimal(40))) / 5
            if hours <= 0:
                return day
            day += 1

    def test_who_may_not_see_costs_sees_no_margin(self) -> None:
        told = Caller(make_person("store", Role.STOREKEEPER)).get("plan/terms/MA-200", quantity="20", customer="OBS")["terms"]  # fmt: skip
        self.assertEqual((told["margin"], told["price"]), ("", ""))
        self.assertEqual(told["day"], str(self.day(11)))


class MadeToOrder(SellingTest):
    """The orders of all levels and what is to be bought, in one act."""

    def bought(self) -> dict[str, str]:
        lines = PurchaseLine.objects.values_list("item__code", "quantity")
        return {code: f"{quantity.normalize():f}" for code, quantity in lines}

    def test_an_offer_is_accepted_made_and_its_material_drafted_at_once(self) -> None:
        number = self.ordered("20", due=40, is_offer=True)
        said = self.must("make-to-order", customer_order=number)
        orders = Order.objects.order_by("item__code")
        self.assertEqual([(o.item.code, int(o.quantity), o.customer_order) for o in orders], [("CS-01", 20, ""), ("MA-200", 20, str(number))])  # fmt: skip
        self.assertEqual(orders[1].due, self.day(40))
        self.assertEqual(self.bought(), {"AP-20": "50.527", "PAD-3": "180", "SB-06": "2.44"})
        page = self.caller.get(f"customer-orders/{number}")
        self.assertEqual((page["state"], page["lines"][0]["orders"]), ("accepted", [orders[1].number]))  # fmt: skip
        self.assertEqual(len(said["made"]["orders"].split(",")), 2)

        self.must("run-plan")
        self.assertEqual(self.caller.get("plan/proposals")["rows"], [])
        said = self.refused("input.invalid", "make-to-order", customer_order=number)
        self.assertIn(f"line 1 is made by {orders[1].number} already", said["detail"])

    def test_lines_share_what_is_there_once(self) -> None:
        """10 and 20 cells take 270 pads of 200; sets that are there are made for neither."""
        self.pads("200")
        line = {"item": "MA-200", "quantity": "10", "wanted_on": str(self.day(40))}
        said = self.must("enter-customer-order", customer="OBS", lines=[line, line | {"quantity": "20"}, line | {"item": "PAD-3"}])  # fmt: skip
        number = int(said["made"]["customer order"])
        self.shop.do("define-reason", code="FOUND", name="Found", use="adjustment")
        self.shop.do("adjust-stock", item="CS-01", place="STORE", on_hand="12", why="FOUND")
        self.must("make-to-order", customer_order=number)
        made = Order.objects.order_by("pk").values_list("item__code", "quantity", "customer_line")
        self.assertEqual([(c, int(q), n) for c, q, n in made], [("MA-200", 10, "1"), ("MA-200", 20, "2"), ("CS-01", 20, "")])  # fmt: skip
        self.assertEqual(self.bought()["PAD-3"], "70")
        self.refused("input.invalid", "make-to-order", customer_order=number, lines=[3])
        self.refused("input.not_found", "make-to-order", customer_order=number, lines=[4])

    def test_more_lines_than_are_made_at_once_are_named(self) -> None:
        line = {"item": "CS-01", "quantity": "1", "wanted_on": str(self.day(40))}
        said = self.must("enter-customer-order", customer="OBS", lines=[line, line])
        number = int(said["made"]["customer order"])
        with patch("poietic.planning.commands.making.MOST_LINES", 1):
            self.refused("input.invalid", "make-to-order", customer_order=number)
            self.must("make-to-order", customer_order=number, lines=[2])
        self.assertEqual(Order.objects.get().customer_line, "2")

    def test_what_nobody_sells_is_said_and_the_rest_made(self) -> None:
        self.shop.do("set-prices", item="PAD-3", prices=[])
        number = self.ordered("2", due=40)
        said = self.must("make-to-order", customer_order=number)
        self.assertNotIn("PAD-3", self.bought())
        self.assertIn("nobody is known to sell it", str(said["consequences"]))
        self.must("end-customer-order", customer_order=number)
        self.refused("customer_order.state", "make-to-order", customer_order=number)

    def test_without_buying_nothing_is_drafted(self) -> None:
        self.must("make-to-order", customer_order=self.ordered("2", due=40), buys=False)
        self.assertEqual(self.bought(), {})


class Ready(SellingTest):
    """What of a line can leave now."""

    def ready(self, number: int) -> list[str]:
        return [n["ready"] for n in self.caller.get(f"customer-orders/{number}")["lines"]]

    def test_what_is_due_first_is_served_first(self) -> None:
        later, sooner = (self.ordered("20", due=due, line={"item": "PAD-3"}) for due in (9, 5))
        self.assertEqual((self.ready(sooner), self.ready(later)), (["0"], ["0"]))
        self.pads("26")
        self.assertEqual((self.ready(sooner), self.ready(later)), (["20.000000"], ["6.000000"]))
        self.must("deliver-ordered", customer_order=sooner, place="STORE")
        self.assertEqual((self.ready(sooner), self.ready(later)), (["0"], ["6.000000"]))


class Lots(SellingTest):
    """Which lot or serial leaves."""

    def test_a_lot_that_is_named_leaves_else_what_came_first(self) -> None:
        self.shop.do("define-item", code="GLUE", name="Glue", unit="pcs", source="buy", price="3", tracking="lot", number_rule="G{number:3}")  # fmt: skip
        for lot in ("G1", "G2"):
            line = {"item": "GLUE", "quantity": "6", "price": "3", "place": "STORE", "lots": [{"lot": lot, "quantity": "6"}]}  # fmt: skip
            self.shop.do("receive-material", lines=[line])
        number = self.ordered("9", line={"item": "GLUE", "price": "5"})
        lines = [{"line": 1, "quantity": "2", "lot": "G2"}, {"line": 1, "quantity": "1"}]
        self.must("deliver-ordered", customer_order=number, place="STORE", lines=lines)
        sold = Sold.objects.values_list("line__lot__code", "line__quantity", "ordered__number")
        self.assertEqual([(lot, int(q), n) for lot, q, n in sold], [("G2", 2, 1), ("G1", 1, 1)])
        wrong = [{"line": 1, "quantity": "1", "lot": "G9"}]
        self.refused("stock.not_enough", "deliver-ordered", customer_order=number, place="STORE", lines=wrong)  # fmt: skip
