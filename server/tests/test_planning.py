"""What the plan proposes, loads and buys, and what becomes of that."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
from poietic.buying.models import Purchase, PurchaseLine
from poietic.demo import mirror_cell
from poietic.engineering.models import WorkCenter
from poietic.orders.models import Order
from poietic.planning.models import Advice, PlanRun, Proposal
from poietic.planning.reading import Assumed, read_works
from poietic.planning.tasks import plan_at_night
from poietic.selling.models import CustomerOrder
from poietic.statements.copying import copy_rows, days_of
from poietic_core.planning.days import PlanDays

from .selling_shop import SellingTest


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

    def test_proposals_are_chosen_by_work_center_and_by_the_customer_who_waits(self) -> None:
        """Cells are milled, sets are made at assembly; of the second order only a set is wanted beside the first's."""
        first = self.ordered("20", due=40)
        line = {"item": "CS-01", "quantity": "7", "wanted_on": str(self.day(45))}
        said = self.must("enter-customer-order", customer="OBS", lines=[line])
        self.must("run-plan", horizon=60)

        def chosen(**by: Any) -> list[tuple[str, str]]:
            rows = self.caller.get("plan/proposals", **by)["rows"]
            return sorted((r["item"], f"{Decimal(r['quantity']).normalize():f}") for r in rows)

        center = WorkCenter.objects.filter(operationrow__revision__item__code="CS-01").first()
        assert center is not None
        self.assertIn(("CS-01", "7"), chosen(work_center=center.code))
        self.assertNotIn("AP-20", [item for item, _ in chosen(work_center=center.code)])
        self.assertEqual(chosen(serves=int(said["made"]["customer order"]), which="make"), [("CS-01", "7")])  # fmt: skip
        served = chosen(serves=first)
        self.assertEqual(
            [item for item, _ in served], ["AP-20", "CS-01", "MA-200", "PAD-3", "SB-06"]
        )
        self.assertEqual(
            self.caller.get("plan/proposals", serves=99_999)["code"], "input.not_found"
        )
        self.assertEqual(self.caller.get("plan/proposals", work_center="NONE")["code"], "input.not_found")  # fmt: skip

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


class Sizes(SellingTest):
    """What is cut of a stock form, behind what the plan would buy of it."""

    def test_the_demand_behind_a_plate_is_told_by_size(self) -> None:
        """By hand: 300 × 200 × 10 mm of 2700 kg/m³ are 1.62 kg; two to a body, of which a tenth is lost.

        9 bodies are ordered: 9 / 0.9 × 2 = 20 pieces, 32.4 kg; 3 lids of one piece 0.54 kg each are planned.
        """
        self.shop.do("define-item", code="PLATE", name="Plate", unit="kg", step="0.01", source="buy", price="4", density="2700")  # fmt: skip
        for code, lost in (("BODY", "0.9"), ("LID", "1")):
            self.shop.do("define-item", code=code, name=code.title(), unit="pcs", source="make")
            pieces, sides = ("2", ("300", "200", "10")) if code == "BODY" else ("1", ("100", "200", "10"))  # fmt: skip
            line = {"item": "PLATE", "operation": 10, "quantity": pieces, "measured_by": "mass"}
            cut = line | dict(zip(("length", "width", "thickness"), sides, strict=True))
            hours = {"number": 10, "name": "Cut", "work_center": "MILL", "run_labour_hours": "0.1"}
            mirror_cell.structure(self.shop, code, [hours | {"yield_share": lost}], [cut])
        wanted = {"item": "BODY", "quantity": "9", "wanted_on": str(self.day(30))}
        self.must("enter-customer-order", customer="OBS", lines=[wanted])
        self.must("plan-order", item="LID", quantity="3", due=str(self.day(20)))
        self.must("run-plan", horizon=60)
        (group,) = self.caller.get("plan/purchases")["suppliers"]
        (plate,) = [i for i in group["items"] if i["item"] == "PLATE"]
        told = [(s["item"], s["size"], s["pieces"], Decimal(s["quantity"])) for s in plate["sizes"]]
        self.assertEqual(
            told,
            [
                ("BODY", "300 × 200 × 10", "20", Decimal("32.4")),
                ("LID", "100 × 200 × 10", "3", Decimal("1.62")),
            ],
        )
        self.assertEqual(Decimal(plate["quantity"]), Decimal("34.02"))
        (early,) = self.caller.get("plan/purchases", until=str(self.day(25)))["suppliers"]
        self.assertEqual([(s["item"], s["pieces"]) for i in early["items"] for s in i["sizes"]], [("LID", "3")])  # fmt: skip
