"""Receipts, what takes them back and what corrects them, in any order: the order can always go on."""

from decimal import Decimal
from typing import Any

from django.db import transaction
from django.test import TestCase as DjangoTestCase
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting, WipBalance
from poietic.ledger.verify import differences
from poietic.orders.models import Order, OrderGrade
from poietic_core.errors import DomainError

from .client import Caller, make_person

ALLOWED_REFUSALS = {
    "posting.taken_back",
    "posting.not_reversible",
    "posting.not_a_report",
    "report.below_successor",
    "report.beyond_predecessor",
    "order.not_all_graded",
    "stock.not_enough",
}
acts = st.one_of(
    st.tuples(st.just("receive"), st.integers(1, 5), st.integers(0, 5)),
    st.tuples(st.just("take back"), st.integers(0, 40), st.just(0)),
    st.tuples(st.just("correct"), st.integers(0, 40), st.integers(0, 9)),
    st.tuples(st.just("report"), st.integers(1, 9), st.integers(0, 3)),
)


class AnyOrder(TestCase):
    """A process whose output is graded, with a ring beside it, at standards that don't divide evenly."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = shop = Shop()
        mirror_cell.define(shop)
        shop.do("receive-material", lines=[{"item": "AP-20", "quantity": "9000", "price": "6.80", "place": "STORE"}])  # fmt: skip
        for code in ("GLASS", "GLASS-A", "GLASS-B", "RING"):
            shop.do("define-item", code=code, name=code, unit="pcs", source="make", standard_lot="7")  # fmt: skip
        shop.do(
            "draft-structure",
            item="GLASS",
            operations=[{"number": 10, "name": "Grind", "work_center": "MILL", "yield_share": "0.7", "run_machine_hours": "0.333333"}],
            components=[{"item": "AP-20", "operation": 10, "quantity": "0.337"}],
            outputs=[{"item": "RING", "operation": 10, "quantity": "1", "kind": "co-product", "weight": "3"}],
            share_rule="relative sales value",
            main_weight="7",
            grades=[
                {"item": "GLASS-A", "share": "0.7", "weight": "3"},
                {"item": "GLASS-B", "share": "0.3", "weight": "2"},
            ],
        )  # fmt: skip
        shop.do("approve-structure", item="GLASS")
        shop.do("freeze-standard")

    @settings(max_examples=30, suppress_health_check=[HealthCheck.too_slow])
    @given(st.lists(acts, min_size=3, max_size=14))
    def test_never_ends_in_a_refusal_to_balance(self, sequence: list[tuple[str, int, int]]) -> None:
        order = mirror_cell.plan(self.shop, "GLASS", "60")
        self.shop.do("release-order", order=order)
        self.shop.do("report", order=order, operation=10, good="20", by_products=[{"item": "RING", "quantity": "9"}])  # fmt: skip
        for kind, first, second in sequence:
            for name, wanted in self.commands(order, kind, first, second):
                self.attempt(name, wanted)
                self.assertEqual(differences(), [])
        found = Order.objects.get(number=order)
        credited = sum(b.credited for b in WipBalance.objects.filter(cost_object=found.pk))
        self.assertEqual(found.received_value, credited)
        graded = OrderGrade.objects.filter(order=found)
        self.assertEqual(found.received_value, sum(g.received_value for g in graded))

    def commands(self, order: int, kind: str, first: int, second: int) -> list[tuple[str, dict[str, Any]]]:  # fmt: skip
        """Return the commands of a drawn act."""
        if kind == "receive":
            grades = [
                {"item": item, "quantity": str(q)}
                for item, q in (("GLASS-A", first), ("GLASS-B", second))
                if q
            ]
            return [("receive", {"order": order, "quantity": str(first + second), "grades": grades})]  # fmt: skip
        report = {"order": order, "operation": 10, "good": str(first if kind == "report" else second), "by_products": [{"item": "RING", "quantity": str(second + 1)}]}  # fmt: skip
        if kind == "report":
            return [("report", report)]
        postings = list(Posting.objects.filter(cost_object__number=order).order_by("pk").values_list("pk", flat=True))  # fmt: skip
        posting = postings[first % len(postings)]
        if kind == "take back":
            return [("take-back", {"posting": posting})]
        return [("correct-report", {"posting": posting, "report": report})]

    def attempt(self, name: str, wanted: dict[str, Any]) -> None:
        try:
            with transaction.atomic():
                self.shop.do(name, **wanted)
        except DomainError as refusal:
            self.assertIn(refusal.code, ALLOWED_REFUSALS, refusal)


class OneCent(DjangoTestCase):
    """The shortest way to a cent's difference, by hand."""

    def test_receipts_after_one_was_taken_back_still_balance(self) -> None:
        """A standard of 53.403684: 53.40, then 53.41; without the first, two more come to 53.40 and 53.41."""
        shop = Shop()
        mirror_cell.define(shop)
        mirror_cell.supply(shop)
        order = mirror_cell.plan(shop, "MA-200", "40")
        for name, wanted in mirror_cell.steps(order)[:5]:
            shop.do(name, **wanted)
        first = shop.do("receive", order=order, quantity="1")
        shop.do("receive", order=order, quantity="1")
        shop.do("take-back", posting=first.postings[0])

        values = [Order.objects.get(number=order).received_value]
        for _ in range(2):
            shop.do("receive", order=order, quantity="1")
            values.append(Order.objects.get(number=order).received_value)

        self.assertEqual([str(v) for v in values], ["53.41", "106.81", "160.21"])
        self.assertEqual(differences(), [])


