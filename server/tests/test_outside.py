"""Work that suppliers do on an order's units: ordered by its release, back with its reports, invoiced."""

import csv
import io
from datetime import timedelta
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from django.db.models import Sum
from django.utils import timezone
from hypothesis import Phase, example, given, settings
from hypothesis import strategies as st
from poietic.buying.models import Delivery, PurchaseLine
from poietic.demo import mirror_cell
from poietic.ledger.models import Holding, JournalLine, WipBalance
from poietic.ledger.verify import differences
from poietic.orders.book import OrderBook
from poietic.orders.keeping import keep_all
from poietic.orders.models import Order, OrderInput, OrderOperation
from poietic_core.cost.unit import standard_cells

from .paper_words import words_of
from .test_picking import AnyWorks, PickingTest, receive

DUE = "2027-02-01"


class OutsideTest(PickingTest):
    """Cells that are milled, anodized by a supplier who is paid on good pieces, and assembled."""

    def setUp(self) -> None:
        self.shop.do("define-partner", code="ANO", name="Example Anodizing")
        coat = {"supplier": "ANO", "subcontract_price": "5", "payment_basis": "good pieces returned", "days_out": "4", "yield_share": "0.8"}  # fmt: skip
        mirror_cell.structure(
            self.shop,
            "MA-200",
            [
                {"number": 10, "name": "Mill cell", "work_center": "MILL", **mirror_cell.MILL_HOURS},
                {"number": 20, "name": "Anodize", "work_center": "ASSY", **coat},
                {"number": 30, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"},
            ],
            [{"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at operation"}],
        )  # fmt: skip
        self.shop.do("freeze-standard")

    def released(self, quantity: str = "8") -> tuple[int, int]:
        """Release an order and return it with the purchase order of its work."""
        order = self.plan(quantity)
        made = self.must("release-order", order=order)["made"]
        return order, int(made["purchases"])

    def plan(self, quantity: str) -> int:
        given = {"item": "MA-200", "quantity": quantity, "due": DUE, "supply_place": "STORE", "receipt_place": "STORE"}  # fmt: skip
        return int(self.must("plan-order", **given)["made"]["order"])

    def line(self, purchase: int) -> Any:
        return self.caller.get(f"purchases/{purchase}")["lines"][0]

    def state(self, purchase: int) -> str:
        return str(self.caller.get(f"purchases/{purchase}")["state"])

    def booked(self, account: str) -> Decimal:
        rows = JournalLine.objects.filter(account=account, posting__entry__command__in=["report", "receive-purchase", "post-invoice", "take-back"])  # fmt: skip
        return rows.aggregate(sum=Sum("amount"))["sum"] or Decimal(0)

    def invoice(self, purchase: int, quantity: str, amount: str) -> int:
        line = {"purchase": purchase, "line": 1, "quantity": quantity, "amount": amount}
        said = self.must("post-invoice", supplier="ANO", number=f"A{amount}", dated="2026-11-20", lines=[line])  # fmt: skip
        return int(said["postings"][0])

    def wip(self, order: int) -> Decimal:
        rows = WipBalance.objects.filter(cost_object__number=order, element="subcontract")
        return rows.aggregate(sum=Sum("amount"))["sum"] or Decimal(0)


class Outside(OutsideTest):
    """Ordered by the release, back with a report, invoiced into the order."""

    def test_its_release_drafts_an_order_to_the_supplier(self) -> None:
        order, purchase = self.released()
        row = self.line(purchase)
        self.assertEqual((self.state(purchase), row["order"], row["operation"]), ("draft", order, 20))  # fmt: skip
        self.assertEqual([Decimal(row[k]) for k in ("quantity", "price")], [8, 5])
        self.must("send-purchase", purchase=purchase)
        steps = self.caller.get("stores/items/MA-200")["steps"]
        self.assertEqual([s["kind"] for s in steps], ["production order"], "it is no supply of its own")  # fmt: skip
        self.refused("input.invalid", "change-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "3"}])  # fmt: skip
        self.refused("input.invalid", "change-purchase", purchase=purchase, drop=[1])
        self.refused("input.invalid", "copy-purchase", purchase=purchase)

    def test_a_preview_of_the_release_is_what_is_posted(self) -> None:
        order = self.plan("4")
        seen = self.caller.preview("release-order", {"order": order})["seen"]
        self.caller.do("release-order", {"order": order}, seen=seen)
        self.assertEqual(self.caller.status, 200)

    def test_what_comes_back_is_reported_with_what_was_lost_there(self) -> None:
        order, purchase = self.released("10")
        self.must("send-purchase", purchase=purchase)
        self.must("report", order=order, operation=10, good="10")
        scrap = [{"reason": "DROPPED", "quantity": "2"}]
        lines = [{"line": 1, "quantity": "5", "scrap": scrap}]
        self.must("receive-purchase", purchase=purchase, lines=lines, despatch_note="LS 9")
        row = self.line(purchase)
        self.assertEqual([Decimal(row[k]) for k in ("received", "coming")], [5, 5])
        self.assertEqual((row["deliveries"][0]["note"], self.wip(order)), ("LS 9", 25))
        done = self.caller.get(f"orders/{order}")["operations"][1]
        self.assertEqual((Decimal(done["good"]), Decimal(done["scrap"])), (5, 2))
        self.must("report", order=order, operation=30, good="5")
        self.assertEqual(self.booked("goods received not invoiced"), -25)

    def test_an_ordinary_report_brings_it_back_too_and_is_taken_back(self) -> None:
        order, purchase = self.released()
        self.must("report", order=order, operation=10, good="8")
        posting = self.must("report", order=order, operation=20, good="6")["postings"][0]
        self.assertEqual((self.state(purchase), Decimal(self.line(purchase)["received"])), ("partly received", 6))  # fmt: skip
        self.must("take-back", posting=posting)
        self.assertEqual((self.state(purchase), Decimal(self.line(purchase)["received"])), ("ordered", 0))  # fmt: skip
        self.assertEqual(self.booked("goods received not invoiced"), 0)

    def test_what_comes_back_of_a_cancelled_order_counts(self) -> None:
        order, purchase = self.released()
        self.must("cancel-purchase", purchase=purchase)
        self.must("report", order=order, operation=10, good="8")
        self.must("report", order=order, operation=20, good="8")
        self.assertEqual((self.state(purchase), Decimal(self.line(purchase)["received"])), ("received", 8))  # fmt: skip

    def test_what_the_invoice_asks_more_is_charged_to_the_order(self) -> None:
        order, purchase = self.released()
        self.must("report", order=order, operation=10, good="8")
        report = self.must("report", order=order, operation=20, good="8")["postings"][0]
        before = self.caller.causes(order)["price"]  # of the plate
        bill = self.invoice(purchase, "8", "43.20")  # eight per cent more
        self.assertEqual((self.wip(order), self.booked("payables")), (Decimal("43.20"), Decimal("-43.20")))  # fmt: skip
        self.assertEqual(self.caller.causes(order)["price"] - before, Decimal("3.20"))
        self.refused("purchase.settled", "take-back", posting=report)
        self.must("take-back", posting=bill)
        self.assertEqual((self.wip(order), self.booked("payables")), (40, 0))
        again = self.invoice(purchase, "8", "44.00")
        charged = JournalLine.objects.get(posting__entry__postings=again, account="work in process")
        self.must("take-back", posting=charged.posting_id)  # found on the order: all of it goes
        self.assertEqual((self.wip(order), self.booked("payables")), (40, 0))
        self.assertEqual(OrderInput.objects.get(order__number=order, kind="subcontract").amount, 40)

    def test_of_a_closed_order_it_is_price_variance(self) -> None:
        order, purchase = self.released("4")
        for operation in (10, 20):
            self.must("report", order=order, operation=operation, good="4")
        self.must("report", order=order, operation=30, good="4", receive="ready", complete=True)
        self.must("close-order", order=order)
        self.invoice(purchase, "4", "25.00")
        self.assertEqual((self.wip(order), self.booked("price variance")), (0, 5))
        self.assertEqual(self.state(purchase), "closed")

    def test_the_line_follows_the_order(self) -> None:
        order, purchase = self.released()
        self.must("change-order", order=order, quantity="12")
        self.assertEqual(Decimal(self.line(purchase)["quantity"]), 12)
        self.must("send-purchase", purchase=purchase)
        said = self.must("change-order", order=order, quantity="6")
        told = [r["text"] for r in said["consequences"]["remarks"]]
        self.assertIn("it was sent: tell Example Anodizing that there are 6", told)
        self.must("cancel-order", order=order)
        self.assertEqual(self.state(purchase), "cancelled")

    def test_done_inside_or_withdrawn_nothing_is_ordered(self) -> None:
        order, purchase = self.released()
        self.must("do-operation-inside", order=order, operation=20, work_center="ASSY", run_labour_hours="0.3", reason="in a hurry")  # fmt: skip
        self.assertEqual((self.state(purchase), PurchaseLine.objects.count()), ("cancelled", 0))
        order, purchase = self.released()
        self.must("withdraw-release", order=order)
        self.assertEqual((self.state(purchase), PurchaseLine.objects.count()), ("cancelled", 0))
        _, other = self.released()
        self.assertNotEqual(other, purchase)

    def test_completed_short_no_more_is_waited_for(self) -> None:
        order, purchase = self.released("4")
        self.must("send-purchase", purchase=purchase)
        self.must("report", order=order, operation=10, good="4")
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "3"}])
        self.must("report", order=order, operation=30, good="3", receive="ready")
        self.must("finish-short", order=order, reason="enough")
        self.assertEqual(self.state(purchase), "received")
        self.assertEqual(Delivery.objects.get().quantity, 3)


