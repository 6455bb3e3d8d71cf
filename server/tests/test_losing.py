"""Pieces are lost: material for as many more is released, or fewer are made; nothing else moves."""

from decimal import Decimal
from typing import Any

from poietic.ledger.models import WipBalance
from poietic.orders.models import Order, OrderInput, OrderOperation

from .test_picking import PickingTest


class LosingTest(PickingTest):
    """Eight cells of 2.4 kg of plate at operation 10, nine pads and two in lots at operation 20."""

    def setUp(self) -> None:
        self.must("define-reason", code="SPLIT", name="Split edge")
        self.number = self.order("8")

    def report(self, operation: int, good: int, scrap: int = 0, **more: Any) -> Any:
        lost = [{"reason": "SPLIT", "quantity": str(scrap)}] if scrap else []
        return self.must("report", order=self.number, operation=operation, good=str(good), scrap=lost, **more)  # fmt: skip

    def needs(self) -> dict[str, Decimal]:
        rows = OrderInput.objects.filter(order__number=self.number, kind="component")
        return {i.item.code: i.need for i in rows.select_related("item") if i.item}

    def due(self) -> dict[int, int]:
        rows = OrderOperation.objects.filter(order__number=self.number)
        return {o.number: int(o.units_due) for o in rows}


class Replenished(LosingTest):
    """The order keeps its quantity."""

    def test_as_many_more_as_were_lost_at_the_operation_and_before_it(self) -> None:
        self.report(10, 6, 2)
        self.assertEqual(self.needs()["AP-20"], Decimal("19.2"))
        self.assertEqual(Decimal(self.caller.get(f"orders/{self.number}")["lost_beyond"]), 2)
        self.must("replenish-order", order=self.number)
        self.assertEqual(Decimal(self.caller.get(f"orders/{self.number}")["lost_beyond"]), 0)
        # two more enter operation 10, by hand: 10 × 2.4; at 20 eight are still enough
        self.assertEqual(self.needs(), {"AP-20": 24, "PAD-3": 72, "PAD-L": 16})
        self.assertEqual(self.due(), {10: 2, 20: 6})
        self.assertEqual(self.kept(self.number, "AP-20"), {"STORE": "4.8"})

    def test_lost_late_everything_before_is_made_again(self) -> None:
        self.report(10, 8)
        said = self.report(20, 5, 1, then="replenish")
        self.assertEqual(self.needs(), {"AP-20": Decimal("21.6"), "PAD-3": 81, "PAD-L": 18})
        told = {f["field"]: (f["before"], f["after"]) for f in said["consequences"]["fields"]}
        self.assertEqual(told["need of PAD-3 [pcs]"], ("72", "81"))
        enter = OrderOperation.objects.filter(order__number=self.number).values_list("entering", flat=True)  # fmt: skip
        self.assertEqual(set(enter), {9})

    def test_its_need_says_why_it_is_more(self) -> None:
        self.report(10, 6, 2, then="replenish")
        row = OrderInput.objects.get(order__number=self.number, item__code="AP-20")
        why = self.caller.get(f"orders/{self.number}/inputs/{row.pk}/need")
        self.assertEqual(Decimal(why[0]["value"]), 24)
        self.assertIn("in the place of what was lost", [r["label"] for r in why])

    def test_once_the_loss_is_taken_back_it_needs_no_more(self) -> None:
        posted = self.report(10, 6, 2, then="replenish")["postings"][0]
        self.must("take-back", posting=posted)
        self.must("replenish-order", order=self.number)
        self.assertEqual(self.needs()["AP-20"], Decimal("19.2"))
        self.assertEqual(self.kept(self.number, "AP-20"), {"STORE": "19.2"})

    def test_what_the_yield_expects_needs_no_more(self) -> None:
        self.must("change-operation", order=self.number, operation=10, yield_share="0.8", reason="old bar")  # fmt: skip
        self.report(10, 8, 2, then="replenish")
        self.assertEqual(self.needs()["AP-20"], 24)