class ReceivedWithAReport(DjangoTestCase):
    """What follows from a report is worked out by the server."""

    def setUp(self) -> None:
        self.shop = Shop()
        mirror_cell.define(self.shop)
        mirror_cell.supply(self.shop)
        self.order = mirror_cell.plan(self.shop, "MA-200", "6")
        for name, wanted in (
            ("release-order", {}),
            ("issue-material", {"lines": [{"operation": 10, "item": "AP-20", "quantity": "20"}]}),
            ("report", {"operation": 10, "good": "6"}),
        ):
            self.shop.do(name, order=self.order, **wanted)

    def report(self, good: str, **more: Any) -> Any:
        return self.shop.do("report", order=self.order, operation=20, good=good, **more)

    def state(self) -> tuple[Decimal, str]:
        found = Order.objects.get(number=self.order)
        return found.received, found.state

    def test_all_that_is_good_is_received_and_completes_the_order_only_with_the_last(self) -> None:
        both = {"receive": "ready", "complete": "when received"}
        self.report("2", receive="1")
        self.report("3", **both)
        self.assertEqual(self.state(), (5, "started"))
        self.report("1", **both)
        self.assertEqual(self.state(), (6, "completed"))
        self.assertEqual(differences(), [])

    def test_a_posting_tells_what_its_act_received_so_that_a_correction_offers_it_again(self) -> None:  # fmt: skip
        posting = self.report("6", receive="ready", complete="when received").postings[0]
        caller = Caller(make_person())

        told = caller.get(f"postings/{posting}")

        self.assertEqual(told["act_received"], [{"item": "MA-200", "quantity": "6.000000"}])
        self.assertEqual(Decimal(told["act_received_quantity"]), 6)
        self.assertTrue(told["act_completes"])
        right = {
            "order": self.order,
            "operation": 20,
            "good": "5",
            "receive": "5",
            "complete": True,
        }
        caller.must("correct-report", {"posting": posting, "report": right})
        self.assertEqual(self.state(), (5, "completed"))
        self.assertEqual(differences(), [])

    def test_a_second_setup_is_granted_and_taken_back_with_its_report(self) -> None:
        """Set up twice for an hour at 24 and at 40: 128 by the standard, 64 of it order size."""
        order = mirror_cell.plan(self.shop, "MA-200", "6")
        self.shop.do("release-order", order=order)
        self.shop.do("report", order=order, operation=10, good="2")
        second = self.shop.do("report", order=order, operation=10, good="2", times_set_up=1)
        caller = Caller(make_person())

        def setups() -> tuple[int, int, str]:
            shown = caller.get(f"orders/{order}")
            used = next(i["used"] for i in shown["inputs"] if i["kind"] == "setup machine")
            o = shown["operations"][0]
            return Decimal(o["times_set_up"]), o["setups_due"], used

        self.assertEqual(setups(), (2, 0, "2.000000"))
        causes = {c["kind"] for c in caller.get(f"orders/{order}/bridge")["causes"]}
        self.assertNotIn("setup", causes)
        self.shop.do("take-back", posting=second.postings[0])
        self.assertEqual(setups(), (1, 0, "1.000000"))
        self.assertEqual(differences(), [])

    def test_who_reports_too_much_is_told_how_many_are_left(self) -> None:
        self.report("2")
        with self.assertRaisesMessage(DomainError, "Report 4 pieces or fewer here"):
            self.report("7")
