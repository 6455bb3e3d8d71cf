"""A shift entered as a sheet: every row a report, faults by row, all of it in one act or nothing."""

from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from poietic.demo import mirror_cell
from poietic.ledger.models import Posting, StockBalance
from poietic.ledger.verify import differences
from poietic.orders.models import Order

from .test_picking import AnyWorks, PickingTest, receive

STEPS = [{"number": 10, "name": "Mill cell", "work_center": "MILL", **mirror_cell.MILL_HOURS}]


class ShiftTest(PickingTest):
    """Two orders of cells, one with its pads issued."""

    def setUp(self) -> None:
        super().setUp()
        self.shop.do("define-reason", code="SPLIT", name="Split edge", use="scrap")
        self.one, self.two = self.order("3"), self.order("3")
        lines = [{"operation": 20, "item": "PAD-3", "quantity": "27"}, {"operation": 20, "item": "PAD-L", "quantity": "6"}]  # fmt: skip
        self.must("issue-material", order=self.one, lines=lines)

    def row(self, order: int, operation: int, good: str, **more: Any) -> dict[str, Any]:
        return {"order": order, "operation": operation, "good": good, **more}

    def passed(self, order: int) -> dict[int, tuple[Decimal, Decimal]]:
        """Return what is good and what is lost by operation."""
        page = self.caller.get(f"orders/{order}")
        return {o["number"]: (Decimal(o["good"]), Decimal(o["scrap"])) for o in page["operations"]}

    def rows_told(self, rows: list[dict[str, Any]]) -> list[str]:
        told = self.caller.preview("post-shift", {"rows": rows})["consequences"]["remarks"]
        return [r["thing"] for r in told if r["thing"].startswith("row ")]


class Posted(ShiftTest):
    """What is right is posted as the reports alone would be."""

    def test_each_row_is_a_report_in_the_order_in_which_it_stands(self) -> None:
        rows = [
            self.row(self.one, 10, "3"),
            self.row(self.two, 10, "2", scrap="1", why="SPLIT", note="dropped"),
            self.row(self.one, 20, "3"),  # needs the first
        ]
        self.assertEqual(self.rows_told(rows), [])

        said = self.must("post-shift", rows=rows, receive=True)

        self.assertEqual(self.passed(self.one), {10: (3, 0), 20: (3, 0)})
        self.assertEqual(self.passed(self.two)[10], (2, 1))
        self.assertEqual(Order.objects.get(number=self.one).received, 3)
        self.assertEqual(Order.objects.get(number=self.two).received, 0)
        noted = Posting.objects.filter(pk__in=said["postings"], reason="dropped")
        self.assertEqual({p.cost_object.number for p in noted if p.cost_object}, {self.two})

    def test_it_costs_what_the_same_reports_one_by_one_cost(self) -> None:
        rows = [self.row(self.two, 10, "1", run_hours="0.7"), self.row(self.two, 10, "2")]
        self.must("post-shift", rows=rows)
        three = self.order("3")
        self.must("report", order=three, operation=10, good="1", run_labour_hours="0.7", run_machine_hours="0.7")  # fmt: skip
        self.must("report", order=three, operation=10, good="2")

        self.assertEqual(self.caller.causes(self.two), self.caller.causes(three))
        costs = [{i["code"]: i["amount"] for i in self.caller.get(f"orders/{o}")["inputs"]} for o in (self.two, three)]  # fmt: skip
        self.assertEqual(costs[0], costs[1])

    def test_the_consequences_are_those_of_all_rows_together(self) -> None:
        rows = [self.row(self.two, 10, "1"), self.row(self.two, 10, "2")]
        told = self.caller.preview("post-shift", {"rows": rows})["consequences"]

        plate = [s for s in told["stock"] if s["item"] == "AP-20"]
        before, after = (Decimal(plate[0][k]) for k in ("before", "after"))
        self.assertEqual((len(plate), before - after), (1, Decimal("7.2")))  # 2.4 kg each
        debit = sum(Decimal(j["debit"]) for j in told["journal"])
        self.assertEqual(debit, sum(Decimal(j["credit"]) for j in told["journal"]))
        self.must("post-shift", rows=rows)
        held = StockBalance.objects.filter(item__code="AP-20", place__code="STORE")
        self.assertEqual(sum(b.quantity for b in held), after)


