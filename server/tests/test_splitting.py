"""One order made two and two made one: what they need, keep and cost together stays what it was."""

from datetime import date
from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from poietic.ledger.models import Reservation
from poietic.ledger.verify import differences
from poietic.orders.models import Order, OrderInput, OrderOperation

from .test_picking import AnyWorks, PickingTest, receive


class SplittingTest(PickingTest):
    """Cells of 2.4 kg of plate, nine pads and two pads in lots each."""

    def split(self, order: int, quantity: str, **more: Any) -> int:
        return int(self.must("split-order", order=order, quantity=quantity, **more)["made"]["order"])  # fmt: skip

    def needs(self, order: int) -> dict[str, Decimal]:
        rows = OrderInput.objects.filter(order__number=order, kind="component")
        return {i.item.code: i.need for i in rows.select_related("item") if i.item}

    def quantities(self, *orders: int) -> list[int]:
        return [int(Order.objects.get(number=n).quantity) for n in orders]


class Split(SplittingTest):
    """Before anything has begun."""

    def test_a_released_order_shares_its_needs_and_what_is_kept(self) -> None:
        order = self.order("8")
        other = self.split(order, "3", due="2027-03-01")
        self.assertEqual(self.quantities(order, other), [5, 3])
        self.assertEqual(self.needs(other), {"AP-20": Decimal("7.2"), "PAD-3": 27, "PAD-L": 6})
        self.assertEqual(self.kept(other, "AP-20"), {"STORE": "7.2"})
        self.assertEqual(self.kept(order, "PAD-3"), {"STORE": "45"})
        self.assertEqual(self.kept(other, "PAD-3"), {"STORE": "27"})
        found = Order.objects.get(number=other)
        first = Order.objects.get(number=order)
        self.assertEqual((found.state, found.due), ("released", date(2027, 3, 1)))
        self.assertEqual((found.standard_id, found.revision_id), (first.standard_id, first.revision_id))  # fmt: skip

    def test_what_was_changed_for_it_alone_goes_with_both(self) -> None:
        order = self.order("8")
        self.must("change-component", order=order, operation=20, item="PAD-3", quantity="10", reason="x")  # fmt: skip
        self.must("move-operation", order=order, operation=10, work_center="LATHE", reason="x")
        other = self.split(order, "3")
        self.assertEqual(self.needs(other)["PAD-3"], 30)
        centers = OrderOperation.objects.filter(order__number=other)
        self.assertEqual([o.work_center.code for o in centers], ["LATHE", "ASSY"])

    def test_planned_and_firm_orders_are_split_as_they_are(self) -> None:
        planned, firm = self.order("8", release=False), self.order("8", release=False)
        self.must("make-firm", order=firm)
        for order, state in ((planned, "planned"), (firm, "firm")):
            other = self.split(order, "2")
            self.assertEqual(Order.objects.get(number=other).state, state)
            self.assertEqual(self.quantities(order, other), [6, 2])

    def test_both_are_made_and_together_vary_as_the_whole_would(self) -> None:
        order = self.order("8")
        other = self.split(order, "3")
        total = Decimal(0)
        for number, good in ((order, "5"), (other, "3")):
            for line in ({"operation": 20, "item": "PAD-3", "quantity": str(int(good) * 9 + 1)}, {"operation": 20, "item": "PAD-L", "quantity": str(int(good) * 2)}):  # fmt: skip
                self.must("issue-material", order=number, lines=[line])
            self.must("report", order=number, operation=10, good=good)
            self.must("report", order=number, operation=20, good=good, receive=good)
            self.must("complete-order", order=number, leftovers="charge")
            total += sum(self.caller.causes(number).values())
        # moving average 2.00 for what stands at 0.42, 0.50 and 6.50, and one pad more for each order
        price = 74 * Decimal("1.58") + 16 * Decimal("1.50") + Decimal("19.2") * Decimal("-4.50")
        self.assertEqual(total, price + 2 * Decimal("0.42"))

    def test_all_of_it_is_no_split(self) -> None:
        whole = self.order("8")
        self.refused("input.invalid", "split-order", order=whole, quantity="8")


class Merged(SplittingTest):
    """Two of a kind."""

    def test_the_one_makes_all_and_keeps_what_was_kept_for_both(self) -> None:
        one, other = self.order("5"), self.order("3")
        self.must("merge-orders", order=other, into=one)
        self.assertEqual(self.quantities(one), [8])
        self.assertEqual(Order.objects.get(number=other).state, "cancelled")
        self.assertEqual(self.needs(one)["PAD-3"], 72)
        self.assertEqual(self.kept(one, "PAD-3"), {"STORE": "72"})
        self.assertEqual(self.kept(other, "PAD-3"), {})

    def test_only_of_one_kind(self) -> None:
        one, other = self.order("5"), self.order("3")
        planned = self.order("3", release=False)
        said = self.refused("order.not_of_one_kind", "merge-orders", order=planned, into=one)
        self.assertIn("their states", said["detail"])
        self.must("drop-component", order=other, operation=20, item="PAD-3", reason="x")
        said = self.refused("order.not_of_one_kind", "merge-orders", order=other, into=one)
        self.assertIn("changed for one of them only", said["detail"])
        self.refused("input.invalid", "merge-orders", order=one, into=one)


class ThereAndBack(AnyWorks):
    """Split any way and merged again, an order needs and keeps what it did."""

    @settings(max_examples=8, deadline=None)
    @given(st.lists(st.integers(1, 4), min_size=1, max_size=3), st.booleans())
    def test_as_it_was(self, parts: list[int], is_short: bool) -> None:
        shop, caller = self.shop, self.caller
        receive(shop, "PAD-3", "40" if is_short else "300")
        receive(shop, "PAD-L", "60", lot="ONE")
        made = caller.must("plan-order", {"item": "MA-200", "quantity": "13", "due": "2027-02-01", "supply_place": "STORE", "receipt_place": "STORE"})  # fmt: skip
        order = int(made["made"]["order"])
        caller.must("release-order", {"order": order})
        before = self.picture(order)
        others = [int(caller.must("split-order", {"order": order, "quantity": str(n)})["made"]["order"]) for n in parts]  # fmt: skip
        whole = Order.objects.exclude(state="cancelled").filter(item__code="MA-200")
        self.assertEqual(sum(o.quantity for o in whole), 13)
        for other in others:
            caller.must("merge-orders", {"order": other, "into": order})
        self.assertEqual(self.picture(order), before)
        self.assertEqual(differences(), [])

    def picture(self, order: int) -> list[tuple[Any, ...]]:
        """Return what an order needs and keeps."""
        needs = OrderInput.objects.filter(order__number=order).order_by("pk").values_list("operation", "kind", "item", "need", "still")  # fmt: skip
        kept = Reservation.objects.filter(cost_object__number=order).values_list("operation", "item", "place", "lot", "quantity")  # fmt: skip
        return [*needs, *sorted(kept, key=str)]
