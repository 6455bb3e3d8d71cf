"""Chips weighed once for all orders that were milled."""

from decimal import Decimal
from typing import Any

from poietic.demo import mirror_cell
from poietic.orders.models import OrderInput

from .test_picking import PickingTest


class Weighed(PickingTest):
    """Cells of which each should give 0.4 kg of chips when it is milled."""

    def setUp(self) -> None:
        mirror_cell.structure(
            self.shop,
            "MA-200",
            [
                {"number": 10, "name": "Mill cell", "work_center": "MILL", **mirror_cell.MILL_HOURS},
                {"number": 20, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"},
            ],
            [{"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at operation"}],
            [{"item": "SW-AL", "operation": 10, "quantity": "0.4"}],
        )  # fmt: skip
        self.shop.do("freeze-standard")
        self.one, self.two, self.idle = self.order("4"), self.order("8"), self.order("3")

    def weigh(self, quantity: str, **more: Any) -> Any:
        return self.must("weigh-by-product", item="SW-AL", quantity=quantity, **more)

    def given(self) -> list[Decimal]:
        rows = OrderInput.objects.filter(kind="by-product", item__code="SW-AL").order_by("order__number")  # fmt: skip
        return [i.used for i in rows]

    def test_it_is_shared_by_what_each_should_have_given_since(self) -> None:
        self.must("report", order=self.one, operation=10, good="2")
        self.must("report", order=self.two, operation=10, good="4")
        said = self.weigh("2.1")  # of 0.8 and 1.6 kg
        self.assertEqual(self.given(), [Decimal("0.7"), Decimal("1.4"), 0])
        told = [r["text"] for r in said["consequences"]["remarks"]]
        self.assertIn("0.7 kg of SW-AL, 0.8 by its standard", told)
        self.must("report", order=self.one, operation=10, good="2")
        self.weigh("1")  # only the one has milled since
        self.assertEqual(self.given(), [Decimal("1.7"), Decimal("1.4"), 0])

    def test_taken_back_from_one_order_it_counts_again(self) -> None:
        self.must("report", order=self.one, operation=10, good="2")
        posting = self.weigh("0.9")["postings"][0]
        self.must("take-back", posting=posting)
        self.must("report", order=self.two, operation=10, good="2")
        self.weigh("0.8")
        self.assertEqual(self.given(), [Decimal("0.4"), Decimal("0.4"), 0])

    def test_where_nobody_gave_any_it_is_refused(self) -> None:
        self.refused("order.nobody_gave", "weigh-by-product", item="SW-AL", quantity="1")
        self.must("report", order=self.one, operation=10, good="1")
        self.weigh("0.4")
        self.refused("order.nobody_gave", "weigh-by-product", item="SW-AL", quantity="1")
        self.refused("order.nobody_gave", "weigh-by-product", item="PAD-3", quantity="1")
        self.refused("input.not_found", "weigh-by-product", item="NOSUCH", quantity="1")