class TakenBack(ShiftTest):
    """Each row of a shift is taken back by itself: its report and what came with it, nothing else."""

    def setUp(self) -> None:
        super().setUp()
        rows = [
            self.row(self.one, 10, "3"),
            self.row(self.two, 10, "2"),
            self.row(self.one, 20, "1"),
            self.row(self.one, 20, "2"),
        ]
        self.must("post-shift", rows=rows, receive=True)

    def reports(self, order: int) -> list[Posting]:
        standing = Posting.objects.filter(cost_object__number=order, kind="report", reversal=None)
        return list(standing.filter(reverses=None).order_by("pk"))

    def test_the_last_row_goes_with_its_receipt_and_the_others_stand(self) -> None:
        self.must("take-back", posting=self.reports(self.one)[-1].pk)

        self.assertEqual(self.passed(self.one), {10: (3, 0), 20: (1, 0)})
        self.assertEqual(self.passed(self.two)[10], (2, 0))
        self.assertEqual(Order.objects.get(number=self.one).received, 1)

    def test_a_receipt_takes_its_own_row_back(self) -> None:
        receipt = Posting.objects.filter(cost_object__number=self.one, kind="receipt").earliest(
            "pk"
        )
        self.must("take-back", posting=receipt.pk)
        self.assertEqual(self.passed(self.one)[20], (2, 0))
        self.assertEqual(Order.objects.get(number=self.one).received, 2)

    def test_the_row_of_one_order_says_nothing_of_another(self) -> None:
        self.must("take-back", posting=self.reports(self.two)[0].pk)
        self.assertEqual(self.passed(self.two)[10], (0, 0))
        self.assertEqual(self.passed(self.one), {10: (3, 0), 20: (3, 0)})

    def test_one_row_is_corrected_and_the_others_stay(self) -> None:
        wrong = self.reports(self.one)[1]
        right = {"order": self.one, "operation": 20, "good": "0", "scrap": [{"reason": "SPLIT", "quantity": "1"}]}  # fmt: skip
        self.must("correct-report", posting=wrong.pk, report=right)
        self.assertEqual(self.passed(self.one), {10: (3, 0), 20: (2, 1)})
        self.assertEqual(self.passed(self.two)[10], (2, 0))

    def test_before_the_last_report_is_before_the_last_row(self) -> None:
        self.must("unwind", orders=[self.one], to="before the last report")
        self.assertEqual(self.passed(self.one), {10: (3, 0), 20: (1, 0)})
        self.assertEqual(self.passed(self.two)[10], (2, 0))


class ReleasedTogether(ShiftTest):
    """Orders that were released in one act, each with an issue of its own."""

    def test_what_one_of_them_was_issued_is_taken_back_from_it_alone(self) -> None:
        lines = [{"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at release"}]
        mirror_cell.structure(self.shop, "MA-200", STEPS, lines)
        self.shop.do("freeze-standard")
        orders = [self.order("1", release=False) for _ in range(2)]
        self.must("release-orders", orders=orders)
        issues = {n: Posting.objects.get(cost_object__number=n, kind="issue") for n in orders}
        self.assertEqual(len({p.entry_id for p in issues.values()}), 1)

        self.must("take-back", posting=issues[orders[0]].pk)

        back = Posting.objects.filter(reverses__in=issues.values())
        self.assertEqual([p.reverses_id for p in back], [issues[orders[0]].pk])
        used = [self.caller.get(f"orders/{n}")["inputs"][0]["used"] for n in orders]
        self.assertEqual([Decimal(u) for u in used], [0, Decimal("2.4")])