class Shipped(OutsideTest):
    """Units that go to the supplier and come back."""

    def sent(self, quantity: str = "8", milled: str = "8") -> tuple[int, int]:
        order, purchase = self.released(quantity)
        self.must("send-purchase", purchase=purchase)
        self.must("report", order=order, operation=10, good=milled)
        return order, purchase

    def ship(self, order: int, quantity: str, **more: Any) -> Any:
        return self.must("ship-to-supplier", order=order, operation=20, quantity=quantity, **more)

    def told(self, kind: str) -> list[Any]:
        return [c for c in self.caller.get("today")["causes"] if c["kind"] == kind]

    def out(self) -> list[tuple[int, Decimal]]:
        return [(r["order"], Decimal(r["out"])) for r in self.caller.get("purchases/out")]

    def test_only_what_stands_there_goes_and_only_what_went_comes_back(self) -> None:
        order, purchase = self.sent(milled="6")
        said = self.refused("order.more_than_stands", "ship-to-supplier", order=order, operation=20, quantity="7")  # fmt: skip
        self.assertIn("6 stand there", said["detail"])
        self.ship(order, "4", carrier="Own van", packages=2, weight="9.5")
        self.refused("order.more_than_stands", "ship-to-supplier", order=order, operation=20, quantity="3")  # fmt: skip
        self.assertEqual(self.out(), [(order, 4)])
        self.refused("order.more_than_out", "report", order=order, operation=20, good="5")
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "3"}])
        self.assertEqual(self.out(), [(order, 1)])
        row = self.caller.get(f"orders/{order}/outside")[0]
        self.assertEqual([Decimal(row[k]) for k in ("ordered", "sent", "out", "back")], [8, 4, 1, 3])  # fmt: skip
        lost = [{"reason": "DROPPED", "quantity": "1"}]
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "0", "scrap": lost}])  # fmt: skip
        self.assertEqual(self.out(), [])

    def test_what_is_out_is_waited_for_from_its_shipment(self) -> None:
        self.shop.do("define-calendar", code="ANO-DAYS", name="Anodizing", shifts=[{"weekday": d, "start": 360, "end": 840} for d in range(4)])  # fmt: skip
        self.must("set-supplier-times", supplier="ANO", calendar="ANO-DAYS", transport_days="1")
        page = self.caller.get("suppliers/ANO")
        self.assertEqual((page["calendar"], Decimal(page["transport_days"])), ("ANO-DAYS", 1))
        order, purchase = self.sent()
        sent = (
            "2026-11-26T12:00:00Z"  # a Thursday: there on Friday, worked at from Monday to Thursday
        )
        self.ship(order, "8", happened_at=sent)
        self.assertEqual(self.line(purchase)["comes_on"], "2026-12-04")
        back = OrderOperation.objects.get(order__number=order, number=20).back_at
        self.assertEqual(str(back), "2026-12-04 14:00:00+00:00")
        told = self.must("confirm-purchase", purchase=purchase, lines=[{"line": 1, "comes_on": "2027-02-10"}])["consequences"]  # fmt: skip
        self.assertIn(f"it comes 68 days later; order {order} waits for it", [r["text"] for r in told["remarks"]])  # fmt: skip
        shown = self.caller.get(f"orders/{order}")
        self.assertGreater(shown["finishes"], "2027-02-10")

    def test_what_is_out_too_long_needs_a_decision_until_it_is_back(self) -> None:
        order, purchase = self.sent()
        self.ship(order, "8")  # for four days
        self.assertEqual(self.told("out too long"), [])
        for_it = self.plan("1")
        other = Order.objects.get(number=for_it)
        Order.objects.filter(number=order).update(made_for=other, made_for_operation=10, top=other)
        keep_all(timezone.now() + timedelta(days=6), stale_only=False)
        (cause,) = self.told("out too long")
        self.assertEqual((cause["order"], cause["days"], cause["orders"]), (order, 2, 2))
        self.assertTrue(cause["sentence"].endswith(f"; {for_it} waits for it"))
        self.assertIn("8 pcs of operation 20 are still at Example Anodizing, to be back", cause["sentence"])  # fmt: skip
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "8"}])
        self.assertEqual(self.told("out too long"), [])

    def test_a_shipment_is_taken_back_before_its_units_are_back(self) -> None:
        order, purchase = self.sent()
        posting = self.ship(order, "8")["postings"][0]
        report = self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "2"}])["postings"][0]  # fmt: skip
        self.refused("order.more_than_out", "take-back", posting=posting)
        self.must("take-back", posting=report)
        self.must("take-back", posting=posting)
        self.assertEqual((self.out(), self.caller.get(f"orders/{order}/outside")[0]["shipments"]), ([], []))  # fmt: skip

    def test_the_page_of_a_supplier_says_what_he_holds_owes_and_how_he_kept_his_word(self) -> None:
        order, purchase = self.sent()
        self.ship(order, "8")
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "3"}])
        self.invoice(purchase, "3", "16.50")
        page = self.caller.get("suppliers/ANO")
        self.assertEqual([(r["order"], Decimal(r["out"])) for r in page["out"]], [(order, 5)])
        self.assertEqual([p["number"] for p in page["awaited"]["rows"]], [purchase])
        record = page["record"]
        self.assertEqual([Decimal(record[k]) for k in ("deliveries", "on_time", "kept", "dearer")], [1, 100, 100, 10])  # fmt: skip
        self.assertIsNone(record["complete"], "none of its lines is done")
        self.assertEqual(Decimal(page["not_invoiced"]), 0)
        self.assertEqual(self.caller.get("suppliers/MA-200")["code"], "input.not_found")

    def test_components_go_along_and_lie_there_until_they_are_built_in(self) -> None:
        coat = {"supplier": "ANO", "subcontract_price": "5", "payment_basis": "pieces sent", "days_out": "4"}  # fmt: skip
        mirror_cell.structure(
            self.shop,
            "MA-200",
            [{"number": 10, "name": "Mill cell", "work_center": "MILL", **mirror_cell.MILL_HOURS}, {"number": 20, "name": "Fit pads", "work_center": "ASSY", **coat}],
            [{"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at operation"}, {"item": "PAD-3", "operation": 20, "quantity": "9", "issue_rule": "by hand"}],
        )  # fmt: skip
        self.shop.do("freeze-standard")
        order, purchase = self.sent("8")
        before = Decimal(Holding.objects.get(item__code="PAD-3").quantity)
        said = self.ship(order, "8", components=[{"item": "PAD-3", "quantity": "72"}])
        self.assertEqual(Holding.objects.get(item__code="PAD-3").quantity, before - 72)
        page = self.caller.get("suppliers/ANO")
        (part,) = page["parts"]
        self.assertEqual((part["order"], part["item"], Decimal(part["quantity"])), (order, "PAD-3", 72))  # fmt: skip
        # of plate 2.4 kg and of milling 0.25 h in each, at the standard; and the pads as issued
        each = sum((c for (op, _), c in standard_cells(OrderBook.read(order).costed()).items() if op == 10), Decimal(0))  # fmt: skip
        self.assertEqual(Decimal(page["held_value"]), round(each * 8, 2) + Decimal(part["value"]))
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "3"}])
        text = self.caller.client.get("/api/suppliers/ANO/held.csv").content.decode()
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertEqual([(r["what"], r["item"], Decimal(r["quantity"])) for r in rows], [("units", "MA-200", 5), ("component", "PAD-3", 45)])  # fmt: skip
        with patch("poietic.buying.shipping_papers.paper", side_effect=words_of):
            paper = self.caller.client.get("/api/suppliers/ANO/held.pdf").content.decode()
        for words in ("What lies at Example Anodizing", "PAD-3", "45", f"{order} op 20"):
            self.assertIn(words, paper)
        self.refused("order.more_than_out", "take-back", posting=said["postings"][0])
        report = Delivery.objects.get().posting_id
        self.must("take-back", posting=report)
        self.must("take-back", posting=said["postings"][0])
        self.assertEqual(Holding.objects.get(item__code="PAD-3").quantity, before, "they come back with their shipment")  # fmt: skip
        page = self.caller.get("suppliers/ANO")
        self.assertEqual((page["parts"], Decimal(page["held_value"])), ([], 0))

    def test_what_comes_back_bad_goes_to_him_again_and_is_paid_once(self) -> None:
        order, purchase = self.sent("8")
        self.ship(order, "8")
        self.must("report", order=order, operation=20, good="5", rework="3")
        self.assertEqual(self.outside(order), {"ordered": 8, "sent": 8, "out": 0, "back": 5})
        self.refused("order.more_than_stands", "ship-to-supplier", order=order, operation=20, quantity="4", again=True)  # fmt: skip
        posting = self.ship(order, "3", again=True)["postings"][0]
        self.assertEqual(self.outside(order), {"ordered": 8, "sent": 8, "out": 3, "back": 5})
        self.must("take-back", posting=posting)
        self.assertEqual(self.outside(order)["out"], 0)
        self.ship(order, "3", again=True)
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "3"}])
        self.assertEqual(self.outside(order), {"ordered": 8, "sent": 8, "out": 0, "back": 8})
        self.assertEqual((self.wip(order), self.state(purchase)), (40, "received"))

    def plan_released(self) -> int:
        order = self.plan("2")
        self.must("release-order", order=order)
        return order

    def test_on_pieces_sent_rework_of_his_is_not_paid_again(self) -> None:
        order = self.plan_released()
        self.must("do-operation-inside", order=order, operation=20, work_center="ASSY", run_labour_hours="1", reason="x")  # fmt: skip
        self.must("send-operation-out", order=order, operation=20, supplier="ANO", price="3", payment_basis="pieces sent", days_out="1", reason="x")  # fmt: skip
        self.must("report", order=order, operation=10, good="2")
        purchase = PurchaseLine.objects.get(order__number=order, is_ended=False).purchase.number
        self.must("send-purchase", purchase=purchase)
        self.ship(order, "2")
        self.must("report", order=order, operation=20, good="1", rework="1")
        self.assertEqual(self.wip(order), 6)
        self.ship(order, "1", again=True)
        self.must("report", order=order, operation=20, good="1")
        self.assertEqual(self.wip(order), 6)

    def test_what_does_not_come_back_is_scrapped_when_its_line_is_finished(self) -> None:
        order, purchase = self.sent("8")
        self.ship(order, "8")
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "5"}])
        tree = self.caller.get(f"orders/{order}/tree")["rows"]
        self.assertEqual([(r["supplier"], Decimal(r["out"])) for r in tree if r["operation"] == 20 and r["kind"] == "operation"], [("Example Anodizing", 3)])  # fmt: skip
        said = self.refused("input.invalid", "finish-purchase", purchase=purchase)
        self.assertIn(f"3 of order {order} are out: say for what reason", said["detail"])
        self.must("finish-purchase", purchase=purchase, missing="DROPPED")
        self.assertEqual((self.out(), self.state(purchase)), ([], "received"))
        done = self.caller.get(f"orders/{order}")["operations"][1]
        self.assertEqual((Decimal(done["good"]), Decimal(done["scrap"])), (5, 3))

    def test_what_is_out_can_not_go_with_a_part_of_the_order(self) -> None:
        order, purchase = self.sent("8")
        self.ship(order, "6")
        split = {"order": order, "quantity": "4", "after": 10}
        self.refused("order.not_standing_there", "split-order", units="3", **split)
        other = int(self.must("split-order", units="2", **split)["made"]["order"])
        self.assertEqual(self.outside(order), {"ordered": 4, "sent": 6, "out": 6, "back": 0})
        new = self.caller.get(f"orders/{other}/outside")[0]
        self.assertEqual((Decimal(new["ordered"]), Decimal(new["sent"])), (4, 0))
        self.assertNotEqual(new["purchase"], purchase)

    def test_what_is_back_goes_with_a_part_of_the_order_and_comes_into_it_again(self) -> None:
        order, purchase = self.sent("8")
        self.ship(order, "8")
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "5"}])
        other = int(self.must("split-order", order=order, quantity="4", after=20, units="4")["made"]["order"])  # fmt: skip
        # eight are ordered as before: four that went along, and four that this order makes
        self.assertEqual(self.outside(order), {"ordered": 8, "sent": 4, "out": 3, "back": 1})
        self.assertEqual(self.caller.get(f"orders/{other}/outside"), [], "all of its work is done")
        self.assertEqual((self.state(purchase), Decimal(self.line(purchase)["coming"])), ("partly received", 3))  # fmt: skip
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "3"}])
        self.assertEqual(self.state(purchase), "received")
        self.must("merge-orders", order=other, into=order)
        self.assertEqual(self.outside(order), {"ordered": 8, "sent": 8, "out": 0, "back": 8})
        self.must("report", order=order, operation=30, good="8", receive="ready", complete=True)
        self.must("close-order", order=order)
        self.assertEqual(differences(), [])

    def outside(self, order: int) -> dict[str, Decimal]:
        row = self.caller.get(f"orders/{order}/outside")[0]
        return {k: Decimal(row[k]) for k in ("ordered", "sent", "out", "back")}

    def test_a_completion_taken_back_waits_again(self) -> None:
        order, purchase = self.sent("8")
        self.must("receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "3"}])
        self.must("report", order=order, operation=30, good="3", receive="ready")
        self.must("finish-short", order=order, reason="enough")
        self.assertEqual((self.state(purchase), Decimal(self.line(purchase)["coming"])), ("received", 0))  # fmt: skip
        self.must("unwind", orders=[order], to="released")
        self.assertEqual((self.state(purchase), Decimal(self.line(purchase)["coming"])), ("ordered", 8))  # fmt: skip

    def test_nothing_goes_where_nothing_is_ordered(self) -> None:
        order, _ = self.released()
        self.must("report", order=order, operation=10, good="8")
        given = {"order": order, "operation": 20, "quantity": "1"}
        self.refused("purchase.wrong_state", "ship-to-supplier", **given)
        self.refused("input.invalid", "ship-to-supplier", **given | {"operation": 30})

    def test_papers_name_both_sides(self) -> None:
        order, purchase = self.sent()
        self.must("change-partner", code="ANO", address="1 Bath Street\nExample Town")
        shipment = self.ship(order, "8", marks="S-1 to S-8", weight="9.5")["made"]["shipment"]
        for path in (
            f"papers/packing-list.pdf?code={shipment}",
            f"papers/waybill.pdf?code={shipment}",
            f"purchases/{purchase}/order.pdf",
        ):
            answer = self.caller.client.get(f"/api/{path}")
            self.assertEqual((answer.status_code, answer.content[:5]), (200, b"%PDF-"))
            with (
                patch("poietic.buying.papers.paper", side_effect=words_of),
                patch("poietic.buying.shipping_papers.paper", side_effect=words_of),
            ):
                text = self.caller.client.get(f"/api/{path}").content
            self.assertTrue("waybill" not in path or b"1 Bath Street Example Town" in text)
            self.assertTrue("papers/" not in path or b"S-1 to S-8" in text)
            for words in ("Example Anodizing", str(purchase), str(order), "MA-200"):
                self.assertIn(words.encode(), text)
        label = self.caller.client.get(f"/api/labels/shipment.svg?code={shipment}").content.decode()
        self.assertIn("Example Anodizing", label)
        self.assertIn(f"our order {order}", label)
        for path in ("papers/waybill.pdf?code=999999", "labels/shipment.pdf?code=²", "papers/packing-list.pdf?code=x9", "papers/packing-list.pdf?code=999999", "purchases/1/order.pdf"):  # fmt: skip
            self.assertEqual(self.caller.client.get(f"/api/{path}").status_code, 404)


ACTS = ["mill", "mill", "ship", "ship", "back", "back", "lost", "set aside", "again", "mirror"]


#: what an accepted act does to where units are
MOVES: dict[str, dict[str, int]] = {
    "mill": {"milled": 1},
    "ship": {"sent": 1},
    "again": {"rework": -1},
    "back": {"good": 1},
    "lost": {"scrap": 1},
    "set aside": {"rework": 1},
}


class AnyShipments(AnyWorks):
    """Whatever goes to a supplier, comes back, is lost, goes again and is taken back, in whatever order."""

    @settings(max_examples=6, deadline=None, phases=[Phase.explicit, Phase.generate])
    @example([("mirror", 1), ("set aside", 2), ("ship", 3), ("back", 1)])
    @given(st.lists(st.tuples(st.sampled_from(ACTS), st.integers(1, 3)), min_size=4, max_size=14))
    def test_units_are_where_they_went_and_all_of_it_can_be_taken_back(self, acts: list[tuple[str, int]]) -> None:  # fmt: skip
        order, purchase = self.coated()
        before = self.stock()
        happened: list[tuple[int, dict[str, int]]] = []
        for act, n in [("mill", 9), ("ship", 6), *acts]:
            if act == "mirror":
                if happened and self.said("take-back", posting=happened[-1][0]):
                    happened.pop()
                continue
            name, given_ = self.act(act, order, purchase, n)
            if said := self.said(name, **given_):
                moves = {w: n * sign for w, sign in MOVES[act].items()}
                if act == "ship":  # what came back and was never entered as sent counts as sent
                    so_far = self.moved([m for _, m in happened])
                    moves["sent"] += max(0, self.worked(so_far) - so_far["sent"])
                happened.append((said["postings"][0], moves))
            self.look(order, [moved for _, moved in happened])
        self.assertEqual(differences(), [])
        for posting, _ in reversed(happened):
            self.caller.must("take-back", {"posting": posting})
        self.look(order, [])
        self.assertEqual((self.stock(), differences()), (before, []))
        self.assertFalse(Delivery.objects.filter(is_open=True).exists())
        self.assertEqual(PurchaseLine.objects.get(order__number=order).received, 0)

    def coated(self) -> tuple[int, int]:
        """Release cells that are milled, and coated by a supplier who is paid on pieces sent."""
        do = self.caller.must
        receive(self.shop, "AP-20", "400")
        do("define-partner", {"code": "ANO", "name": "Example Anodizing"})
        coat = {"supplier": "ANO", "subcontract_price": "5", "payment_basis": "pieces sent"}
        mirror_cell.structure(
            self.shop,
            "MA-200",
            [{"number": 10, "name": "Mill cell", "work_center": "MILL", **mirror_cell.MILL_HOURS}, {"number": 20, "name": "Coat", "work_center": "ASSY", **coat}],
            [{"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at operation"}],
        )  # fmt: skip
        self.shop.do("freeze-standard")
        given = {"item": "MA-200", "quantity": "12", "due": DUE, "supply_place": "STORE", "receipt_place": "STORE"}  # fmt: skip
        order = int(do("plan-order", given)["made"]["order"])
        purchase = int(do("release-order", {"order": order})["made"]["purchases"])
        do("send-purchase", {"purchase": purchase})
        return order, purchase

    def act(self, name: str, order: int, purchase: int, n: int) -> tuple[str, dict[str, Any]]:
        many, at = str(n), {"order": order, "operation": 20}
        return {
            "mill": ("report", {"order": order, "operation": 10, "good": many}),
            "ship": ("ship-to-supplier", at | {"quantity": many}),
            "again": ("ship-to-supplier", at | {"quantity": many, "again": True}),
            "back": ("receive-purchase", {"purchase": purchase, "lines": [{"line": 1, "quantity": many}]}),
            "lost": ("receive-purchase", {"purchase": purchase, "lines": [{"line": 1, "quantity": "0", "scrap": [{"reason": "DROPPED", "quantity": many}]}]}),
            "set aside": ("report", at | {"good": "0", "rework": many}),
        }[name]  # fmt: skip

    def said(self, name: str, /, **given: Any) -> Any:
        """Return what an act answers, None where it is refused as a person's mistake."""
        answer = self.caller.do(name, given)
        self.assertIn(self.caller.status, (200, 409, 422), answer)
        return answer if self.caller.status == 200 else None

    def look(self, order: int, happened: list[dict[str, int]]) -> None:
        """Compare where the units of an order are with where they went."""
        moved = self.moved(happened)
        mill, coat = OrderOperation.objects.filter(order__number=order).order_by("number")
        self.assertEqual(mill.good, moved["milled"])
        self.assertEqual((coat.sent, coat.good, coat.scrap, coat.rework), tuple(moved[w] for w in ("sent", "good", "scrap", "rework")))  # fmt: skip
        out = sum((Decimal(r["out"]) for r in self.caller.get("purchases/out")), Decimal(0))
        worked = self.worked(moved)
        self.assertEqual(out, max(0, moved["sent"] - worked), "out is what went and is not back")
        stands = moved["milled"] - max(moved["sent"], worked)
        self.assertGreaterEqual(stands, 0, "nothing goes that is not there")
        if moved["sent"]:
            self.assertGreaterEqual(moved["sent"], worked, "nothing is back that did not go")

    def moved(self, happened: list[dict[str, int]]) -> dict[str, int]:
        whats = ("milled", "sent", "good", "scrap", "rework")
        return {w: sum(h.get(w, 0) for h in happened) for w in whats}

    def worked(self, moved: dict[str, int]) -> int:
        return moved["good"] + moved["scrap"] + moved["rework"]

    def stock(self) -> list[tuple[Any, ...]]:
        wip = WipBalance.objects.exclude(amount=0).values_list("operation", "element", "amount")
        return [*Holding.objects.order_by("pk").values_list("item", "quantity", "value"), *wip]
