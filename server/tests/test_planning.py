"""What customers order, what is foreseen, what the plan proposes of it, and what becomes of that."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Any
from unittest.mock import patch

import numpy as np
from django.test import TestCase
from django.utils import timezone
from poietic.buying.models import Purchase, PurchaseLine
from poietic.commanding.roles import Role
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.engineering.models import WorkCenter
from poietic.ledger.verify import differences
from poietic.orders.models import Order
from poietic.planning.models import Advice, PlanRun, Proposal
from poietic.planning.reading import Assumed, read_works
from poietic.planning.tasks import plan_at_night
from poietic.selling.models import CustomerLine, CustomerOrder, Sold
from poietic.statements.copying import copy_rows, days_of
from poietic_core.planning.days import PlanDays

from .client import Caller, make_person
from .paper_words import words_of


class SellingTest(TestCase):
    """Mirror cells of 2.4 kg of plate, nine pads and a collimation set, sold to an observatory."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        mirror_cell.define(cls.shop)
        cls.shop.do("define-partner", code="OBS", name="Observatory", is_customer=True)
        cls.shop.do("define-partner", code="METAL", name="Metal store", is_supplier=True)
        for item, price in (("AP-20", "6.50"), ("PAD-3", "0.42"), ("SB-06", "25")):
            cls.shop.do("set-prices", item=item, prices=[{"supplier": "METAL", "price": price}])
            cls.shop.do("change-item", code=item, lead_time_days=5)
        prices = [{"price": "90"}, {"price": "80", "from_quantity": "20"}]
        cls.shop.do("set-list-prices", item="MA-200", prices=prices)
        cls.shop.do("change-item", code="MA-200", lead_time_days=4, item_group="CELLS")
        cls.shop.do("change-item", code="CS-01", lead_time_days=2)
        cls.caller = Caller(make_person())
        cls.today = timezone.localdate()

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def must(self, name: str, /, **given: Any) -> Any:
        return self.caller.must(name, given)

    def refused(self, code: str, name: str, /, **given: Any) -> Any:
        answer = self.caller.do(name, given)
        self.assertEqual(answer.get("code"), code, answer)
        return answer

    def day(self, n: int) -> date:
        """Return a working day, so many after the first."""
        return PlanDays().following(self.today, n + 1)[n]

    def pads(self, quantity: str) -> None:
        """Put pads into stock."""
        line = {"item": "PAD-3", "quantity": quantity, "price": "0.42", "place": "STORE"}
        self.shop.do("receive-material", lines=[line])

    def ordered(self, quantity: str = "20", *, due: int = 40, **more: Any) -> int:
        """Enter an order of cells and return its number."""
        line = {"item": "MA-200", "quantity": quantity, "wanted_on": str(self.day(due))}
        said = self.must("enter-customer-order", customer="OBS", lines=[line | more.pop("line", {})], **more)  # fmt: skip
        return int(said["made"]["customer order"])

    def endangered(self) -> list[tuple[int, str | None, int | None, str]]:
        """Return what customers will not get in time: order, when it is there, how late, what it waits for."""
        rows = self.caller.get("plan/endangered")["rows"]
        return [(r["order"], r["comes"], r["late"], r["waits_for"]) for r in rows]


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