class AcceptedLess(LosingTest):
    """The order makes what its material is enough for."""

    def test_fewer_by_what_was_lost(self) -> None:
        self.report(10, 6, 2, then="accept less")
        self.assertEqual(Order.objects.get(number=self.number).quantity, 6)
        # what was spoilt keeps its plate; pads for six alone
        self.assertEqual(self.needs(), {"AP-20": Decimal("19.2"), "PAD-3": 54, "PAD-L": 12})
        self.assertEqual(self.kept(self.number, "PAD-3"), {"STORE": "54"})
        self.assertEqual(self.due(), {10: 0, 20: 6})

    def test_it_is_made_and_closed_with_its_variance(self) -> None:
        self.report(10, 6, 2)
        self.must("accept-less", order=self.number)
        self.must("issue-material", order=self.number, lines=[{"operation": 20, "item": i, "quantity": q} for i, q in (("PAD-3", "54"), ("PAD-L", "12"))])  # fmt: skip
        self.report(20, 6, receive="ready", complete="when received")
        self.must("close-order", order=self.number)
        self.assertFalse(WipBalance.objects.exclude(amount=0).exists())
        # two spoilt: 2 × (15.60 + 16.00)
        self.assertEqual(self.caller.causes(self.number)["yield"], Decimal("63.20"))

    def test_nothing_to_accept_changes_nothing(self) -> None:
        self.report(10, 8)
        said = self.must("accept-less", order=self.number)
        self.assertEqual(said["consequences"]["fields"], [])

    def test_where_all_is_lost_there_is_nothing_to_make(self) -> None:
        self.report(10, 0, 8)
        said = self.refused("order.nothing_left", "accept-less", order=self.number)
        self.assertIn("Replenish it, or unwind it.", said["fix"])


class FewerThanOrdered(LosingTest):
    """Eight are ordered; fewer are complete within the tolerance, or with a reason."""

    def made(self, good: int, **more: Any) -> dict[str, Any]:
        self.report(10, good)
        return {"order": self.number, "operation": 20, "good": str(good), "receive": str(good), "complete": True, **more}  # fmt: skip

    def test_beyond_the_tolerance_somebody_says_why(self) -> None:
        self.must("change-item", code="MA-200", under_receipt="0.1")
        given = self.made(7)
        said = self.refused("order.less_than_ordered", "report", **given)
        self.assertIn("At least 8 pcs", said["detail"])
        self.must("report", **given, reason="a plate was short")
        self.assertEqual(Order.objects.get(number=self.number).state, "completed")

    def test_within_it_nobody_asks_nor_where_there_is_none(self) -> None:
        self.must("change-item", code="MA-200", under_receipt="0.125")
        self.must("report", **self.made(7))
        other = self.order("8")
        self.must("change-item", code="MA-200", under_receipt="0")
        self.number = other
        self.refused("order.less_than_ordered", "report", **self.made(7))


class MoreThanOrdered(LosingTest):
    """Eight are ordered; more come within the tolerance, or with a reason."""

    def setUp(self) -> None:
        super().setUp()
        self.must("change-operation", order=self.number, operation=10, yield_share="0.8", reason="old bar")  # fmt: skip
        self.report(10, 10)

    def test_not_one_more_without_a_reason(self) -> None:
        lines = {"order": self.number, "operation": 20, "good": "9"}
        said = self.refused("order.more_than_ordered", "report", **lines)
        self.assertIn("8 are ordered, and up to 8 may come", said["detail"])
        self.must("report", **lines, reason="the bar gave nine")
        self.refused("order.more_than_ordered", "receive", order=self.number, quantity="9")
        self.must("receive", order=self.number, quantity="9", reason="the bar gave nine")

    def test_within_the_tolerance_nobody_asks(self) -> None:
        self.must("change-item", code="MA-200", over_receipt="0.2")
        self.report(20, 9, receive="ready")
        self.assertEqual(Order.objects.get(number=self.number).received, 9)
        self.refused("order.more_than_ordered", "report", order=self.number, operation=20, good="1")
