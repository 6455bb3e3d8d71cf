"""Units taken out of an order that has begun: their work, material and money go along, and come back."""

from decimal import Decimal

from hypothesis import Phase, example, given, settings
from hypothesis import strategies as st
from poietic.demo import mirror_cell
from poietic.ledger.models import HandoverLine, Posting, WipBalance
from poietic.ledger.verify import differences
from poietic.orders.book import OrderBook
from poietic.orders.models import Order, OrderInput, OrderOperation
from poietic_core.structure.requirement import entering

from .test_picking import AnyWorks, receive
from .test_splitting import SplittingTest

CENT = Decimal("0.01")


#: causes unrounded, by kind, operation and input
Causes = dict[tuple[str, int, str], Decimal]


def causes(*orders: int) -> Causes:
    """Return the causes of orders together."""
    found: Causes = {}
    for number in orders:
        for c in OrderBook.read(number).variance().causes:
            key = (str(c.kind), c.operation, f"{c.code} {c.input}")
            found[key] = found.get(key, Decimal(0)) + c.amount.value
    return found


def assert_same(before: Causes, after: Causes, *, with_fixed: bool = True) -> None:
    """Assert that causes are the same to the cent."""
    for key in before.keys() | after.keys():
        if with_fixed or key[0] != "order size":
            apart = abs(before.get(key, Decimal(0)) - after.get(key, Decimal(0)))
            assert apart < CENT, (key, before.get(key), after.get(key))


def units(order: int) -> dict[int, tuple[int, int]]:
    """Return good and scrapped units by operation."""
    rows = OrderOperation.objects.filter(order__number=order)
    return {o.number: (int(o.good), int(o.scrap)) for o in rows}