class Plans(SellingTest):
    """Runs, what they propose, and what becomes of that."""

    def proposed(self, run: int = 0) -> dict[str, list[tuple[str, str, int]]]:
        """Return what a run proposes: by item quantity, the day it is due, and how late."""
        found: dict[str, list[tuple[str, str, int]]] = {}
        for r in self.caller.get("plan/proposals", which="all", run=run)["rows"]:
            found.setdefault(r["item"], []).append((f"{Decimal(r['quantity']).normalize():f}", r["due"], r["late"]))  # fmt: skip
        return found

    def test_everything_wanted_is_there_in_time_on_all_levels(self) -> None:
        """20 cells in 40 days; a yield of 0.95 at milling, so 20 / 0.95 × 2.4 = 50.526… kg of plate."""
        self.ordered("20", due=40)
        self.must("run-plan", horizon=60)
        cells, begin = str(self.day(40)), str(self.day(36))
        self.assertEqual(
            self.proposed(),
            {
                "MA-200": [("20", cells, 0)],
                "AP-20": [("50.527", begin, 0)],
                "PAD-3": [("180", begin, 0)],
                "CS-01": [("20", begin, 0)],
                "SB-06": [("2.44", str(self.day(34)), 0)],
            },
        )
        plan = self.caller.get("plan")
        self.assertEqual((plan["open"], plan["plan"]["proposals"], plan["plan"]["late"]), (5, 5, 0))
        self.assertEqual(self.caller.get("plan/proposals", which="buy")["whole"], 3)
        self.assertEqual(self.caller.get("plan/proposals", filter="cell")["whole"], 1)

    def test_what_would_have_had_to_be_ordered_before_today_is_late(self) -> None:
        self.ordered("20", due=3)
        self.must("run-plan")
        found = self.proposed()
        self.assertEqual(found["MA-200"][0][2], 1)  # four days before the third
        self.assertEqual(found["AP-20"][0][2], 5)
        self.assertEqual(self.caller.get("plan/proposals", which="late")["whole"], 5)

    def test_accepted_they_become_orders_and_drafts_and_nothing_is_left_to_propose(self) -> None:
        self.ordered("20", due=40)
        self.must("run-plan")
        numbers = list(Proposal.objects.values_list("pk", flat=True))
        said = self.must("accept-proposals", proposals=numbers)
        orders = Order.objects.order_by("number").values_list("item__code", "quantity", "state")
        self.assertEqual([(c, int(q), s) for c, q, s in orders], [("CS-01", 20, "planned"), ("MA-200", 20, "planned")])  # fmt: skip
        self.assertEqual(said["made"]["purchases"], str(Purchase.objects.get().number))
        self.refused("proposal.decided", "accept-proposals", proposals=numbers[:1])
        self.refused("input.not_found", "accept-proposals", proposals=[10**9])
        self.ordered("3", due=50)
        self.must("run-plan")
        stale = Proposal.objects.filter(state="open").first()
        assert stale is not None
        self.must("end-customer-order", customer_order=CustomerOrder.objects.latest("pk").number)
        self.must("run-plan")
        said = self.refused("proposal.decided", "accept-proposals", proposals=[stale.pk])
        self.assertIn("of a plan that was run again", said["detail"])

        self.assertEqual(self.proposed(), {})
        self.assertEqual(list(Advice.objects.filter(run=PlanRun.objects.first())), [])

    def test_all_of_an_item_is_accepted_together_and_firm_at_once(self) -> None:
        self.ordered("20", due=40)
        self.ordered("5", due=45)
        self.must("run-plan")
        wanted = ["MA-200", "PAD-3"]
        proposals = list(
            Proposal.objects.filter(item__code__in=wanted).values_list("pk", flat=True)
        )
        self.assertEqual(len(proposals), 4)
        self.must("accept-proposals", proposals=proposals, together=True, firm=True)
        order = Order.objects.get()
        self.assertEqual((int(order.quantity), order.due, order.state), (25, self.day(40), "firm"))
        line = PurchaseLine.objects.get()
        self.assertEqual((int(line.quantity), line.comes_on), (225, self.day(36)))
        became = Proposal.objects.filter(pk__in=proposals).values_list("became", flat=True)
        self.assertEqual(len(set(became)), 2)

    def test_what_nobody_is_known_to_sell_stays_open(self) -> None:
        self.shop.do("set-prices", item="PAD-3", prices=[])
        self.ordered("20", due=40)
        self.must("run-plan")
        said = self.must("accept-proposals", proposals=list(Proposal.objects.values_list("pk", flat=True)))  # fmt: skip
        self.assertIn("stays open: nobody is known to sell it", str(said["consequences"]))
        pads = Proposal.objects.get(state="open")
        self.assertEqual(pads.item.code, "PAD-3")
        self.refused("input.invalid", "accept-proposals", proposals=[pads.pk])

    def test_another_quantity_leaves_the_rest_to_the_next_run(self) -> None:
        self.ordered("20", due=40)
        self.must("run-plan")
        cells = Proposal.objects.get(item__code="MA-200").pk
        self.must("accept-changed", proposal=cells, quantity="15")
        self.must("run-plan")
        self.assertEqual(self.proposed()["MA-200"], [("5", str(self.day(40)), 0)])

    def test_declined_until_a_day_nothing_of_it_is_proposed_before(self) -> None:
        self.ordered("20", due=40)
        self.must("run-plan")
        cells = Proposal.objects.get(item__code="MA-200").pk
        until = str(self.day(10))
        self.refused("input.invalid", "decline-proposals", proposals=[cells], reason="x", until=str(self.today))  # fmt: skip
        self.must("decline-proposals", proposals=[cells], reason="mold is out", until=until)
        self.must("run-plan")
        self.assertEqual(self.proposed(), {})  # nor what they would be made of
        told = self.caller.get("plan")["plan"]["told"]
        self.assertIn(f"Of MA-200 nothing is proposed before {until}: mold is out.", told)
        page = self.caller.get("plan/items/MA-200")
        self.assertEqual((page["declined_until"], page["declined_why"]), (until, "mold is out"))
        self.must("propose-again", item="MA-200")
        self.refused("input.not_found", "propose-again", item="MA-200")
        self.must("run-plan")
        self.assertEqual(self.proposed()["MA-200"], [("20", str(self.day(40)), 0)])

    def test_in_frozen_days_nothing_new_is_to_be_there(self) -> None:
        self.ordered("20", due=3)
        self.ordered("2", due=40)
        self.must("run-plan", frozen=10)
        found = self.proposed()
        self.assertEqual(found["MA-200"], [("20", str(self.day(10)), 0), ("2", str(self.day(40)), 0)])  # fmt: skip
        self.assertIn(f"Nothing new is proposed to be there before {self.day(10)}.", self.caller.get("plan")["plan"]["told"])  # fmt: skip
        ((_, comes, late, _),) = self.endangered()
        # the bar on the tenth, two days late for the set, which is six days late for the cells
        self.assertEqual((comes, late), (str(self.day(16)), 13))
        self.refused("input.invalid", "run-plan", horizon=10, frozen=10)

    def test_more_than_one_order_may_be_is_proposed_in_several(self) -> None:
        self.refused("input.invalid", "change-item", code="MA-200", lot_maximum="0.5")
        self.must("change-item", code="MA-200", lot_maximum="8")
        self.must("change-item", code="PAD-3", lot_multiple="50", lot_maximum="120")
        self.ordered("20", due=40)
        self.must("run-plan")
        day = str(self.day(40))
        self.assertEqual(self.proposed()["MA-200"], [("7", day, 0), ("7", day, 0), ("6", day, 0)])
        self.assertEqual([q for q, _, _ in self.proposed()["PAD-3"]], ["100", "100"])  # of 180

    def test_declined_it_stays_declined_in_this_plan(self) -> None:
        self.ordered("20", due=40)
        self.must("run-plan")
        cells = Proposal.objects.get(item__code="MA-200").pk
        self.must("decline-proposals", proposals=[cells], reason="made elsewhere")
        self.assertNotIn("MA-200", self.proposed())
        (row,) = self.caller.get("plan/proposals", which="decided")["rows"]
        self.assertEqual((row["state"], row["became"]), ("declined", "made elsewhere"))

    def test_what_exists_is_moved_before_anything_new_is_proposed(self) -> None:
        number = self.ordered("20", due=30)
        for quantity, due in (("20", 45), ("6", 10)):
            given = {"item": "MA-200", "quantity": quantity, "due": str(self.day(due))}
            self.shop.do("plan-order", **given, supply_place="STORE", receipt_place="STORE")
        self.must("run-plan")
        rows = self.caller.get("plan/advice")["rows"]
        cells = [(r["act"], r["quantity"], r["to"]) for r in rows if r["item"] == "MA-200"]
        self.assertEqual(cells, [("sooner", "20.000000", str(self.day(30))), ("later", "6.000000", str(self.day(30)))])  # fmt: skip
        self.assertNotIn("MA-200", self.proposed())
        self.must("end-customer-order", customer_order=number)
        self.must("run-plan")
        acts = [r["act"] for r in self.caller.get("plan/advice")["rows"] if r["item"] == "MA-200"]
        self.assertEqual(acts, ["not wanted", "not wanted"])

    def test_two_runs_of_the_same_data_are_equal_to_the_digit(self) -> None:
        self.ordered("20", due=40)
        self.ordered("7", due=12)
        for _ in range(2):
            self.must("run-plan")
        self.assertEqual(len({r.digest for r in PlanRun.objects.all()}), 1)
        self.assertEqual(PlanRun.objects.count(), 2)

    def test_a_what_if_stands_beside_the_plan(self) -> None:
        self.ordered("20", due=40)
        self.must("run-plan")
        before = self.proposed()
        back = self.day(39)
        tried = int(self.must("try-plan", demand="200", supplier="METAL", back_on=str(back))["made"]["plan"])  # fmt: skip
        self.assertEqual(self.proposed(), before)
        self.assertEqual(self.proposed(tried)["MA-200"][0][0], "40")
        self.assertEqual(
            self.proposed(tried)["AP-20"][0][2], 3
        )  # wanted on the 36th, he sends on the 39th
        said = self.caller.get(f"plan/compare/{tried}")
        rows = {r["item"]: (r["planned"], r["tried"]) for r in said["rows"]}
        self.assertEqual(rows["MA-200"], ("20.000000", "40.000000"))
        self.assertIn("demand 200 %", said["tried"]["assumes"])
        proposal = Proposal.objects.filter(run=tried)[0].pk
        self.refused("proposal.decided", "accept-proposals", proposals=[proposal])
        self.refused("input.invalid", "try-plan", supplier="METAL")
        self.assertEqual(self.caller.get("plan/compare/999")["code"], "input.not_found")

    def test_an_item_tells_who_gets_what_and_what_may_be_promised(self) -> None:
        number = self.ordered("20", due=40, line={"item": "PAD-3"})
        self.pads("12")
        self.must("run-plan")
        page = self.caller.get("plan/items/PAD-3")
        pegs = [(p["demand_number"], p["supply"], p["quantity"]) for p in page["pegs"]]
        self.assertEqual(pegs, [(number, "", "12.000000"), (number, "proposal", "8.000000")])
        self.assertEqual(page["promises"], [])
        self.must("change-customer-line", customer_order=number, line=1, quantity="5")
        page = self.caller.get("plan/items/PAD-3")
        promised = [(p["day"], p["quantity"]) for p in page["promises"]]
        self.assertEqual(
            promised, [(str(self.today), "12.000000"), (str(self.day(40)), "3.000000")]
        )
        self.assertEqual(page["steps"][-1]["projected"], "15.000000")

    def test_a_quantity_is_promised_by_what_decides_it(self) -> None:
        """A cell takes 4 days once its plate is there, which takes 5; the set's bar 5, the set 2: 7 + 4."""
        said = self.caller.get("plan/promise/MA-200", quantity="20")
        self.assertEqual((said["day"], [s["item"] for s in said["path"]]), (str(self.day(11)), ["MA-200", "CS-01", "SB-06"]))  # fmt: skip
        self.assertEqual([s["how"] for s in said["path"]], ["made anew: 4 working days", "made anew: 2 working days", "bought anew of Metal store: 5 working days"])  # fmt: skip
        line = {"item": "SB-06", "quantity": "10", "price": "25", "place": "STORE"}
        self.shop.do("receive-material", lines=[line])
        said = self.caller.get("plan/promise/MA-200", quantity="20")
        self.assertEqual((said["day"], said["path"][1]["item"]), (str(self.day(9)), "AP-20"))
        self.pads("30")
        self.ordered("10", line={"item": "PAD-3"})
        for quantity, day in (("20", 0), ("21", 5)):  # ten of thirty are promised already
            self.assertEqual(self.caller.get("plan/promise/PAD-3", quantity=quantity)["day"], str(self.day(day)))  # fmt: skip
        self.assertEqual(
            self.caller.get("plan/promise/PAD-3", quantity="0")["code"], "input.invalid"
        )

    def test_what_expires_before_it_is_wanted_covers_nothing(self) -> None:
        self.shop.do("define-item", code="GLUE", name="Glue", unit="pcs", source="buy", price="3", tracking="lot", number_rule="G{number:3}")  # fmt: skip
        lots = [{"lot": "G1", "quantity": "6", "expires_on": str(self.day(10))}]
        line = {"item": "GLUE", "quantity": "6", "price": "3", "place": "STORE", "lots": lots}
        self.shop.do("receive-material", lines=[line])
        self.ordered("2", due=5, line={"item": "GLUE"})
        self.ordered("5", due=20, line={"item": "GLUE"})
        self.must("run-plan")
        self.assertEqual(self.proposed()["GLUE"], [("5", str(self.day(20)), 0)])
        steps = [(s["kind"], s["change"], s["projected"]) for s in self.caller.get("plan/items/GLUE")["steps"]]  # fmt: skip
        self.assertEqual(steps[:2], [("customer order", "-2.000000", "4.000000"), ("expiry", "-4.000000", "0.000000")])  # fmt: skip

    def test_it_is_run_again_at_night_as_far_ahead_as_before(self) -> None:
        plan_at_night(1)
        self.assertEqual(PlanRun.objects.count(), 0)
        self.must("run-plan", horizon=30, frozen=5)
        number = self.ordered("20", due=20)
        plan_at_night(2)
        run = PlanRun.objects.first()
        assert run is not None
        self.assertEqual((PlanRun.objects.count(), run.person, run.proposals), (2, None, 5))
        self.assertEqual((run.last_day, run.assumptions["frozen"]), (self.day(29), 5))
        self.must("end-customer-order", customer_order=number)
        plan_at_night(3)
        self.assertEqual(PlanRun.objects.latest("pk").proposals, 0)

    def test_nothing_planned_yet(self) -> None:
        self.assertEqual(self.caller.get("plan"), {"plan": None, "what_ifs": [], "open": 0})
        self.assertEqual(self.caller.get("plan/proposals"), {"rows": [], "whole": 0})

    def test_only_the_latest_runs_are_kept(self) -> None:
        for _ in range(8):
            self.must("run-plan", horizon=5)
        self.assertEqual(PlanRun.objects.count(), 6)