class Refused(ShiftTest):
    """What is wrong is told by row, and then nothing is posted."""

    def test_every_faulty_row_is_told_before_and_nothing_is_posted_with_one(self) -> None:
        rows = [
            self.row(self.one, 10, "1"),
            self.row(self.two, 20, "2"),  # nothing has passed operation 10
            self.row(self.two, 11, "1"),
            self.row(99_999, 10, "1"),
            self.row(self.two, 10, "0", scrap="1", why="NOSUCH"),
        ]
        wrong = ["row 2", "row 3", "row 4", "row 5"]
        self.assertEqual(self.rows_told(rows), wrong)
        postings = Posting.objects.count()

        said = self.refused("shift.rows_refused", "post-shift", rows=rows)

        for row in wrong:
            self.assertIn(row, said["title"])
        self.assertNotIn("row 1:", said["title"])
        self.assertEqual(Posting.objects.count(), postings)
        self.assertEqual(self.passed(self.one)[10], (0, 0))

    def test_a_row_that_needs_a_faulty_one_is_faulty_too(self) -> None:
        rows = [self.row(self.one, 10, "1", scrap="1", why="NOSUCH"), self.row(self.one, 20, "1")]
        self.assertEqual(self.rows_told(rows), ["row 1", "row 2"])

    def test_scrap_needs_a_reason_and_is_told_with_its_row(self) -> None:
        rows = [self.row(self.one, 10, "1"), self.row(self.one, 10, "0", scrap="1")]
        self.assertEqual(self.rows_told(rows), ["row 2"])
        self.assertIn("why", self.refused("shift.rows_refused", "post-shift", rows=rows)["title"])

    def test_hours_that_an_operation_does_not_have_are_refused(self) -> None:
        rows = [self.row(self.one, 10, "1"), self.row(self.one, 20, "1", setup_hours="0.5")]
        self.assertEqual(self.rows_told(rows), ["row 2"])  # assembly is not set up

    def test_of_hours_of_a_row_each_kind_of_the_operation_is_charged(self) -> None:
        self.must("post-shift", rows=[self.row(self.two, 10, "1", run_hours="0.4")])
        page = self.caller.get(f"orders/{self.two}")
        used = {i["kind"]: i["used"] for i in page["inputs"] if i["operation"] == 10}
        self.assertEqual(Decimal(used["run labour"]), Decimal("0.4"))
        self.assertEqual(Decimal(used["run machine"]), Decimal("0.4"))


class SheetsOfAnyRows(AnyWorks):
    """Whatever stands in a sheet, the rows that are not faulty can be posted, and the ledger agrees."""

    @settings(max_examples=10, deadline=None)
    @given(
        rows=st.lists(
            st.tuples(
                st.integers(0, 1),
                st.sampled_from([10, 20, 30]),
                st.integers(0, 3),
                st.integers(0, 2),
            ),
            min_size=1,
            max_size=5,
        )
    )
    def test_what_is_left_after_leaving_out_the_faulty_is_posted_whole(self, rows: Any) -> None:
        shop, caller = self.shop, self.caller
        for item in ("AP-20", "PAD-3"):
            receive(shop, item, "500")
        receive(shop, "PAD-L", "500", lot="ONE")
        shop.do("define-reason", code="SPLIT", name="Split edge", use="scrap")
        orders = []
        for _ in range(2):
            planned = {"item": "MA-200", "quantity": "4", "due": "2027-02-01", "supply_place": "STORE", "receipt_place": "STORE"}  # fmt: skip
            orders.append(int(caller.must("plan-order", planned)["made"]["order"]))
            caller.must("release-order", {"order": orders[-1]})
        sheet = [
            {"order": orders[which], "operation": number, "good": str(good), "scrap": str(lost), "why": "SPLIT"}
            for which, number, good, lost in rows
        ]  # fmt: skip

        while sheet:
            told = caller.preview("post-shift", {"rows": sheet})["consequences"]["remarks"]
            faulty = {int(r["thing"][4:]) for r in told if r["thing"].startswith("row ")}
            if not faulty:
                break
            answer = caller.do("post-shift", {"rows": sheet})
            self.assertEqual(answer["code"], "shift.rows_refused")
            sheet = [row for n, row in enumerate(sheet, 1) if n not in faulty]
        if sheet:
            caller.must("post-shift", {"rows": sheet})

        for order in orders:
            at_10 = sum(
                int(r["good"]) for r in sheet if (r["order"], r["operation"]) == (order, 10)
            )
            page = caller.get(f"orders/{order}")
            self.assertEqual(Decimal(page["operations"][0]["good"]), at_10)
        self.assertEqual(differences(), [])
