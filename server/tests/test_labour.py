"""Who worked: each his own hours, overtime and who bears it, and what that comes to by person and operation."""

from decimal import Decimal
from typing import Any

from poietic.demo import mirror_cell
from poietic.ledger.models import JournalLine, TimeLine
from poietic.orders.models import OrderInput

from .client import make_person
from .test_picking import PickingTest


class LabourTest(PickingTest):
    """Cells milled by fitters at 32.00 an hour, half as much again for overtime; assembled at 32.00 without a grade."""

    def setUp(self) -> None:
        for name in ("lotte", "tom"):
            make_person(name)
        self.must("define-labour-grade", code="FIT", name="Fitter", rate="32", overtime_premium="0.5")  # fmt: skip
        steps = [
            {"number": 10, "name": "Mill cell", "work_center": "MILL", "labour_grade": "FIT", "setup_labour_hours": "1", **mirror_cell.MILL_HOURS},
            {"number": 20, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"},
        ]  # fmt: skip
        mirror_cell.structure(self.shop, "MA-200", steps, [{"item": "AP-20", "operation": 10, "quantity": "2.4"}])  # fmt: skip
        self.shop.do("freeze-standard")
        self.number = self.order("8")

    def report(self, *people: dict[str, Any], operation: int = 10, **more: Any) -> Any:
        given = {"order": self.number, "operation": operation, "good": "8", "people": list(people)}
        return self.must("report", **given, **more)

    def of(self, person: str, hours: str, overtime: str = "0", **more: Any) -> dict[str, Any]:
        return {"person": person, "hours": hours, "overtime": overtime, **more}

    def used(self, kind: str) -> tuple[Decimal, Decimal]:
        row = OrderInput.objects.get(order__number=self.number, operation=10, kind=kind)
        return row.used, row.amount

    def expense(self) -> Decimal:
        rows = JournalLine.objects.filter(account="overhead expense")
        return sum((j.amount for j in rows), Decimal(0))


class EachHisOwn(LabourTest):
    """Several people at one operation."""

    def test_their_hours_add_up_and_each_keeps_his(self) -> None:
        self.report(self.of("lotte", "1.5"), self.of("tom", "0.75"), self.of("tom", "1", is_setup=True))  # fmt: skip
        self.assertEqual(self.used("run labour"), (Decimal("2.25"), Decimal("72.00")))
        self.assertEqual(self.used("setup labour"), (Decimal(1), Decimal("32.00")))
        lines = TimeLine.objects.filter(person__isnull=False).order_by("pk")
        self.assertEqual(
            {(t.person.name, t.kind): t.quantity for t in lines if t.person},
            {("lotte", "run labour"): Decimal("1.5"), ("tom", "run labour"): Decimal("0.75"), ("tom", "setup labour"): 1},
        )  # fmt: skip

    def test_who_did_not_say_is_charged_by_the_standard(self) -> None:
        self.report(self.of("tom", "3"))
        self.assertEqual(self.used("run machine")[0], 2)
        self.assertEqual(self.used("setup labour")[0], 1)

    def test_it_is_taken_back_and_corrected_with_its_people(self) -> None:
        posted = self.report(self.of("lotte", "2", "1"))["postings"][0]
        page = self.caller.get(f"postings/{posted}")
        named = [(t["person"], Decimal(t["overtime"])) for t in page["times"] if t["person"]]
        self.assertEqual(named, [("lotte", 1)])
        right = {"order": self.number, "operation": 10, "good": "8", "people": [self.of("tom", "2")]}  # fmt: skip
        self.must("correct-report", posting=posted, report=right)
        self.assertEqual(self.used("run labour"), (Decimal(2), Decimal("64.00")))
        rows = self.caller.get("items/MA-200/labour")
        by_person = {r["person"]: Decimal(r["hours"]) for r in rows if r["operation"] == 10}
        self.assertEqual(by_person, {"Tom Example": 2, "": 1})  # and one hour of setting up

    def test_what_can_not_be_is_refused(self) -> None:
        for people, more, words in (
            ([self.of("lotte", "1", "2")], {}, "more overtime than hours"),
            ([self.of("lotte", "1")], {"run_labour_hours": "1"}, "said by person already"),
        ):
            said = self.refused("input.invalid", "report", order=self.number, operation=10, good="1", people=people, **more)  # fmt: skip
            self.assertIn(words, said["detail"])
        said = self.refused("input.not_found", "report", order=self.number, operation=10, good="1", people=[self.of("nobody", "1")])  # fmt: skip
        self.assertIn("nobody", said["title"] + said["detail"])


class Overtime(LabourTest):
    """The premium is hours × rate × share: of an hour at 32.00 it is 16.00."""

    def test_the_order_that_caused_it_bears_it_as_rate(self) -> None:
        self.report(self.of("lotte", "2", "1"))
        self.assertEqual(self.used("run labour"), (Decimal(2), Decimal("80.00")))
        self.assertEqual(self.caller.causes(self.number)["rate"], 16)
        self.assertEqual(self.expense(), 0)

    def test_else_it_goes_to_the_work_centers_overhead(self) -> None:
        posted = self.report(self.of("lotte", "2", "1"), overtime_to="the work center")["postings"][0]  # fmt: skip
        self.assertEqual(self.used("run labour"), (Decimal(2), Decimal("64.00")))
        self.assertNotIn("rate", self.caller.causes(self.number))
        self.assertEqual(self.expense(), 16)
        self.must("take-back", posting=posted)
        self.assertEqual(self.expense(), 0)

    def test_without_a_grade_it_says_that_there_is_no_premium(self) -> None:
        self.report()
        said = self.report(self.of("tom", "2", "2"), operation=20)
        remarks = [r["text"] for r in said["consequences"]["remarks"]]
        self.assertTrue(any("2 h of overtime without a premium" in r for r in remarks), remarks)

    def test_the_premium_is_set_with_the_rate(self) -> None:
        self.must("set-grade-rate", grade="FIT", rate="32", overtime_premium="0.25")
        self.report(self.of("lotte", "2", "1"))
        self.assertEqual(self.used("run labour")[1], Decimal("72.00"))
