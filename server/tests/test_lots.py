"""Lots and serials: which pieces move, how they are numbered, and what may not move."""

from datetime import timedelta
from typing import Any

from django.test import TestCase
from django.utils import timezone
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Lot, Posting, StockLine
from poietic.ledger.verify import differences

from . import tracked
from .client import Caller, make_person
from .tracked import move, on_hand, receive, running_order

YEAR = timezone.now().year


class Lots(TestCase):
    """One shop, one order of kits, its material by lot and serial."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        cls.order = running_order(cls.shop)
        cls.caller = Caller(make_person())

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def refused(self, name: str, given: dict[str, Any], code: str, status: int) -> dict[str, Any]:
        """Return the problem with which a command is refused over HTTP, with nothing posted."""
        before = Posting.objects.count()
        said: dict[str, Any] = self.caller.do(name, given)
        self.assertEqual((said["code"], self.caller.status), (code, status), said)
        self.assertEqual(Posting.objects.count(), before)
        return said

    def coming_in(self, item: str, quantity: str, **lots: str) -> dict[str, Any]:
        """Return the input of a receipt."""
        named = [{"lot": lot, "quantity": q} for lot, q in lots.items()]
        return {"lines": [{"item": item, "quantity": quantity, "price": "1", "place": "STORE", "lots": named}]}  # fmt: skip

    def going_out(self, item: str, quantity: str, **lots: str) -> dict[str, Any]:
        """Return the input of an issue or a return."""
        named = [{"lot": lot, "quantity": q} for lot, q in lots.items()]
        return {"order": self.order, "lines": [{"operation": 10, "item": item, "quantity": quantity, "lots": named}]}  # fmt: skip

    def test_lots_are_numbered_by_the_items_rule_and_know_what_brought_them(self) -> None:
        first = receive(self.shop, "GLASS", "4", "10")
        receive(self.shop, "GLASS", "3", "11")

        self.assertEqual(on_hand("GLASS"), {f"GL{YEAR}-001": "4", f"GL{YEAR}-002": "3"})
        lot = Lot.objects.get(code=f"GL{YEAR}-001")
        self.assertEqual((lot.came_by_id, lot.kind), (first.postings[0], "lot"))

    def test_serials_are_numbered_piece_by_piece_without_a_gap(self) -> None:
        receive(self.shop, "CAMERA", "3", "100")

        self.assertEqual(on_hand("CAMERA"), {f"CA{YEAR}-00{n}": "1" for n in (1, 2, 3)})

    def test_a_number_that_somebody_took_by_hand_is_passed_over(self) -> None:
        receive(self.shop, "GLASS", "1", "10", {"lot": f"GL{YEAR}-001", "quantity": "1"})

        receive(self.shop, "GLASS", "1", "10")

        self.assertIn(f"GL{YEAR}-002", on_hand("GLASS"))

    def test_a_preview_uses_no_number_up(self) -> None:
        shop = Shop(make_person("bo"))
        given = self.coming_in("GLASS", "1")
        seen = shop.preview("receive-material", **given).consequences

        self.assertEqual(shop.do("receive-material", **given).consequences, seen)
        self.assertEqual(list(on_hand("GLASS")), [f"GL{YEAR}-001"])

    def test_what_comes_in_keeps_the_suppliers_code_and_its_last_day(self) -> None:
        receive(self.shop, "GLASS", "4", "10", {"lot": "G1", "quantity": "4", "supplier_code": "S-77", "expires_on": "2030-01-31"})  # fmt: skip

        lot = Lot.objects.get(code="G1")
        self.assertEqual((lot.supplier_code, str(lot.expires_on)), ("S-77", "2030-01-31"))

    def test_the_first_to_expire_is_issued_first_then_the_oldest(self) -> None:
        receive(self.shop, "GLASS", "4", "10", {"lot": "OLD", "quantity": "4"})
        receive(self.shop, "GLASS", "2", "10", {"lot": "SOON", "quantity": "2", "expires_on": "2090-01-31"})  # fmt: skip

        move(self.shop, "issue", self.order, "GLASS", "3")

        self.assertEqual(on_hand("GLASS"), {"OLD": "3"})

    def test_the_lots_that_are_named_are_issued(self) -> None:
        receive(self.shop, "GLASS", "6", "10", {"lot": "A", "quantity": "4"}, {"lot": "B", "quantity": "2"})  # fmt: skip

        move(self.shop, "issue", self.order, "GLASS", "3", ("A", "1"), ("B", "2"))

        self.assertEqual(on_hand("GLASS"), {"A": "3"})
        lines = StockLine.objects.filter(posting__kind="issue", item__code="GLASS")
        self.assertEqual({line.lot.code for line in lines if line.lot}, {"A", "B"})

    def test_the_latest_issued_comes_back_first(self) -> None:
        for lot in ("A", "B"):
            receive(self.shop, "GLASS", "2", "10", {"lot": lot, "quantity": "2"})
            move(self.shop, "issue", self.order, "GLASS", "2", (lot, "2"))

        move(self.shop, "return", self.order, "GLASS", "3")

        self.assertEqual(on_hand("GLASS"), {"A": "1", "B": "2"})

    def test_only_pieces_that_were_issued_come_back(self) -> None:
        receive(self.shop, "GLASS", "4", "10", {"lot": "A", "quantity": "2"}, {"lot": "B", "quantity": "2"})  # fmt: skip
        move(self.shop, "issue", self.order, "GLASS", "2", ("A", "2"))

        said = self.refused("return-material", self.going_out("GLASS", "1", B="1"), "lot.not_issued", 409)  # fmt: skip

        self.assertIn("0 of it are issued", said["detail"])

    def test_lots_that_come_to_another_quantity_are_refused(self) -> None:
        self.refused("receive-material", self.coming_in("GLASS", "4", A="3"), "lot.does_not_add_up", 422)  # fmt: skip

    def test_an_untracked_item_has_no_lot(self) -> None:
        self.refused("receive-material", self.coming_in("AVERAGE", "4", A="4"), "lot.not_tracked", 422)  # fmt: skip

    def test_a_serial_is_one_piece_and_comes_in_once(self) -> None:
        self.refused("receive-material", self.coming_in("CAMERA", "2", C1="2"), "lot.serial_is_one_piece", 422)  # fmt: skip
        receive(self.shop, "CAMERA", "1", "10", {"lot": "C1", "quantity": "1"})

        said = self.refused("receive-material", self.coming_in("CAMERA", "1", C1="1"), "lot.already_there", 409)  # fmt: skip

        self.assertIn("Main store", said["detail"])

    def test_what_is_held_back_or_expired_is_not_used(self) -> None:
        receive(self.shop, "GLASS", "4", "10", {"lot": "A", "quantity": "4"})
        yesterday = timezone.localdate() - timedelta(days=1)
        for change, words in (
            ({"state": "quarantined"}, "quarantined"),
            ({"state": "rejected"}, "rejected"),
            ({"state": "usable", "expires_on": yesterday}, "expired since"),
        ):
            Lot.objects.filter(code="A").update(**change)
            said = self.refused("issue-material", self.going_out("GLASS", "1", A="1"), "lot.not_usable", 409)  # fmt: skip
            self.assertIn(words, said["detail"])

    def test_without_a_usable_lot_nothing_is_chosen(self) -> None:
        receive(self.shop, "GLASS", "4", "10", {"lot": "A", "quantity": "4"})
        Lot.objects.filter(code="A").update(state="quarantined")

        said = self.refused("issue-material", self.going_out("GLASS", "1"), "stock.not_enough", 409)  # fmt: skip

        self.assertIn("4 pcs A at Main store, which may not be used", said["fix"])

    def test_more_than_a_lot_has_is_refused_with_what_there_is(self) -> None:
        receive(self.shop, "GLASS", "4", "10", {"lot": "A", "quantity": "4"})

        said = self.refused("issue-material", self.going_out("GLASS", "5", A="5"), "stock.not_enough", 409)  # fmt: skip

        self.assertIn("GLASS A at Main store: 5 pcs wanted, 4 pcs there", said["title"])

    def test_output_gets_serials_and_a_receipt_taken_back_takes_them_away(self) -> None:
        for code in tracked.BOUGHT:
            receive(self.shop, code, "10", "10")
            move(self.shop, "issue", self.order, code, "10")
        received = self.shop.do("report", order=self.order, operation=10, good="5", receive="5")
        self.assertEqual(on_hand("KIT"), {f"K-000{n}": "1" for n in range(1, 6)})

        self.shop.do("take-back", posting=received.postings[0])

        self.assertEqual(on_hand("KIT"), {})
        self.shop.do("report", order=self.order, operation=10, good="2", receive="2", lots=[{"lot": "K-0001", "quantity": "1"}, {"lot": "SPECIAL", "quantity": "1"}])  # fmt: skip
        self.assertEqual(on_hand("KIT"), {"K-0001": "1", "SPECIAL": "1"})

    def test_how_pieces_are_told_apart_stays_while_there_are_some(self) -> None:
        receive(self.shop, "AVERAGE", "4", "10")

        self.refused("change-item", {"code": "AVERAGE", "tracking": "lot", "number_rule": "A{number}"}, "item.has_stock", 409)  # fmt: skip

    def test_serials_need_whole_pieces(self) -> None:
        self.refused("change-item", {"code": "AP-20", "tracking": "serial", "number_rule": "A{number}"}, "input.invalid", 422)  # fmt: skip

    def test_stock_is_shown_by_lot_with_what_is_reserved(self) -> None:
        receive(self.shop, "GLASS", "4", "10", {"lot": "A", "quantity": "4"})

        rows = self.caller.get("items/GLASS/stock")["rows"]

        self.assertEqual([(r["lot"], r["place"], r["quantity"]) for r in rows], [("A", "STORE", "4.000000")])  # fmt: skip


class NotedLots(TestCase):
    """A step asks for the lot of a lens; a lens of another kind may stand in for it."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = shop = Shop()
        mirror_cell.define(shop)
        for code in ("LENS", "SPARE"):
            shop.do("define-item", code=code, name=code.title(), unit="pcs", source="buy", price="10", tracking="lot", number_rule=code[0] + "-{number:2}")  # fmt: skip
            receive(shop, code, "9", "10", {"lot": f"{code[0]}-A", "quantity": "4"}, {"lot": f"{code[0]}-B", "quantity": "5"})  # fmt: skip
        shop.do("define-item", code="HOOD", name="Hood", unit="pcs", source="buy", price="1")
        shop.do("define-item", code="TUBE", name="Tube", unit="pcs", source="make", standard_lot="5")  # fmt: skip

        cls.caller = Caller(make_person())

    def draft(self, noted: str, at: int = 20) -> dict[str, Any]:
        """Return the structure of a tube whose step notes a lot."""
        step = {"kind": "lot", "text": "Lot of the lens", "item": noted}
        operations = [
            {"number": n, "name": name, "work_center": "ASSY", "run_labour_hours": "0.1", "steps": [step] if n == at else []}
            for n, name in ((10, "Mount"), (20, "Test"))
        ]  # fmt: skip
        lens = {"item": "LENS", "operation": 10, "quantity": "1", "alternates": [{"item": "SPARE", "ratio": "1"}]}  # fmt: skip
        hood = {"item": "HOOD", "operation": 20, "quantity": "1"}
        return {"item": "TUBE", "operations": operations, "components": [lens, hood]}

    def refused(self, noted: str, at: int, words: str) -> None:
        """Try to approve, and have it refused for one reason."""
        self.caller.must("draft-structure", self.draft(noted, at))
        said = self.caller.do("approve-structure", {"item": "TUBE"})
        self.assertEqual(
            (self.caller.status, said["code"]), (422, "structure.not_approvable"), said
        )
        self.assertIn(words, str(said))

    def test_only_what_went_in_and_is_told_apart_can_be_noted(self) -> None:
        self.refused(
            "HOOD", 20, "component:HOOD: Its lot is noted, but its pieces aren't told apart"
        )
        self.refused("HOOD", 10, "Lot of the lens names no component that went in by then")
        self.refused("", 20, "Lot of the lens names no component that went in by then")

    def test_the_order_tells_the_lots_that_went_in_and_did_not_come_back(self) -> None:
        self.shop.do("draft-structure", **self.draft("LENS"))
        self.shop.do("approve-structure", item="TUBE")
        self.shop.do("freeze-standard")
        order = running_order(self.shop, item="TUBE")

        def noted() -> list[str]:
            operations = self.caller.get(f"orders/{order}")["operations"]
            self.assertEqual([len(o["steps"]) for o in operations], [0, 1])
            lots: list[str] = operations[1]["steps"][0]["lots"]
            return lots

        self.assertEqual(noted(), [])
        move(self.shop, "issue", order, "LENS", "3", ("L-A", "1"), ("L-B", "2"))
        self.assertEqual(noted(), ["L-A", "L-B"])
        move(self.shop, "return", order, "LENS", "1", ("L-A", "1"))
        self.assertEqual(noted(), ["L-B"])
        lots = [{"lot": "S-B", "quantity": "2"}]
        spare = {
            "operation": 10,
            "item": "SPARE",
            "instead_of": "LENS",
            "quantity": "2",
            "lots": lots,
        }
        back = self.shop.do("issue-material", order=order, lines=[spare])
        self.assertEqual(noted(), ["L-B", "S-B"])
        self.shop.do("take-back", posting=back.postings[-1])
        self.assertEqual(noted(), ["L-B"])
        self.assertEqual(differences(), [])
