"""Lots, layers and reservations touched at one moment: each answered, numbered once, nothing twice."""

from typing import Any

from poietic.ledger.models import Layer, Lot, Reservation, StockBalance
from poietic.ledger.verify import differences

from . import tracked
from .test_races import Acts, Racing


class Lots(Racing):
    """Three people at the same lots."""

    def setUp(self) -> None:
        super().setUp()
        for name in ("LAYERED", "GLASS", "CAMERA"):
            tracking, _ = tracked.BOUGHT[name]
            self.shop.do(
                "define-item",
                code=name,
                name=name,
                unit="pcs",
                source="buy",
                price="10",
                tracking=tracking,
                number_rule="" if tracking == "none" else name[:2] + "{number}",
            )
        tracked.mirror_cell.structure(
            self.shop,
            "MA-200",
            [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.1"}],
            [{"item": name, "operation": 10, "quantity": "1"} for name in ("LAYERED", "GLASS", "CAMERA")],
        )  # fmt: skip
        self.shop.do("freeze-standard")
        self.shop.do("change-valuation", item="LAYERED", valuation="FIFO layers")
        self.orders = [self.released("9") for _ in range(3)]

    def issue(self, n: int, item: str, *lots: str) -> tuple[str, dict[str, Any]]:
        """Return an issue of one piece to the n-th order."""
        named = [{"lot": lot, "quantity": "1"} for lot in lots]
        line = {"operation": 10, "item": item, "quantity": "1", "lots": named}
        return "issue-material", {"order": self.orders[n], "lines": [line]}

    def test_the_last_piece_of_a_lot_goes_to_one(self) -> None:
        def acts(n: int) -> Acts:
            tracked.receive(self.shop, "GLASS", "1", "1", {"lot": f"L{n}", "quantity": "1"})
            return [self.issue(k, "GLASS", f"L{n}") for k in range(3)]

        self.repeat(acts, self.one_each("stock.not_enough"))

    def test_a_serial_is_in_one_place(self) -> None:
        def acts(n: int) -> Acts:
            line = {"item": "CAMERA", "quantity": "1", "price": "1", "place": "STORE", "lots": [{"lot": f"S{n}", "quantity": "1"}]}  # fmt: skip
            return [("receive-material", {"lines": [line]})] * 3

        self.repeat(acts, self.one_each("lot.already_there"))

    def test_numbers_are_given_once_and_without_a_gap(self) -> None:
        def acts(n: int) -> Acts:
            line = {"item": "CAMERA", "quantity": "2", "price": "1", "place": "STORE"}
            return [("receive-material", {"lines": [line]})] * 3

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            self.assertEqual([a["status"] for a in answers], [200] * 3, answers)
            codes = {lot.code for lot in Lot.objects.filter(item__code="CAMERA")}
            self.assertEqual(codes, {f"CA{k}" for k in range(1, 6 * (n + 1) + 1)})

        self.repeat(acts, check)

    def test_the_oldest_layer_is_taken_once(self) -> None:
        def acts(n: int) -> Acts:
            for price in ("5", "7", "9"):
                tracked.receive(self.shop, "LAYERED", "1", price)
            return [self.issue(k, "LAYERED") for k in range(3)]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            self.assertEqual([a["status"] for a in answers], [200] * 3, answers)
            self.assertFalse(Layer.objects.filter(quantity_left__gt=0).exists())

        self.repeat(acts, check)

    def test_a_piece_is_reserved_for_one_order(self) -> None:
        def acts(n: int) -> Acts:
            tracked.receive(self.shop, "GLASS", "2", "1")
            planned = [tracked.mirror_cell.plan(self.shop, "MA-200", "2") for _ in range(2)]
            return [("release-order", {"order": number}) for number in planned]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            self.assertEqual([a["status"] for a in answers], [200] * 2, answers)
            there = StockBalance.objects.filter(item__code="GLASS")
            held = Reservation.objects.filter(item__code="GLASS")
            self.assertEqual(sum(r.quantity for r in held), sum(b.quantity for b in there))

        self.repeat(acts, check)

    def test_a_receipt_is_taken_back_while_its_layer_is_used(self) -> None:
        def acts(n: int) -> Acts:
            posting = tracked.receive(self.shop, "LAYERED", "1", "5").postings[0]
            return [("take-back", {"posting": posting}), self.issue(0, "LAYERED")]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            codes = [a.get("code", "done") for a in answers]
            self.assertIn(codes, [["done", "stock.not_enough"], ["stock.layer_used", "done"], ["stock.not_enough", "done"]])  # fmt: skip

        self.repeat(acts, check)
        self.assertEqual(differences(), [])
