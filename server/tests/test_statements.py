"""How many statements a command takes: as many for six lines as for one."""

from typing import Any

from django.db import connection, transaction
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop

from . import tracked


class Commands(TestCase):
    """The same command with one line and with six, each after one that was alike."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        for code in tracked.BOUGHT:
            tracked.receive(cls.shop, code, "60", "10")
        for item, rule in (("ONE", "by hand"), ("SIX", "by hand"), ("ONE-B", "at operation"), ("SIX-B", "at operation")):  # fmt: skip
            cls.shop.do("define-item", code=item, name=item, unit="pcs", source="make", standard_lot="9")  # fmt: skip
            parts = [*tracked.BOUGHT][: 1 if item.startswith("ONE") else 2]
            mirror_cell.structure(
                cls.shop,
                item,
                [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.2"}],
                [{"item": code, "operation": 10, "quantity": "1", "issue_rule": rule} for code in parts],
            )  # fmt: skip
        cls.shop.do("freeze-standard")

    def count(self, name: str, **given: Any) -> int:
        """Return how many statements a command takes the second time."""
        counted = 0
        for _ in range(2):
            with transaction.atomic(), CaptureQueriesContext(connection) as statements:
                self.shop.do(name, **given)
                transaction.set_rollback(True)
            counted = len(statements)
        return counted

    def order(self, item: str) -> int:
        """Return a released order."""
        number = mirror_cell.plan(self.shop, item, "9")
        self.shop.do("release-order", order=number)
        return number

    def test_material_comes_in_by_the_delivery_not_by_the_line(self) -> None:
        def lines(codes: list[str]) -> list[dict[str, str]]:
            return [{"item": c, "quantity": "2", "price": "1", "place": "STORE"} for c in codes]

        one = self.count("receive-material", lines=lines(["LAYERED"]))
        two = self.count("receive-material", lines=lines(["LAYERED", "AVERAGE"]))

        self.assertEqual(one, two)

    def test_an_issue_takes_as_many_for_two_lines_as_for_one(self) -> None:
        counts = []
        for item, codes in (("ONE", ["AVERAGE"]), ("SIX", ["AVERAGE", "LAYERED"])):
            order = self.order(item)
            lines = [{"operation": 10, "item": c, "quantity": "1"} for c in codes]
            counts.append(self.count("issue-material", order=order, lines=lines))

        # the second line's item is valued by layers: reading, changing and noting them
        self.assertLessEqual(counts[1] - counts[0], 4)
        self.assertLess(counts[0], 42)

    def test_a_report_with_backflush_and_receipt_is_bounded(self) -> None:
        counts = [
            self.count("report", order=self.order(item), operation=10, good="1", receive="1")
            for item in ("ONE-B", "SIX-B")
        ]

        self.assertLessEqual(counts[1] - counts[0], 4)
        self.assertLess(counts[0], 45)

    def test_serials_are_received_in_as_many_statements_as_one(self) -> None:
        order = tracked.running_order(self.shop, "20")
        for code in tracked.BOUGHT:
            tracked.move(self.shop, "issue", order, code, "40")
        one = self.count("report", order=order, operation=10, good="1", receive="1")
        twenty = self.count("report", order=order, operation=10, good="20", receive="20")

        self.assertEqual(twenty, one)
