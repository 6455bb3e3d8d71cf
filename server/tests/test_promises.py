"""Who waits for whom over all levels, and which customers will not get in time."""

from typing import Any

from poietic.buying.models import Purchase
from poietic.orders.models import Order
from poietic.planning.models import Proposal

from .selling_shop import SellingTest


class Chains(SellingTest):
    """Who waits for what over all levels."""

    def chain(self, item: str, way: str, source: str, number: int = 0, **more: Any) -> Any:
        return self.caller.get(f"plan/chains/{item}", way=way, source=source, number=str(number), **more)  # fmt: skip

    def test_a_delay_of_what_is_bought_reaches_the_customer(self) -> None:
        """Sets begin on the 34th day, when their bar comes, cells on the 36th, to be there on the 40th."""
        number = self.ordered("20", due=40)
        self.must("run-plan")
        bar = Proposal.objects.get(item__code="SB-06").pk
        for late, reached in ((0, [0, 0, 0]), (3, [3, 3, 3])):
            said = self.chain("SB-06", "up", "proposal", bar, late=str(late))
            links = said["links"]
            self.assertEqual([(n["depth"], n["item"]) for n in links], [(0, "SB-06"), (1, "CS-01"), (2, "MA-200")])  # fmt: skip
            self.assertEqual([n["late"] for n in links], reached)
            self.assertEqual((links[-1]["demand"], links[-1]["demand_number"]), ("customer order", number))  # fmt: skip
            self.assertEqual(said["customers_late"], int(late > 0))

        # a week to spare at the customer's takes up as much
        self.must("change-customer-line", customer_order=number, line=1, promised_on=str(self.day(42)))  # fmt: skip
        said = self.chain("SB-06", "up", "proposal", bar, late="3")
        self.assertEqual([n["late"] for n in said["links"]], [3, 3, 1])

    def test_what_a_customer_waits_for_goes_down_to_what_is_bought(self) -> None:
        number = self.ordered("20", due=40)
        self.pads("60")
        said = self.chain("MA-200", "down", "customer order", number, line="1")
        self.assertEqual([(n["supply"], n["late"]) for n in said["path"]], [("nothing", None)])
        self.must("run-plan")
        said = self.chain("MA-200", "down", "customer order", number, line="1")
        told = {(n["depth"], n["item"], n["supply"], n["quantity"]) for n in said["links"]}
        self.assertEqual(
            told,
            {
                (0, "MA-200", "proposal", "20.000000"),
                (1, "AP-20", "proposal", "50.526316"),
                (1, "CS-01", "proposal", "20.000000"),
                (1, "PAD-3", "", "60.000000"),
                (1, "PAD-3", "proposal", "120.000000"),
                (2, "SB-06", "proposal", "2.440000"),
            },
        )
        self.assertEqual({n["late"] for n in said["links"]}, {0})
        self.assertEqual(said["path"], [])

    def test_orders_and_drafts_are_followed_like_proposals(self) -> None:
        number = self.ordered("20", due=40)
        self.must("run-plan")
        self.must("accept-proposals", proposals=list(Proposal.objects.values_list("pk", flat=True)))
        said = self.chain("MA-200", "down", "customer order", number, line="1")
        kinds = {(n["item"], n["supply"]) for n in said["links"]}
        made, bought = "production order", "purchase order"
        self.assertLessEqual({("MA-200", made), ("CS-01", made), ("SB-06", bought)}, kinds)
        purchase = Purchase.objects.get().number
        said = self.chain("SB-06", "up", "purchase order", purchase, late="200")
        last = said["links"][-1]
        self.assertEqual((last["demand"], last["demand_number"]), ("customer order", number))
        self.assertGreater(last["late"], 100)

        self.shop.do("release-order", order=Order.objects.get(item__code="MA-200").number)
        said = self.chain("MA-200", "down", "customer order", number, line="1")
        self.assertIn(("PAD-3", "purchase order"), {(n["item"], n["supply"]) for n in said["links"]})  # fmt: skip

    def test_what_waits_for_stock_and_what_is_wrong(self) -> None:
        number = self.ordered("20", line={"item": "PAD-3"})
        self.pads("12")
        (link,) = self.chain("PAD-3", "up", "stock")["links"]
        self.assertEqual((link["demand_number"], link["demand_line"], link["quantity"]), (number, 1, "12.000000"))  # fmt: skip
        self.assertEqual(self.chain("PAD-3", "down", "stock")["code"], "input.invalid")
        self.assertEqual(self.chain("NONE", "up", "stock")["code"], "input.not_found")
        self.assertEqual(self.chain("PAD-3", "down", "customer order", 1)["links"], [])


class Endangered(SellingTest):
    """What customers will not get in time, said by the plan."""

    def told(self) -> list[str]:
        return [c["sentence"] for c in self.caller.get("today")["causes"] if c["kind"] == "promise"]

    def test_a_line_too_late_is_told_with_what_it_waits_for(self) -> None:
        """From nothing at all it takes as long as what is capable to promise says: 11 days."""
        earliest = self.caller.get("plan/promise/MA-200", quantity="20")["day"]
        self.assertEqual(earliest, str(self.day(11)))
        number = self.ordered("20", due=3)
        self.ordered("1", due=40)
        self.assertEqual(self.endangered(), [])
        self.must("run-plan")
        self.assertEqual(self.endangered(), [(number, earliest, 8, "2.44 m Steel bar M6, to be bought")])  # fmt: skip
        self.assertEqual(
            self.told(),
            [f"Mirror cell for Observatory, {number}, comes 8 days late: it waits for 2.44 m Steel bar M6, to be bought"],
        )  # fmt: skip

        self.must("change-customer-line", customer_order=number, line=1, promised_on=str(self.day(9)))  # fmt: skip
        self.assertEqual([late for _, _, late, _ in self.endangered()], [2])
        self.assertIn("comes 2 days late", self.told()[0])
        self.must("change-customer-line", customer_order=number, line=1, promised_on=earliest)
        self.assertEqual((self.endangered(), self.told()), ([], []))

    def test_what_is_ended_waits_no_more(self) -> None:
        numbers = [self.ordered("2", due=1), self.ordered("3", due=2)]
        self.must("run-plan")
        self.assertIn("and 1 more", self.told()[0])
        self.must("receive-material", lines=[{"item": "PAD-3", "quantity": "1", "price": "1", "place": "STORE"}])  # fmt: skip
        self.assertEqual(len(self.told()), 1)  # what else needs a decision leaves it alone
        for number in numbers:
            self.must("end-customer-order", customer_order=number)
        self.assertEqual((self.endangered(), self.told()), ([], []))
        self.must("reopen-customer-order", customer_order=numbers[0])
        self.assertEqual(([n for n, *_ in self.endangered()], len(self.told())), (numbers[:1], 1))

    def test_what_nothing_covers_has_no_day(self) -> None:
        number = self.ordered("20", due=3)
        self.shop.do("change-item", code="MA-200", is_active=False, inactive_reason="made no more")
        self.must("run-plan")
        self.assertEqual(self.endangered(), [(number, None, None, "20 pcs Mirror cell, which nothing covers")])  # fmt: skip
        self.assertIn("comes, nobody knows when", self.told()[0])