class Given(SellingTest):
    """What comes beside what is made: grades that are not aimed at, and by-products."""

    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        for code in ("DISC", "DISC-A", "DISC-B"):
            cls.shop.do("define-item", code=code, name=f"Lens {code}", unit="pcs", source="make", lead_time_days=3)  # fmt: skip
        cls.shop.do("define-item", code="CHIPS", name="Glass chips", unit="kg", source="buy", price="1", lead_time_days=2)  # fmt: skip
        cls.shop.do(
            "draft-structure",
            item="DISC",
            operations=[
                {"number": 10, "name": "Grind", "work_center": "MILL", "run_machine_hours": "0.1"}
            ],
            components=[{"item": "PAD-3", "operation": 10, "quantity": "1"}],
            outputs=[{"item": "CHIPS", "operation": 10, "quantity": "0.5", "credit_price": "1"}],
            grades=[
                {"item": "DISC-A", "share": "0.7", "weight": "3"},
                {"item": "DISC-B", "share": "0.3", "weight": "2"},
            ],
        )
        cls.shop.do("approve-structure", item="DISC")

    def planned(self) -> dict[str, list[str]]:
        self.must("run-plan")
        found: dict[str, list[str]] = {}
        for p in Proposal.objects.filter(run=PlanRun.objects.first()).select_related("item"):
            found.setdefault(p.item.code, []).append(f"{p.quantity.normalize():f}")
        return found

    def projected(self, item: str) -> list[tuple[str, str]]:
        steps = self.caller.get(f"plan/items/{item}")["steps"]
        return [(s["kind"], f"{Decimal(s['change']).normalize():f}") for s in steps]

    def test_thirty_of_the_good_ones_take_forty_three_and_what_comes_beside_covers_others(self) -> None:  # fmt: skip
        """30 / 0.7 = 42.9: 43 discs, of which 12.9 are of the other grade, with 21.5 kg of chips."""
        self.ordered("30", due=20, line={"item": "DISC-A"})
        self.ordered("12", due=25, line={"item": "DISC-B"})
        self.ordered("20", due=25, line={"item": "CHIPS"})
        self.assertEqual(self.planned(), {"DISC": ["43"], "PAD-3": ["43"]})
        self.assertEqual(self.projected("DISC-A"), [("proposal", "30.1"), ("customer order", "-30")])  # fmt: skip
        self.assertEqual(self.projected("DISC-B"), [("proposal", "12.9"), ("customer order", "-12")])  # fmt: skip
        self.assertEqual(self.projected("CHIPS"), [("proposal", "21.5"), ("customer order", "-20")])
        self.assertEqual(self.endangered(), [])

    def test_what_orders_that_run_give_is_counted_and_what_they_do_not_is_bought(self) -> None:
        places = {"supply_place": "STORE", "receipt_place": "STORE"}
        self.shop.do("plan-order", item="DISC", quantity="43", due=str(self.day(20)), **places)
        self.ordered("30", due=25, line={"item": "DISC-A"})
        chips = self.ordered("25", due=25, line={"item": "CHIPS"})
        self.assertEqual(self.planned(), {"PAD-3": ["43"], "CHIPS": ["3.5"]})
        chain = self.caller.get("plan/chains/CHIPS", way="down", source="customer order", number=str(chips), line="1")  # fmt: skip
        self.assertIn(("PAD-3", 1), {(n["item"], n["depth"]) for n in chain["links"]})

    def test_a_grade_that_is_not_aimed_at_is_proposed_by_nobody(self) -> None:
        number = self.ordered("5", due=25, line={"item": "DISC-B"})
        self.assertEqual(self.planned(), {})
        self.assertEqual(self.endangered(), [(number, None, None, "5 pcs Lens DISC-B, which nothing covers")])  # fmt: skip

    def test_what_is_used_again_in_what_it_comes_of_is_planned_without_that(self) -> None:
        self.shop.do(
            "draft-structure",
            item="CS-01",
            operations=[
                {"number": 10, "name": "Cast", "work_center": "MILL", "run_machine_hours": "0.1"}
            ],
            components=[{"item": "CHIPS", "operation": 10, "quantity": "2"}],
            outputs=[{"item": "CHIPS", "operation": 10, "quantity": "0.5", "credit_price": "1"}],
        )
        self.shop.do("approve-structure", item="CS-01")
        self.ordered("10", due=25, line={"item": "CS-01"})
        self.assertEqual(self.planned(), {"CS-01": ["10"], "CHIPS": ["20"]})


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