class Begun(SplittingTest):
    """Eight cells of which six are milled and two assembled."""

    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        mirror_cell.structure(
            cls.shop,
            "MA-200",
            [
                {"number": 10, "name": "Mill cell", "work_center": "MILL", "setup_labour_hours": "1", "run_labour_hours": "0.5"},
                {"number": 20, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"},
            ],
            [
                {"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at operation"},
                {"item": "PAD-3", "operation": 20, "quantity": "9"},
                {"item": "PAD-L", "operation": 20, "quantity": "2"},
            ],
        )  # fmt: skip
        cls.shop.do("freeze-standard")

    def setUp(self) -> None:
        self.begun = self.order("8")
        self.must("report", order=self.begun, operation=10, good="6", setup_labour_hours="2", run_labour_hours="3")  # fmt: skip
        lines = [{"operation": 20, "item": "PAD-3", "quantity": "72"}, {"operation": 20, "item": "PAD-L", "quantity": "16"}]  # fmt: skip
        self.must("issue-material", order=self.begun, lines=lines)
        self.must("report", order=self.begun, operation=20, good="2")

    def used(self, order: int) -> dict[str, Decimal]:
        rows = OrderInput.objects.filter(order__number=order).select_related("item")
        return {i.item.code if i.item else f"{i.operation} {i.kind}": i.used for i in rows}

    def wip(self, *orders: int) -> Decimal:
        return sum((b.amount for b in WipBalance.objects.filter(cost_object__number__in=orders)), Decimal(0))  # fmt: skip

    def test_what_passed_an_operation_goes_with_its_work_and_material(self) -> None:
        before, wip = causes(self.begun), self.wip(self.begun)
        other = self.split(self.begun, "3", after=10)
        self.assertEqual(units(other), {10: (3, 0), 20: (0, 0)})
        self.assertEqual(units(self.begun), {10: (3, 0), 20: (2, 0)})
        mine, its = self.used(self.begun), self.used(other)
        # half of the three hours; of the setup 3 of the 8 ordered; of the plate 2.4 a piece
        self.assertEqual((mine["10 run labour"], its["10 run labour"]), (Decimal("1.5"),) * 2)
        self.assertEqual((mine["10 setup labour"], its["10 setup labour"]), (Decimal("1.25"), Decimal("0.75")))  # fmt: skip
        self.assertEqual((mine["AP-20"], its["AP-20"]), (Decimal("7.2"),) * 2)
        # pads issued for the three follow them, whole
        self.assertEqual((mine["PAD-3"], its["PAD-3"], its["PAD-L"]), (45, 27, 6))
        self.assertEqual(self.wip(self.begun, other), wip)
        assert_same(before, causes(self.begun, other))
        for number in (self.begun, other):
            self.assertEqual(Decimal(self.caller.get(f"orders/{number}")["lost_beyond"]), 0)

    def test_what_its_preview_said_is_posted_whatever_number_the_new_order_gets(self) -> None:
        given = {"order": self.begun, "quantity": "3", "after": 10}
        seen = [self.caller.preview("split-order", given)["seen"] for _ in range(2)][-1]
        self.caller.do("split-order", given, seen=seen)
        self.assertEqual(self.caller.status, 200)

    def test_both_go_on_and_close(self) -> None:
        other = self.split(self.begun, "3", after=10, due="2027-03-01")
        for number, good in ((other, "3"), (self.begun, "1")):
            self.must("report", order=number, operation=20, good=good)
        self.must("report", order=self.begun, operation=10, good="2")
        self.must(
            "report", order=self.begun, operation=20, good="2", receive="ready", complete=True
        )
        self.must("receive", order=other, quantity="3", complete=True)
        for number in (self.begun, other):
            self.must("close-order", order=number)
            self.assertEqual(self.wip(number), 0)
        self.assertEqual(self.used(other)["PAD-L"], 6)

    def test_material_that_went_along_can_go_back_to_stock_of_its_lots(self) -> None:
        other = self.split(self.begun, "3", after=10)
        lots = {h.lot.code: h.quantity for h in HandoverLine.objects.filter(posting__cost_object__number=other).select_related("lot") if h.lot}  # fmt: skip
        self.assertEqual(lots, {"SOONER": 6})
        back = {"operation": 20, "item": "PAD-L", "quantity": "4"}
        self.must("return-material", order=other, lines=[back])
        self.refused("order.more_than_issued", "return-material", order=other, lines=[back])

    def test_what_was_lost_keeps_its_cost_where_it_was_lost(self) -> None:
        self.must("report", order=self.begun, operation=10, scrap=[{"reason": "POROSITY", "quantity": "1"}], run_labour_hours="0")  # fmt: skip
        before = causes(self.begun)
        other = self.split(self.begun, "2", after=10)
        self.assertEqual(units(self.begun), {10: (4, 1), 20: (2, 0)})
        self.assertEqual(units(other), {10: (2, 0), 20: (0, 0)})
        self.assertFalse([k for k in causes(other) if k[0] == "yield"])
        assert_same(before, causes(self.begun, other))

    def test_merged_again_it_is_as_it_was(self) -> None:
        before, wip = causes(self.begun), self.wip(self.begun)
        used, needs, there = self.used(self.begun), self.needs(self.begun), units(self.begun)
        other = self.split(self.begun, "3", after=10)
        self.must("merge-orders", order=other, into=self.begun)
        self.assertEqual((self.used(self.begun), self.needs(self.begun), units(self.begun)), (used, needs, there))  # fmt: skip
        self.assertEqual(self.wip(self.begun), wip)
        self.assertEqual(WipBalance.objects.filter(cost_object__number=other).exclude(amount=0).count(), 0)  # fmt: skip
        assert_same(before, causes(self.begun))
        self.must("unwind", orders=[self.begun], to="released")
        self.assertEqual(units(self.begun), {10: (0, 0), 20: (0, 0)})

    def test_work_of_the_other_comes_along_with_scrap_rework_and_extra_cost(self) -> None:
        other = self.split(self.begun, "3", after=10)
        self.must("report", order=other, operation=20, good="1", scrap=[{"reason": "DROPPED", "quantity": "1"}], rework="1", run_labour_hours="1")  # fmt: skip
        self.must("report", order=other, operation=20, of_rework=True, good="1", run_labour_hours="2")  # fmt: skip
        self.must(
            "charge-extra", order=other, operation=20, amount="12.50", reason="tested outside"
        )
        before, wip = causes(self.begun, other), self.wip(self.begun, other)
        self.must("merge-orders", order=other, into=self.begun)
        self.assertEqual(units(self.begun), {10: (6, 0), 20: (4, 1)})
        self.assertEqual(self.wip(self.begun), wip)
        assert_same(before, causes(self.begun))

    def test_before_it_was_split_nothing_is_taken_back(self) -> None:
        posting = Posting.objects.filter(cost_object__number=self.begun, kind="report").latest("pk").pk  # fmt: skip
        other = self.split(self.begun, "3", after=10)
        said = self.refused("posting.shared_out", "take-back", posting=posting)
        self.assertIn(f"Merge order {other}", said["fix"])
        self.refused("posting.shared_out", "unwind", orders=[self.begun], to="released")
        split = Posting.objects.filter(kind="split").latest("pk").pk
        self.assertIn("Merge", self.refused("posting.not_reversible", "take-back", posting=split)["fix"])  # fmt: skip
        self.refused("order.came_from_another", "unwind", orders=[other], to="nothing")

    def test_only_what_stands_there_and_what_is_needed_goes(self) -> None:
        said = self.refused("order.not_standing_there", "split-order", order=self.begun, quantity="5", after=10, units="5")  # fmt: skip
        self.assertIn("4 are good there", said["detail"])
        self.refused("order.not_standing_there", "split-order", order=self.begun, quantity="3", after=20, units="3")  # fmt: skip
        self.refused("order.more_than_it_makes", "split-order", order=self.begun, quantity="2", after=10, units="3")  # fmt: skip
        self.refused(
            "order.less_than_done", "split-order", order=self.begun, quantity="7", after=10
        )
        self.refused("input.not_found", "split-order", order=self.begun, quantity="3", after=15)
        self.refused("input.invalid", "split-order", order=self.begun, quantity="3", units="2")
        planned = self.order("8", release=False)
        self.refused("input.invalid", "split-order", order=planned, quantity="3", after=10)

    def test_only_what_was_split_from_an_order_goes_back_into_it_and_nothing_received(self) -> None:
        stranger, other = self.order("3"), self.split(self.begun, "3", after=10)
        said = self.refused(
            "order.not_of_one_kind", "merge-orders", order=self.begun, into=stranger
        )
        self.assertIn("work done", said["detail"])
        self.must("report", order=other, operation=20, good="2", receive="2")
        self.refused("order.received_before", "merge-orders", order=other, into=self.begun)

    def test_the_part_that_has_not_begun_takes_only_material_that_is_left_over(self) -> None:
        before = causes(self.begun)
        other = self.split(self.begun, "2", due="2027-03-01")
        self.assertEqual(units(other), {10: (0, 0), 20: (0, 0)})
        self.assertEqual(self.used(other)["PAD-3"], 18)
        self.assertEqual(self.used(other)["AP-20"], 0)
        assert_same(before, causes(self.begun, other))

    def test_parts_released_go_along(self) -> None:
        receive(self.shop, "PAD-3", "100")
        order = self.order("6", release=False)
        self.must("release-part", order=order, quantity="4")
        self.must("report", order=order, operation=10, good="4")
        other = self.split(order, "3", after=10)
        found = Order.objects.get(number=other)
        self.assertTrue(found.is_in_parts)
        self.assertEqual([int(t.quantity) for t in found.tranches.all()], [3])
        self.assertEqual([int(t.quantity) for t in Order.objects.get(number=order).tranches.all()], [1])  # fmt: skip
        self.assertEqual(self.kept(other, "PAD-3"), {"STORE": "27"})
        self.assertEqual(self.kept(order, "PAD-3"), {"STORE": "9"})
        self.must("merge-orders", order=other, into=order)
        self.assertEqual(sum(t.quantity for t in Order.objects.get(number=order).tranches.all()), 4)
        self.assertEqual(self.kept(order, "PAD-3"), {"STORE": "36"})


reports = st.tuples(st.sampled_from([10, 20, 30]), st.integers(0, 5), st.integers(0, 2), st.integers(0, 1))  # fmt: skip


class AnySplit(AnyWorks):
    """An order whose operations lose some, reported, issued, received and split in any way."""

    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        mirror_cell.structure(
            cls.shop,
            "MA-200",
            [
                {"number": 10, "name": "Mill cell", "work_center": "MILL", "yield_share": "0.9", "setup_labour_hours": "1", "run_labour_hours": "0.5"},
                {"number": 20, "name": "Deburr", "work_center": "ASSY", "run_labour_hours": "0.1"},
                {"number": 30, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2", "yield_share": "0.8"},
            ],
            [
                {"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at operation"},
                {"item": "PAD-3", "operation": 30, "quantity": "9"},
                {"item": "PAD-L", "operation": 20, "quantity": "2"},
            ],
        )  # fmt: skip
        cls.shop.do("freeze-standard")

    @settings(max_examples=20, deadline=None, phases=[Phase.explicit, Phase.generate])
    @example(
        [(10, 5, 0, 0), (20, 3, 0, 0), (30, 0, 1, 0)], 52, (10, 8), []
    )  # no less stays than was worked in
    @given(
        st.lists(reports, min_size=1, max_size=5),
        st.integers(0, 90),
        st.tuples(st.sampled_from([10, 20, 30]), st.sampled_from([1, 4, 8])),
        st.lists(reports, max_size=2),
    )
    def test_together_they_cost_what_the_one_did(
        self,
        done: list[tuple[int, int, int, int]],
        pads: int,
        taken: tuple[int, int],
        since: list[tuple[int, int, int, int]],
    ) -> None:
        shop, caller = self.shop, self.caller
        for item, lot in (("AP-20", ""), ("PAD-3", ""), ("PAD-L", "ONE")):
            receive(shop, item, "200", lot=lot)
        order = int(caller.must("plan-order", {"item": "MA-200", "quantity": "10", "due": "2027-02-01", "supply_place": "STORE", "receipt_place": "STORE"})["made"]["order"])  # fmt: skip
        caller.must("release-order", {"order": order})
        lines = [{"operation": 30, "item": "PAD-3", "quantity": str(pads)}, {"operation": 20, "item": "PAD-L", "quantity": "7"}]  # fmt: skip
        caller.must("issue-material", {"order": order, "lines": [n for n in lines if n["quantity"] != "0"]})  # fmt: skip
        for given_ in done:
            self.report(order, *given_)
        before, wip = causes(order), self.wip(order)
        after, quantity = taken
        said = caller.do("split-order", {"order": order, "quantity": str(quantity), "after": after})
        if caller.status != 200:
            self.assertIn(said["code"], {"order.not_standing_there", "order.less_than_done"})
            return
        other = int(said["made"]["order"])
        self.assertEqual(differences(), [])
        self.assertEqual(self.wip(order) + self.wip(other), wip)
        assert_same(before, causes(order, other), with_fixed=self.within_plan(order, other))
        for given_ in since:
            self.report(other, *given_)
        if not Order.objects.get(number=other).received:
            before, is_within = causes(order, other), self.within_plan(order, other)
            charged = self.wip(order) + self.wip(other)
            caller.must("merge-orders", {"order": other, "into": order})
            self.assertEqual(differences(), [])
            self.assertEqual((self.wip(order), self.wip(other)), (charged, 0))
            if not since:  # else what the one has left makes up for what the other is short of
                assert_same(before, causes(order), with_fixed=is_within)

    def report(self, order: int, operation: int, good: int, scrap: int, received: int) -> None:
        """Report, if the flow allows it."""
        lost = [{"reason": "DROPPED", "quantity": str(scrap)}] if scrap else []
        given = {"order": order, "operation": operation, "good": str(good), "scrap": lost}
        if operation == 30:
            given["receive"] = str(min(received, good))
        self.caller.do("report", given)
        assert self.caller.status in (200, 409, 422)

    def within_plan(self, *orders: int) -> bool:
        """Tell whether no operation has worked on more than planned: more can't earn more of what is fixed."""
        books = [OrderBook.read(number) for number in orders]
        plans = [(b, entering(b.progress(), b.order.quantity)) for b in books]
        return all(o.processed <= plan[o.number].value for b, plan in plans for o in b.operations)

    def wip(self, order: int) -> Decimal:
        rows = WipBalance.objects.filter(cost_object__number=order)
        return sum((b.amount for b in rows), Decimal(0))
