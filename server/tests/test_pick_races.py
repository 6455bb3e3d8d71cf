"""People picking at one moment: the last piece goes to one, a line is taken once, parts add up."""

from typing import Any

from poietic.ledger.models import Reservation, StockBalance
from poietic.ledger.verify import differences
from poietic.orders.models import OrderInput, TrancheLine
from poietic.picking.models import PickLine

from .test_races import Acts, Racing


class Pickers(Racing):
    """Three people at the same shelf of plate."""

    def setUp(self) -> None:
        super().setUp()
        for code, walk in (("MILL-F", 20), ("ASSY-F", 30)):
            self.shop.do("define-place", code=code, name=code, kind="floor", walk_order=walk)
        self.shop.do("change-work-center", code="MILL", floor_place="MILL-F")
        self.shop.do("change-work-center", code="ASSY", floor_place="ASSY-F")
        self.shop.do("define-item", code="RING", name="Ring", unit="pcs", source="buy", price="3")
        self.shop.do("define-item", code="HOOD", name="Hood", unit="pcs", source="make")
        work = [{"number": 10, "name": "Fit", "work_center": "MILL", "run_labour_hours": "0.1"}]
        parts = [{"item": "RING", "operation": 10, "quantity": "1"}]
        self.shop.do("draft-structure", item="HOOD", operations=work, components=parts)
        self.shop.do("approve-structure", item="HOOD")
        self.shop.do("freeze-standard")

    def order(self, quantity: str, *, release: bool = True) -> int:
        """Return an order of hoods."""
        made = self.shop.do("plan-order", item="HOOD", quantity=quantity, due="2027-02-01", supply_place="STORE", receipt_place="STORE").made  # fmt: skip
        if release:
            self.shop.do("release-order", order=int(made["order"]))
        return int(made["order"])

    def receive(self, quantity: str) -> None:
        line = {"item": "RING", "quantity": quantity, "price": "3", "place": "STORE"}
        self.shop.do("receive-material", lines=[line])

    def listed(self, order: int) -> int:
        """Return the one line of a pick list for an order."""
        made = self.shop.do("make-pick-list", orders=[{"order": order}]).made
        return PickLine.objects.get(pick_list=made["pick list"]).pk

    def test_the_last_piece_goes_to_the_picker_or_to_who_scraps_it(self) -> None:
        self.shop.do("define-reason", code="BENT", name="Bent")

        def acts(n: int) -> Acts:
            self.receive("1")
            line = self.listed(self.order("1"))
            scrap = {"item": "RING", "quantity": "1", "place": "STORE", "why": "BENT"}
            return [("pick", {"line": line, "quantity": "1"}), ("scrap-stock", scrap)]

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            codes = sorted(a.get("code", "done") for a in answers)
            self.assertEqual(codes, ["done", "stock.not_enough"], answers)
            for b in StockBalance.objects.filter(item__code="RING", place__code="MILL-F"):
                kept = Reservation.objects.filter(item__code="RING", place__code="MILL-F")
                self.assertEqual(b.quantity, sum(r.quantity for r in kept))

        self.repeat(acts, check)
        self.assertEqual(differences(), [])

    def test_a_line_is_taken_once(self) -> None:
        def acts(n: int) -> Acts:
            self.receive("2")
            line = self.listed(self.order("2"))
            return [("pick", {"line": line, "quantity": "2"})] * 3

        self.repeat(acts, self.one_each("pick.done"))

    def test_two_lists_for_one_order_don_t_hold_the_same_pieces(self) -> None:
        def acts(n: int) -> Acts:
            self.receive("3")
            order = self.order("3")
            return [("make-pick-list", {"orders": [{"order": order}]})] * 2

        self.repeat(acts, self.one_each("pick.nothing"))

    def test_parts_released_at_one_moment_are_no_more_than_the_order(self) -> None:
        def acts(n: int) -> Acts:
            self.receive("5")
            order = self.order("5", release=False)
            return [("release-part", {"order": order, "quantity": "3"})] * 3

        def check(n: int, answers: list[dict[str, Any]]) -> None:
            codes = sorted(a.get("code", "done") for a in answers)
            self.assertEqual(
                codes, ["done", "order.more_than_left", "order.more_than_left"], answers
            )
            for i in OrderInput.objects.filter(item__code="RING"):
                released = TrancheLine.objects.filter(input=i)
                self.assertLessEqual(sum(t.quantity for t in released), i.need)

        self.repeat(acts, check)
        self.assertEqual(differences(), [])