class WorksDays(SellingTest):
    """Days on which nobody works count for nothing."""

    def test_lead_times_pass_over_a_holiday(self) -> None:
        """Cells wanted on a Friday are begun four days before: a day sooner where one between is closed."""
        friday = next(d for d in PlanDays().following(self.day(30), 5) if d.weekday() == 4)
        line = {"item": "MA-200", "quantity": "2", "wanted_on": str(friday)}
        self.must("enter-customer-order", customer="OBS", lines=[line])
        self.must("run-plan")
        self.assertEqual(self.begun("MA-200"), friday - timedelta(days=4))
        self.shop.do("define-calendar", code="WORKS", name="Works", zone="UTC", shifts=[{"weekday": n, "start": 480, "end": 960} for n in range(5)])  # fmt: skip
        for center in WorkCenter.objects.values_list("code", flat=True):
            self.shop.do("change-work-center", code=center, calendar="WORKS")
        wednesday = friday - timedelta(days=2)
        self.shop.do("close-days", calendar="WORKS", first=str(wednesday), last=str(wednesday), why="stocktaking")  # fmt: skip
        self.must("run-plan")
        self.assertEqual(self.begun("MA-200"), friday - timedelta(days=7))

    def begun(self, item: str) -> date:
        return Proposal.objects.filter(item__code=item).latest("pk").order_on


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


