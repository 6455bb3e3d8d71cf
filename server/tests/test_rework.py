"""Pieces set aside for rework: counted once, decided later, their hours a cause of their own."""

from decimal import Decimal
from typing import Any

from django.test import TestCase
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.verify import differences
from poietic.orders.models import OrderOperation

from .client import Caller, make_person
from .test_standing_in import causes, close


class Rework(TestCase):
    """Ten mirror cells: 2 of the 10 milled are set aside, and come out of rework later."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        mirror_cell.define(cls.shop)
        mirror_cell.supply(cls.shop)
        cls.order = mirror_cell.plan(cls.shop, "MA-200", "10")
        cls.shop.do("release-order", order=cls.order)
        cls.person = make_person()
        cls.first = cls.shop.do("report", order=cls.order, operation=10, good="8", rework="2").postings[0]  # fmt: skip

    def setUp(self) -> None:
        self.caller = Caller(self.person)

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def out(self, **said: Any) -> Any:
        """Report what comes out of rework at operation 10."""
        return self.shop.do("report", order=self.order, operation=10, of_rework=True, **said)

    def counts(self) -> tuple[Decimal, Decimal, Decimal]:
        """Return good, scrapped and set aside at operation 10."""
        o = OrderOperation.objects.get(order__number=self.order, number=10)
        return o.good, o.scrap, o.rework

    def test_pieces_set_aside_are_worked_on_and_can_not_go_on_yet(self) -> None:
        self.assertEqual(self.counts(), (8, 0, 2))
        page = self.caller.get(f"orders/{self.order}")
        here, after = page["operations"]
        self.assertEqual(
            [Decimal(n) for n in (here["rework"], here["due"], after["due"])], [2, 0, 8]
        )
        hours = {t["kind"]: t["quantity"] for t in self.caller.get(f"postings/{self.first}")["times"]}  # fmt: skip
        self.assertEqual(Decimal(hours["run machine"]), Decimal("2.5"))  # of all ten

    def test_hours_of_rework_are_its_cause_and_nothing_is_charged_twice(self) -> None:
        before = causes(self.order)
        outcome = self.out(good="2", run_labour_hours="1.5", run_machine_hours="1")

        self.assertEqual(self.counts(), (10, 0, 0))
        # by hand: 1.5 h at 24.00 and 1 h at 40.00 that no standard grants
        self.assertEqual(causes(self.order)["rework"] - before.get("rework", 0), Decimal(76))
        self.assertEqual(len(outcome.postings), 1)
        page = self.caller.get(f"orders/{self.order}")
        rows = [i for i in page["inputs"] if i["is_rework"] and Decimal(i["used"])]
        self.assertEqual({(i["kind"], i["need"]) for i in rows}, {("run labour", "0.000000"), ("run machine", "0.000000")})  # fmt: skip

    def test_it_is_planned_as_a_work_of_its_own_where_it_is_done(self) -> None:
        given = {"order": self.order, "operation": 10, "name": "Re-cut edges", "work_center": "LATHE", "run_labour_hours": "0.5"}  # fmt: skip
        told = self.caller.must("plan-rework", given)["consequences"]["fields"]
        cost = {f["field"]: f["after"] for f in told}["rework of 2 pcs will cost [EUR]"]
        self.assertEqual(Decimal(cost), 24, "two pieces of half an hour at 24.00")
        (row,) = [r for r in self.caller.get("work-centers/LATHE/list")["rows"] if r["order"] == self.order]  # fmt: skip
        self.assertEqual((row["what"], Decimal(row["units_due"]), Decimal(row["hours_left"]), row["state"]), ("Re-cut edges (rework)", 2, 1, "ready"))  # fmt: skip
        here = self.caller.get(f"orders/{self.order}")["operations"][0]
        self.assertEqual(here["rework_planned"], "Re-cut edges at LATHE")
        before = causes(self.order)
        self.out(good="2", run_labour_hours="1.5")
        self.assertEqual(causes(self.order)["rework"] - before.get("rework", 0), 36)  # fmt: skip
        listed = self.caller.get("work-centers/LATHE/list")["rows"]
        self.assertNotIn(self.order, [r["order"] for r in listed], "nothing is set aside any more")

    def test_it_is_planned_again_until_hours_of_it_are_reported(self) -> None:
        given = {"order": self.order, "operation": 10, "name": "Re-cut edges", "work_center": "LATHE", "run_labour_hours": "0.5"}  # fmt: skip
        self.caller.must("plan-rework", given)
        self.caller.must("plan-rework", given | {"work_center": "MILL", "run_machine_hours": "0.1"})
        posting = self.out(good="1", run_labour_hours="0.5", run_machine_hours="0.1").postings[0]
        for wrong in (given, given | {"operation": 20}, given | {"run_labour_hours": "0"}):
            self.assertEqual(self.caller.do("plan-rework", wrong)["code"], "input.invalid")
        self.caller.must("take-back", {"posting": posting})
        self.caller.must("plan-rework", given)

    def test_an_order_is_completed_when_all_rework_is_decided(self) -> None:
        said = self.caller.do("complete-order", {"order": self.order})
        self.assertEqual((said["code"], self.caller.status), ("order.rework_pending", 409))

        self.out(good="1", scrap=[{"reason": "DROPPED", "quantity": "1"}])
        self.shop.do("issue-material", order=self.order, lines=[{"operation": 20, "item": "CS-01", "quantity": "9"}])  # fmt: skip
        self.shop.do("report", order=self.order, operation=20, good="9", receive="9")

        close(self, self.shop, self.order)

    def test_no_more_comes_out_than_went_in(self) -> None:
        self.out(good="1")

        said = self.caller.do("report", {"order": self.order, "operation": 10, "good": "2", "of_rework": True})  # fmt: skip

        self.assertEqual((said["code"], self.caller.status), ("report.more_than_set_aside", 409))
        self.assertIn("1 are set aside", said["detail"].replace(".000000", ""))

    def test_rework_is_not_set_aside_again_nor_set_up(self) -> None:
        for wrong in ({"rework": "1"}, {"good": "1", "times_set_up": 1}):
            given = {"order": self.order, "operation": 10, "of_rework": True} | wrong
            self.assertEqual(self.caller.do("report", given)["code"], "input.invalid", wrong)

    def test_what_was_decided_is_taken_back_first(self) -> None:
        decided = self.out(good="1").postings[0]

        said = self.caller.do("take-back", {"posting": self.first})

        self.assertEqual((said["code"], self.caller.status), ("report.rework_decided", 409))
        self.shop.do("take-back", posting=decided)
        self.shop.do("take-back", posting=self.first)
        self.assertEqual(self.counts(), (0, 0, 0))

    def test_a_report_is_corrected_with_what_it_set_aside(self) -> None:
        right = {"order": self.order, "operation": 10, "good": "9", "rework": "1"}

        self.shop.do("correct-report", posting=self.first, report=right)

        self.assertEqual(self.counts(), (9, 0, 1))
