"""The life of an order that runs: held, changed, kept, finished short, unwound, and all of it told."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.utils import timezone
from hypothesis import example, given, settings
from hypothesis import strategies as st
from poietic.ledger.models import Holding, Layer, Posting, Reservation, StockBalance, WipBalance
from poietic.ledger.verify import differences
from poietic.orders.models import Order, OrderInput, OrderOperation, Standing, StoredAttention
from poietic.orders.standing import stand_all
from poietic.picking.models import PickLine, PickTake

from .client import Caller, make_person
from .test_picking import AnyWorks, PickingTest, receive


class LifeTest(PickingTest):
    """Cells of 2.4 kg of plate at operation 10 (at the report), nine pads and two pads in lots at 20."""

    def state(self, order: int) -> str:
        return str(Order.objects.get(number=order).state)

    def made(self, order: int, good: str = "3") -> None:
        """Issue, report both operations and receive."""
        lines = [{"operation": 20, "item": "PAD-3", "quantity": "27"}, {"operation": 20, "item": "PAD-L", "quantity": "6"}]  # fmt: skip
        self.must("issue-material", order=order, lines=lines)
        self.must("report", order=order, operation=10, good=good)
        self.must("report", order=order, operation=20, good=good, receive=good)


class Held(LifeTest):
    """An order stands still for a reason, and goes on in the state that it had."""

    def setUp(self) -> None:
        self.must("define-reason", code="DRAWING", name="Waits for a drawing", use="hold")

    def test_nothing_moves_it_on_and_the_refusal_says_why(self) -> None:
        order = self.order()
        self.must("report", order=order, operation=10, good="1")
        self.must("hold-order", order=order, why="DRAWING", note="of the thread")
        for name, more in (
            ("report", {"operation": 10, "good": "1"}),
            ("issue-material", {"lines": [{"operation": 10, "item": "AP-20", "quantity": "1"}]}),
            ("receive", {"quantity": "1"}),
            ("complete-order", {}),
            ("hold-order", {"why": "DRAWING"}),
            ("make-pick-list", None),
        ):
            given: dict[str, Any] = {"orders": [{"order": order}]} if more is None else {"order": order, **more}  # fmt: skip
            said = self.refused("order.on_hold", name, **given)
            self.assertIn("Waits for a drawing (of the thread)", said["title"])
        page = self.caller.get(f"orders/{order}")
        self.assertEqual(page["on_hold"], "Waits for a drawing: of the thread")
        self.assertEqual(
            page["acts"], ["change", "resume", "unwind", "change the making of", "split"]
        )
        other = int(self.must("split-order", order=order, quantity="1")["made"]["order"])
        self.refused("order.on_hold", "report", order=other, operation=10, good="1")

        self.must("resume-order", order=order)
        self.assertEqual(self.state(order), "started")
        self.must("report", order=order, operation=10, good="1")
        self.refused("order.not_on_hold", "resume-order", order=order)

    def test_a_planned_one_is_not_released_meanwhile(self) -> None:
        order = self.order(release=False)
        self.must("hold-order", order=order, why="DRAWING")
        self.refused("order.on_hold", "release-order", order=order)
        self.must("cancel-order", order=order)

    def test_what_was_posted_is_taken_back_all_the_same(self) -> None:
        order = self.order()
        posted = self.must("report", order=order, operation=10, good="1")
        self.must("hold-order", order=order, why="DRAWING")
        self.must("take-back", posting=posted["postings"][-1])
        self.assertEqual(self.state(order), "released")


class Changed(LifeTest):
    """A running order is made larger or smaller; its needs and what is kept for it follow."""

    def needs(self, order: int) -> dict[str, int]:
        rows = OrderInput.objects.filter(order__number=order, kind="component")
        return {i.item.code: int(i.need) for i in rows.select_related("item") if i.item}

    def test_more_is_needed_and_kept(self) -> None:
        order = self.order("4")
        self.must("change-order", order=order, quantity="6", due="2027-03-01")
        self.assertEqual(self.needs(order)["PAD-3"], 54)
        self.assertEqual(self.kept(order, "PAD-3"), {"STORE": "54"})
        entering = OrderOperation.objects.filter(order__number=order).values_list("entering", flat=True)  # fmt: skip
        self.assertEqual(set(entering), {Decimal(6)})
        self.assertEqual(Order.objects.get(number=order).due, date(2027, 3, 1))

    def test_less_is_needed_and_the_rest_is_free_again(self) -> None:
        order = self.order("8")
        self.must("change-order", order=order, quantity="5")
        self.assertEqual(self.kept(order, "PAD-3"), {"STORE": "45"})
        free = self.caller.get("stores/items/PAD-3")["free"]
        self.assertEqual(Decimal(free), 45)

    def test_not_below_what_is_received_or_released_in_parts(self) -> None:
        order = self.order("4")
        self.made(order)
        said = self.refused("order.less_than_done", "change-order", order=order, quantity="2")
        self.assertIn("3 pcs are received already", said["detail"])
        self.must("change-order", order=order, quantity="3")
        parts = self.order("4", release=False)
        self.must("release-part", order=parts, quantity="3", to_operation=10)
        said = self.refused("order.less_than_done", "change-order", order=parts, quantity="2")
        self.assertIn("released in parts already", said["detail"])

    def test_it_keeps_where_it_is_supplied_from_and_its_variance_adds_up(self) -> None:
        order = self.order("4")
        self.refused("input.invalid", "change-order", order=order, supply_place="SHELF")
        self.made(order)
        self.must("change-order", order=order, quantity="3")
        self.must("complete-order", order=order)
        self.must("close-order", order=order)
        self.assertEqual(sum(b.amount for b in WipBalance.objects.filter(cost_object__number=order)), 0)  # fmt: skip


class Short(LifeTest):
    """An order is finished with less than was ordered."""

    def test_what_it_holds_is_let_go_of_and_the_reason_stands(self) -> None:
        order = self.order("8")
        self.made(order)
        self.refused("input.invalid", "finish-short", order=order)
        self.must("finish-short", order=order, reason="the customer takes three")
        self.assertEqual(self.state(order), "completed")
        self.assertFalse(Reservation.objects.exists())
        self.must("close-order", order=order)

    def test_nothing_made_or_nothing_short_is_refused(self) -> None:
        order = self.order("3")
        self.refused("order.wrong_state", "finish-short", order=order, reason="enough")
        self.made(order)
        self.refused("input.invalid", "finish-short", order=order, reason="enough")
        self.must("complete-order", order=order)


def picture() -> dict[str, Any]:
    """Return all that an order moves: stock and value, what is reserved, WIP, layers."""
    balances = StockBalance.objects.values_list("item", "place", "lot", "quantity", "reserved")
    reserved = Reservation.objects.values_list("cost_object", "operation", "item", "place", "lot", "quantity")  # fmt: skip
    return {
        "stock": sorted(map(str, (b for b in balances if b[3] or b[4]))),
        "value": sorted(map(str, Holding.objects.values_list("item", "quantity", "value"))),
        "reserved": sorted(map(str, reserved)),
        "wip": sorted(
            map(
                str,
                (
                    w
                    for w in WipBalance.objects.values_list(
                        "cost_object", "operation", "element", "amount"
                    )
                    if w[3]
                ),
            )
        ),
        "layers": sorted(
            map(str, Layer.objects.values_list("item", "lot", "quantity_left", "value_left"))
        ),
    }


class Unwound(LifeTest):
    """An order is taken back as far as asked, in the right sequence, in one act."""

    def test_to_its_release_stock_wip_and_reservations_are_what_they_were(self) -> None:
        order = self.order("4")
        before = picture()
        for line in self.pick_list(order):
            self.must("pick", line=line.pk, quantity=str(line.quantity))
        self.must("issue-picked", order=order)
        self.must("report", order=order, operation=10, good="4")
        self.must("report", order=order, operation=20, good="4", receive="4", complete=True)
        self.must("close-order", order=order)
        self.assertEqual(self.state(order), "closed")

        said = self.must("unwind", orders=[order], to="released")
        self.assertIn("posting", str(said["consequences"]["remarks"]))
        self.assertEqual(picture(), before)
        self.assertEqual(self.state(order), "released")
        self.assertFalse(PickTake.objects.exclude(quantity=0).filter(put_back=0).exists())
        self.assertEqual(set(PickLine.objects.values_list("picked", "state")), {(0, "open")})

    def test_to_nothing_it_is_cancelled_and_holds_nothing(self) -> None:
        empty = picture()
        order = self.order("4")
        self.made(order)
        self.must("unwind", orders=[order], to="nothing", reason="the customer is gone")
        self.assertEqual(self.state(order), "cancelled")
        self.assertEqual(picture(), empty)

    def test_to_before_its_last_report_only_that_is_taken_back(self) -> None:
        order = self.order("4")
        self.must("report", order=order, operation=10, good="2")
        before = picture()
        self.must("report", order=order, operation=10, good="1")
        self.must("unwind", orders=[order], to="before the last report")
        self.assertEqual(picture(), before)
        self.must("unwind", orders=[order], to="before the last report")
        self.refused(
            "order.nothing_to_unwind", "unwind", orders=[order], to="before the last report"
        )

    def test_several_at_once_all_or_none(self) -> None:
        first, second = self.order("2"), self.order("2")
        before = picture()
        for order in (first, second):
            self.must("report", order=order, operation=10, good="2")
        planned = self.order("2", release=False)
        self.refused("order.wrong_state", "unwind", orders=[first, planned])
        self.assertEqual(self.state(first), "started")
        self.must("unwind", orders=[first, second])
        self.assertEqual(picture(), before)

    def test_what_stands_in_the_way_is_named(self) -> None:
        order = self.order("4")
        self.made(order)
        self.must("define-reason", code="BENT", name="Bent")
        self.must("scrap-stock", item="MA-200", quantity="1", place="STORE", why="BENT")
        said = self.refused("stock.not_enough", "unwind", orders=[order])
        self.assertIn("MA-200", said["title"])
        self.assertEqual(self.state(order), "started")

    def test_what_the_release_issued_stays_with_it_or_goes_with_all(self) -> None:
        self.must("define-item", code="CASE", name="Case", unit="pcs", source="make")
        work = [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.1"}]
        parts = [{"item": "PAD-3", "operation": 10, "quantity": "1", "issue_rule": "at release"}]
        self.must("draft-structure", item="CASE", operations=work, components=parts)
        self.must("approve-structure", item="CASE")
        self.must("freeze-standard")
        made = self.must("plan-order", item="CASE", quantity="5", due="2027-02-01", supply_place="STORE", receipt_place="STORE")  # fmt: skip
        order = int(made["made"]["order"])
        self.must("release-order", order=order)
        self.must("report", order=order, operation=10, good="5", receive="5")
        self.must("unwind", orders=[order])
        self.assertEqual(OrderInput.objects.get(order__number=order, kind="component").used, 5)
        self.must("unwind", orders=[order], to="nothing")
        self.assertEqual(self.there("PAD-3"), {"STORE": "90"})


class Extra(LifeTest):
    """An order bears what its structure does not know, as a cause of its own."""

    def test_it_is_charged_to_its_cell_and_closed_to_its_account(self) -> None:
        order = self.order("3")
        extra = {"order": order, "operation": 20, "amount": "48.50", "reason": "express freight"}
        posted = self.must("charge-extra", **extra, element="subcontract")
        lines = {(j["account"], Decimal(j["debit"]) - Decimal(j["credit"])) for j in posted["consequences"]["journal"]}  # fmt: skip
        self.assertEqual(lines, {("work in process", Decimal("48.50")), ("goods received not invoiced", Decimal("-48.50"))})  # fmt: skip
        self.must("charge-extra", **extra | {"amount": "1.50"}, element="subcontract")
        self.must("charge-extra", **extra | {"amount": "10"}, source="labour of our own", element="run labour")  # fmt: skip
        self.made(order)
        causes = self.caller.get(f"orders/{order}/bridge")["causes"]
        self.assertEqual(sum(Decimal(c["amount"]) for c in causes if c["kind"] == "extra cost"), 60)
        row = OrderInput.objects.get(order__number=order, kind="extra cost", overhead="subcontract")
        self.assertEqual((row.amount, row.used), (Decimal(50), 0))

        self.must("complete-order", order=order)
        closed = self.must("close-order", order=order)["consequences"]["journal"]
        self.assertEqual({Decimal(j["debit"]) for j in closed if j["account"] == "extra cost variance"}, {Decimal(60)})  # fmt: skip

    def test_it_is_taken_back_with_the_rest(self) -> None:
        order = self.order("3")
        before = picture()
        self.must("charge-extra", order=order, operation=10, amount="9.99", reason="broken drill")
        self.must("unwind", orders=[order])
        self.assertEqual(picture(), before)
        self.assertEqual(OrderInput.objects.get(kind="extra cost").amount, 0)

    def test_cents_above_nothing_at_an_operation_that_there_is(self) -> None:
        order = self.order("3")
        for amount in ("0", "1.005"):
            self.refused("input.invalid", "charge-extra", order=order, operation=10, amount=amount, reason="fee")  # fmt: skip
        self.refused("input.not_found", "charge-extra", order=order, operation=15, amount="1", reason="fee")  # fmt: skip


class Forgotten(LifeTest):
    """Orders that nobody touched are told of, until somebody says why they are kept."""

    def kinds(self, order: int) -> set[str]:
        stand_all(timezone.now())
        return set(StoredAttention.objects.filter(order__number=order).values_list("kind", flat=True))  # fmt: skip

    def old(self) -> int:
        order = self.order("2")
        self.must("change-order", order=order, due=str(timezone.localdate() - timedelta(days=30)))
        return order

    def test_it_is_late_first_and_forgotten_after_two_weeks(self) -> None:
        order = self.old()
        self.assertEqual(self.kinds(order), {"late"})
        Standing.objects.filter(order__number=order).update(touched_on=timezone.localdate() - timedelta(days=15))  # fmt: skip
        self.assertEqual(self.kinds(order), {"forgotten"})

        self.refused("input.invalid", "keep-order", order=order, until=str(timezone.localdate()), reason="fair")  # fmt: skip
        self.must("keep-order", order=order, until=str(timezone.localdate() + timedelta(days=9)), reason="for the fair")  # fmt: skip
        Standing.objects.filter(order__number=order).update(touched_on=timezone.localdate() - timedelta(days=15))  # fmt: skip
        self.assertEqual(self.kinds(order), set())
        self.assertEqual(self.caller.get(f"orders/{order}")["keep_words"], "for the fair")

    def test_one_that_is_received_in_full_is_to_be_completed(self) -> None:
        order = self.order("3")
        self.made(order)
        self.assertIn("to complete", self.kinds(order))


class Told(LifeTest):
    """Everything that happened to an order stands on one page, the newest first, new things marked."""

    def rows(self, order: int, caller: Caller | None = None) -> list[dict[str, Any]]:
        return list((caller or self.caller).get(f"orders/{order}/timeline")["rows"])

    def test_acts_postings_and_notes_in_order(self) -> None:
        order = self.order("4", release=False)
        self.must("change-order", order=order, quantity="3")
        self.must("release-order", order=order)
        self.must("report", order=order, operation=10, good="1")
        self.must("write-note", kind="order", code=str(order), text="Ask before packing")
        taken = self.must("report", order=order, operation=10, good="1")["postings"][0]
        self.must("take-back", posting=taken, reason="counted twice")

        rows = self.rows(order)
        self.assertEqual(
            [r["title"] for r in rows],
            ["Take back a posting", "Report", "Note", "Report", "Release an order", "Change an order", "Plan an order"],
        )  # fmt: skip
        self.assertEqual(rows[0]["words"], "counted twice")
        self.assertEqual(rows[1]["postings"][0]["taken_back_by"], rows[0]["postings"][0]["number"])
        self.assertIn("quantity: 4 → 3", rows[5]["changes"])
        self.assertIn("state: planned → released", rows[4]["changes"])

    def test_what_is_new_to_whom(self) -> None:
        order = self.order("4")
        other = Caller(make_person("otto"))
        last = self.caller.get(f"orders/{order}/timeline")["last"]
        self.assertFalse(any(r["is_new"] for r in self.rows(order)))
        self.caller.send(f"orders/{order}/seen", {"entry": last})
        self.must("report", order=order, operation=10, good="1")
        self.assertEqual([r["is_new"] for r in self.rows(order)][:2], [True, False])
        self.assertFalse(any(r["is_new"] for r in self.rows(order, other)))

    def test_an_unknown_order_has_no_past_and_takes_no_notes(self) -> None:
        self.assertEqual(self.caller.get("orders/999999/timeline")["code"], "input.not_found")
        for code in ("999999", "x"):
            self.refused("input.not_found", "write-note", kind="order", code=code, text="?")


class AnyLife(AnyWorks):
    """Whatever was done to an order, unwinding it to its release leaves everything as it was then."""

    acts = st.lists(
        st.sampled_from(["issue", "report 10", "report 20", "receive", "pick", "issue picked", "scrap", "change", "back"]),
        min_size=1,
        max_size=8,
    )  # fmt: skip

    @settings(max_examples=15, deadline=None)
    @example(["pick", "pick", "pick"])  # the third is of a lot that no reservation named
    @example(["pick", "pick", "pick", "issue picked", "report 10"])
    @given(acts)
    def test_unwind_returns_stock_wip_reservations_and_layers(self, acts: list[str]) -> None:
        shop, caller = self.shop, self.caller
        for item, quantity in (("AP-20", "30"), ("PAD-3", "120")):
            receive(shop, item, quantity)
        receive(shop, "PAD-L", "30", lot="ONE")
        shop.do("define-reason", code="SPLIT", name="Split")
        shop.do("change-valuation", item="PAD-3", valuation="FIFO layers")
        made = caller.must("plan-order", {"item": "MA-200", "quantity": "6", "due": "2027-02-01", "supply_place": "STORE", "receipt_place": "STORE"})  # fmt: skip
        order = int(made["made"]["order"])
        caller.must("release-order", {"order": order})
        before = picture()
        for act in acts:
            self.carry_out(caller, order, act)

        if Posting.objects.filter(cost_object__number=order, reversal=None, reverses=None).exists() or PickTake.objects.exists():  # fmt: skip
            said = caller.do("unwind", {"orders": [order], "to": "released"})
            self.assertIn(said.get("code"), (None, "order.nothing_to_unwind"), said)
        after = picture()
        self.assertEqual({k: after[k] for k in ("wip", "layers", "value")}, {k: before[k] for k in ("wip", "layers", "value")})  # fmt: skip
        if "change" not in acts:
            self.assertEqual(after, before)
        self.assertEqual(differences(), [])

    def carry_out(self, caller: Caller, order: int, act: str) -> None:
        """Do something to the order; what is refused leaves it as it is."""
        given: dict[str, Any] = {"order": order}
        if act == "issue":
            lines = [{"operation": 20, "item": "PAD-3", "quantity": "5"}, {"operation": 20, "item": "PAD-L", "quantity": "3"}]  # fmt: skip
            caller.do("issue-material", given | {"lines": lines})
        elif act.startswith("report"):
            caller.do("report", given | {"operation": int(act[-2:]), "good": "2"})
        elif act == "receive":
            caller.do("receive", given | {"quantity": "1"})
        elif act == "pick":
            caller.do("make-pick-list", {"orders": [given]})
            for line in PickLine.objects.filter(state="open").order_by("pk")[:1]:
                caller.do("pick", {"line": line.pk, "quantity": str(line.quantity)})
        elif act == "issue picked":
            caller.do("issue-picked", given)
        elif act == "scrap":
            caller.do("report", given | {"operation": 10, "scrap": [{"reason": "SPLIT", "quantity": "1"}]})  # fmt: skip
        elif act == "change":
            caller.do("change-order", given | {"quantity": "7"})
        elif last := Posting.objects.filter(cost_object__number=order, reverses=None, reversal=None).last():  # fmt: skip
            caller.do("take-back", {"posting": last.pk})