class Purchases(SellingTest):
    """What is to be bought, gathered by supplier."""

    def gathered(self, **query: str) -> dict[str, dict[str, Any]]:
        groups = self.caller.get("plan/purchases", **query)["suppliers"]
        return {g["supplier"]: {i["item"]: i for i in g["items"]} | {"": g} for g in groups}

    def test_all_of_an_item_is_priced_together_with_what_the_next_price_saves(self) -> None:
        """90 + 90 pads at 0.42; from 200 on 0.36: twenty more are 3.60 less in all."""
        breaks = [{"supplier": "METAL", "price": "0.42"}, {"supplier": "METAL", "price": "0.36", "from_quantity": "200"}]  # fmt: skip
        self.shop.do("set-prices", item="PAD-3", prices=breaks)
        self.ordered("10", due=40)
        self.ordered("10", due=50)
        self.must("run-plan")
        pads = self.gathered()["METAL"]["PAD-3"]
        self.assertEqual((pads["quantity"], pads["cost"], len(pads["proposals"])), ("180.000000", "75.60", 2))  # fmt: skip
        above = pads["next"]
        self.assertEqual((above["more"], above["price"], above["saves"]), ("20.000000", "0.360000", "3.60"))  # fmt: skip
        first = str(self.day(31))  # five days before the first cells begin
        early = self.gathered(until=first)["METAL"]
        self.assertEqual(early["PAD-3"]["quantity"], "90.000000")
        self.assertIsNone(early["AP-20"]["next"])
        said = self.must("accept-proposals", proposals=[n for i in early if i for n in early[i]["proposals"]])  # fmt: skip
        self.assertEqual(said["made"]["purchases"], str(Purchase.objects.get().number))

    def test_what_nobody_is_known_to_sell_stands_by_itself(self) -> None:
        self.assertEqual(self.caller.get("plan/purchases")["suppliers"], [])
        self.shop.do("set-prices", item="PAD-3", prices=[])
        self.ordered("10", due=40)
        self.must("run-plan")
        found = self.gathered()
        self.assertEqual(set(found), {"", "METAL"})
        self.assertIsNone(found[""]["PAD-3"]["next"])


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

    def test_who_may_not_see_costs_sees_no_margin(self) -> None:
        told = Caller(make_person("store", Role.STOREKEEPER)).get("plan/terms/MA-200", quantity="20", customer="OBS")["terms"]  # fmt: skip
        self.assertEqual((told["margin"], told["price"]), ("", ""))
        self.assertEqual(told["day"], str(self.day(11)))


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

    def test_what_nothing_covers_has_no_day(self) -> None:
        number = self.ordered("20", due=3)
        self.shop.do("change-item", code="MA-200", is_active=False, inactive_reason="made no more")
        self.must("run-plan")
        self.assertEqual(self.endangered(), [(number, None, None, "20 pcs Mirror cell, which nothing covers")])  # fmt: skip
        self.assertIn("comes, nobody knows when", self.told()[0])


class Loads(SellingTest):
    """What the plan loads work centers with, roughly, beside what orders do."""

    def loads(self, run: int = 0) -> dict[str, dict[str, Any]]:
        """Return by work center and Monday what a run loads it with."""
        centers = self.caller.get("plan/loads", run=str(run))["centers"]
        return {c["code"]: {w["first"]: w for w in c["weeks"]} for c in centers}

    def sum(self, loads: dict[str, Any], name: str) -> Decimal:
        return sum((Decimal(w[name]) for w in loads.values()), Decimal(0))

    def test_a_lot_loads_its_work_centers_between_its_beginning_and_its_day(self) -> None:
        """As the order that it becomes will, to the hour."""
        self.ordered("20", due=40)
        self.must("run-plan")
        proposed = self.loads()
        self.assertEqual({self.sum(w, "ordered") for w in proposed.values()}, {Decimal(0)})
        first, last = self.day(34), self.day(40)
        for weeks in proposed.values():
            for monday in weeks:
                self.assertTrue(first - timedelta(days=7) < date.fromisoformat(monday) <= last)

        self.must("accept-proposals", proposals=list(Proposal.objects.values_list("pk", flat=True)))
        self.must("run-plan")
        ordered = self.loads()
        self.assertEqual({self.sum(w, "proposed") for w in ordered.values()}, {Decimal(0)})
        for code, weeks in proposed.items():
            self.assertAlmostEqual(self.sum(weeks, "proposed"), self.sum(ordered[code], "ordered"), 3)  # fmt: skip

    def test_what_is_too_much_names_what_loads_it_most(self) -> None:
        self.ordered("2000", due=40)
        self.must("run-plan")
        said = self.caller.get("plan/loads")
        worst = said["centers"][0]
        week = max(worst["weeks"], key=lambda w: Decimal(w["over"]))
        load = Decimal(week["ordered"]) + Decimal(week["proposed"])
        self.assertEqual(Decimal(week["over"]), load - Decimal(week["capacity"]))
        self.assertEqual(week["most"][0], "MA-200")
        self.assertGreater(Decimal(week["share"]), 1)

    def test_a_work_center_that_is_closed_is_compared(self) -> None:
        self.ordered("20", due=12)
        self.must("run-plan")
        (code, *_) = self.loads()
        closed = str(self.day(60))
        tried = self.must("try-plan", work_center=code, closed_until=closed)["made"]["plan"]
        said = self.caller.get(f"plan/compare/{tried}")
        self.assertEqual(Decimal(said["planned_over"]), 0)
        weeks = self.loads(int(tried))[code]
        self.assertEqual(Decimal(said["tried_over"]), self.sum(weeks, "proposed"))
        self.assertEqual({w["share"] for w in weeks.values()}, {None})
        self.assertIn(f"{code} closed up to {closed}", said["tried"]["assumes"])
        self.refused("input.invalid", "try-plan", work_center=code)
        self.refused("input.not_found", "try-plan", work_center="NONE", closed_until=closed)

    def test_there_are_none_without_a_plan(self) -> None:
        self.assertEqual(self.caller.get("plan/loads"), {"weeks": [], "centers": [], "over": "0"})


class Copying(SellingTest):
    """Rows in PostgreSQL's binary format."""

    def test_what_is_copied_is_what_the_arrays_say(self) -> None:
        self.must("run-plan", horizon=5)
        run = PlanRun.objects.get()
        read = read_works(self.today, 5, Assumed())
        days = days_of([date(1999, 12, 31), date(2026, 11, 30)])
        copy_rows(
            Proposal,
            {
                "run": np.full(2, run.pk, dtype=np.int64),
                "item": read.keys[:2],
                "steps": np.array([1, 2**40], dtype=np.int64),
                "due": days,
                "order_on": days,
                "late": np.array([0, 3], dtype=np.int32),
                "state": "open",
                "became": "",
            },
            2,
        )
        told = Proposal.objects.values_list("item", "steps", "due", "late", "state", "became")
        self.assertEqual(
            list(told),
            [
                (int(read.keys[0]), 1, date(1999, 12, 31), 0, "open", ""),
                (int(read.keys[1]), 2**40, date(2026, 11, 30), 3, "open", ""),
            ],
        )
