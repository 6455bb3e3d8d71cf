"""Stock moved, counted, scrapped, sent between sites, and lots told apart, judged and put right."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase
from django.utils import timezone
from poietic.catalog.models import Place
from poietic.demo.shop import Shop
from poietic.ledger.models import Holding, JournalLine, Lot, Reservation, StockBalance
from poietic.ledger.verify import differences
from poietic.orders.keeping import keep_all
from poietic.orders.models import Shortage, StoredAttention
from poietic.stores.models import CountLine, LotChange, Transfer

from . import tracked
from .client import Caller, make_person
from .tracked import move, on_hand, receive, running_order, worth


def at(item: str) -> dict[str, int]:
    """Return what there is of an item, by place."""
    found: dict[str, int] = {}
    for b in StockBalance.objects.filter(item__code=item, quantity__gt=0).select_related("place"):
        found[b.place.code] = found.get(b.place.code, 0) + int(b.quantity)
    return found


def reserved_at(order: int, item: str) -> dict[str, int]:
    """Return what an order has reserved of an item, by place."""
    rows = Reservation.objects.filter(cost_object__number=order, item__code=item)
    return {r.place.code: int(r.quantity) for r in rows.select_related("place")}


class StoresTest(TestCase):
    """A works of two sites with everything in stock, and an order of five kits that wants ten of each."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        cls.caller = Caller(make_person())
        cls.shop.do("define-place", code="SHELF", name="Shelf by the bench", kind="floor")
        cls.shop.do("define-site", code="HILL", name="Hill works")
        cls.shop.do("define-place", code="HILL-1", name="Hill store", kind="store", site="HILL")
        cls.shop.do("define-reason", code="DAMP", name="Got damp", use="scrap")
        cls.shop.do("define-reason", code="COUNT", name="Counted differently", use="adjustment")
        receive(cls.shop, "AVERAGE", "14", "10")
        receive(cls.shop, "LAYERED", "8", "10")
        receive(cls.shop, "LAYERED", "8", "12")
        receive(cls.shop, "GLASS", "12", "10", {"lot": "G1", "quantity": "7"}, {"lot": "G2", "quantity": "5"})  # fmt: skip
        receive(cls.shop, "CRYSTAL", "6", "10", {"lot": "C1", "quantity": "6"})
        receive(cls.shop, "CAMERA", "3", "10")

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def must(self, name: str, /, **given: Any) -> Any:
        return self.caller.must(name, given)

    def refused(self, code: str, name: str, /, **given: Any) -> Any:
        """Assert that a command is refused, and return why."""
        answer = self.caller.do(name, given)
        self.assertEqual(answer.get("code"), code, answer)
        return answer

    def booked(self, account: str) -> Decimal:
        """Return what is on an account."""
        amounts = JournalLine.objects.filter(account=account).values_list("amount", flat=True)
        return sum(amounts, Decimal(0))


class Moving(StoresTest):
    """Within the works, no value comes or goes."""

    def carry(self, item: str, quantity: str, *lots: tuple[str, str], to: str = "SHELF") -> Any:
        named = [{"lot": lot, "quantity": q} for lot, q in lots]
        line = {"item": item, "quantity": quantity, "lots": named}
        return self.must("move-stock", from_place="STORE", to_place=to, lines=[line])

    def test_stock_goes_to_another_place_at_no_value_by_lot_and_by_layer(self) -> None:
        before = list(Holding.objects.order_by("pk").values_list("quantity", "value"))
        self.carry("AVERAGE", "4")
        self.carry("LAYERED", "9")
        self.carry("GLASS", "6", ("G2", "5"), ("G1", "1"))
        self.carry("CAMERA", "2")

        self.assertEqual(at("AVERAGE"), {"STORE": 10, "SHELF": 4})
        self.assertEqual(at("LAYERED"), {"STORE": 7, "SHELF": 9})
        self.assertEqual(at("GLASS"), {"STORE": 6, "SHELF": 6})
        self.assertEqual(at("CAMERA"), {"STORE": 1, "SHELF": 2})
        self.assertEqual(list(Holding.objects.order_by("pk").values_list("quantity", "value")), before)  # fmt: skip

    def test_of_lots_that_nobody_names_the_first_to_expire_goes(self) -> None:
        soon = str(timezone.localdate() + timedelta(days=3))
        receive(self.shop, "GLASS", "2", "1", {"lot": "G-SOON", "quantity": "2", "expires_on": soon})  # fmt: skip
        self.carry("GLASS", "3")

        there = StockBalance.objects.filter(item__code="GLASS", place__code="SHELF", quantity__gt=0)
        self.assertEqual({b.lot.code: int(b.quantity) for b in there if b.lot}, {"G-SOON": 2, "G1": 1})  # fmt: skip

    def test_it_is_taken_back_to_where_it_was(self) -> None:
        posted = self.carry("GLASS", "6", ("G2", "5"), ("G1", "1"))["postings"][0]
        self.must("take-back", posting=posted)

        self.assertEqual(at("GLASS"), {"STORE": 12})

    def test_what_is_reserved_stays_reserved_where_it_went(self) -> None:
        order = running_order(self.shop)  # 10 of the 14
        self.carry("AVERAGE", "4")
        self.assertEqual(reserved_at(order, "AVERAGE"), {"STORE": 10})
        self.carry("AVERAGE", "6")

        self.assertEqual(reserved_at(order, "AVERAGE"), {"STORE": 4, "SHELF": 6})

    def test_more_than_there_is_moves_nothing_of_the_whole_act(self) -> None:
        lines = [{"item": "LAYERED", "quantity": "1"}, {"item": "AVERAGE", "quantity": "15"}]
        self.refused("stock.not_enough", "move-stock", from_place="STORE", to_place="SHELF", lines=lines)  # fmt: skip

        self.assertEqual(at("LAYERED"), {"STORE": 16})

    def test_nothing_moves_to_where_it_is_or_to_another_site(self) -> None:
        line = {"item": "AVERAGE", "quantity": "1"}
        for place, word in (("STORE", "already"), ("HILL-1", "send a transfer")):
            said = self.refused("input.invalid", "move-stock", from_place="STORE", to_place=place, lines=[line])  # fmt: skip
            self.assertIn(word, said["detail"])


class LosingAndFinding(StoresTest):
    """Scrap is an expense; what is counted differently has its own account."""

    def test_scrap_leaves_at_its_value_and_what_was_reserved_is_let_go_of(self) -> None:
        order = running_order(self.shop)
        said = self.must("scrap-stock", item="AVERAGE", quantity="6", place="STORE", why="DAMP")

        self.assertEqual(worth("AVERAGE"), "80.00")
        self.assertEqual(self.booked("scrap expense"), Decimal(60))
        self.assertEqual(reserved_at(order, "AVERAGE"), {"STORE": 8})
        remarks = [r["text"] for r in said["consequences"]["remarks"]]
        self.assertEqual(remarks, [f"2 pcs no longer reserved for production order {order}"])
        short = Shortage.objects.get(order__number=order, item__code="AVERAGE")
        self.assertEqual(short.quantity, 2)

    def test_of_layers_the_oldest_is_scrapped_and_comes_back_when_taken_back(self) -> None:
        said = self.must("scrap-stock", item="LAYERED", quantity="9", place="STORE", why="DAMP")
        self.assertEqual(self.booked("scrap expense"), Decimal("92.00"))  # 8 at 10, 1 at 12
        self.must("take-back", posting=said["postings"][0])

        self.assertEqual(worth("LAYERED"), "176.00")

    def test_what_turns_up_comes_in_at_the_average_and_what_is_gone_goes_at_it(self) -> None:
        receive(self.shop, "AVERAGE", "6", "20")  # 20 worth 260
        self.must("adjust-stock", item="AVERAGE", place="STORE", on_hand="22", why="COUNT")
        self.assertEqual((worth("AVERAGE"), self.booked("count difference")), ("286.00", Decimal(-26)))  # fmt: skip
        self.must("adjust-stock", item="AVERAGE", place="STORE", on_hand="21", why="COUNT")

        self.assertEqual((worth("AVERAGE"), self.booked("count difference")), ("273.00", Decimal(-13)))  # fmt: skip
        self.refused("input.invalid", "adjust-stock", item="AVERAGE", place="STORE", on_hand="21", why="COUNT")  # fmt: skip

    def test_a_lot_is_put_right_by_itself_and_a_reason_of_another_use_is_refused(self) -> None:
        self.must("adjust-stock", item="GLASS", place="STORE", lot="G2", on_hand="0", why="COUNT")

        self.assertEqual(on_hand("GLASS"), {"G1": "7"})
        self.refused("input.not_found", "adjust-stock", item="GLASS", place="STORE", lot="G1", on_hand="1", why="DAMP")  # fmt: skip


class Counting(StoresTest):
    """Blind, counted again beyond the tolerance, and posted with a reason."""

    def opened(self, **given: Any) -> int:
        return int(self.must("open-count", **given)["made"]["count"])

    def enter(self, count: int, **counted: str) -> Any:
        lines = []
        for name, quantity in counted.items():
            item, _, lot = name.partition("_")
            lines.append({"item": item, "place": "STORE", "lot": lot, "counted": quantity})
        return self.must("enter-count", count=count, lines=lines)

    def test_a_blind_count_says_what_the_books_say_only_of_what_was_counted(self) -> None:
        count = self.opened(place="STORE")
        self.enter(count, AVERAGE="14")

        told = {(n["item"], n["lot"]): n for n in self.caller.get(f"stores/counts/{count}")["lines"]}  # fmt: skip
        self.assertEqual(told["AVERAGE", ""]["difference"], "0.000000")
        self.assertIsNone(told["GLASS", "G1"]["on_hand"])
        self.assertEqual({k for k in told if k[0] == "GLASS"}, {("GLASS", "G1"), ("GLASS", "G2")})

    def test_beyond_the_tolerance_it_is_counted_again_before_it_is_told_or_posted(self) -> None:
        count = self.opened(item="AVERAGE", tolerance="0.1")
        said = self.enter(count, AVERAGE="12")  # 2 of 14 is more than a tenth
        self.assertIn("count it again", said["consequences"]["remarks"][0]["text"])
        self.assertIsNone(self.caller.get(f"stores/counts/{count}")["lines"][0]["on_hand"])
        refusal = self.refused("count.not_counted", "post-count", count=count, why="COUNT")
        self.assertIn("AVERAGE at Main store", refusal["detail"])
        self.enter(count, AVERAGE="12")
        self.must("post-count", count=count, why="COUNT")

        self.assertEqual((at("AVERAGE"), worth("AVERAGE")), ({"STORE": 12}, "120.00"))
        self.refused("count.ended", "enter-count", count=count, lines=[{"item": "AVERAGE", "place": "STORE", "counted": "1"}])  # fmt: skip

    def test_what_moves_between_counting_and_posting_stays_moved(self) -> None:
        count = self.opened(item="AVERAGE", tolerance="1")
        self.enter(count, AVERAGE="13")  # one is missing
        line = {"item": "AVERAGE", "quantity": "4"}
        self.must("move-stock", from_place="STORE", to_place="SHELF", lines=[line])
        self.must("post-count", count=count, why="COUNT")

        self.assertEqual(at("AVERAGE"), {"STORE": 9, "SHELF": 4})

    def test_what_nobody_expected_is_added_and_what_is_right_needs_no_reason(self) -> None:
        receive(self.shop, "COATING", "1", "9", {"lot": "K1", "quantity": "1"})
        self.must("adjust-stock", item="COATING", place="STORE", lot="K1", on_hand="0", why="COUNT")
        count = self.opened(item="COATING")
        self.enter(count, COATING_K1="3")
        self.enter(count, COATING_K1="3")
        self.refused("input.invalid", "post-count", count=count)
        self.must("post-count", count=count, why="COUNT")

        self.assertEqual(on_hand("COATING"), {"K1": "3"})
        right = self.opened(item="AVERAGE")
        self.enter(right, AVERAGE="14")
        self.must("post-count", count=right)
        self.assertEqual(CountLine.objects.filter(count=right).get().times, 1)

    def test_a_count_keeps_to_what_it_is_about_and_can_be_dropped(self) -> None:
        count = self.opened(item="AVERAGE")
        line = {"item": "LAYERED", "place": "STORE", "counted": "1"}
        self.refused("input.invalid", "enter-count", count=count, lines=[line])
        self.refused("input.invalid", "open-count")
        self.must("drop-count", count=count)

        self.refused("count.ended", "post-count", count=count)


class Transfers(StoresTest):
    """Sent, on the way, arrived; what never came is a count difference."""

    def send(self, *lines: dict[str, Any]) -> int:
        said = self.must("send-transfer", from_place="STORE", to_place="HILL-1", lines=list(lines))
        return int(said["made"]["transfer"])

    def test_what_is_on_the_way_is_ours_and_free_for_nobody_until_it_arrives(self) -> None:
        order = running_order(self.shop)
        number = self.send({"item": "AVERAGE", "quantity": "9"}, {"item": "GLASS", "quantity": "4"})

        self.assertEqual(at("AVERAGE"), {"STORE": 5, "transit:HILL": 9})
        self.assertEqual(worth("AVERAGE"), "140.00")
        self.assertEqual(reserved_at(order, "AVERAGE"), {"STORE": 5})
        short = Shortage.objects.get(order__number=order, item__code="AVERAGE")
        self.assertEqual(short.quantity, 5)
        told = self.caller.get("stores/items/AVERAGE")
        self.assertEqual([Decimal(told[k]) for k in ("on_hand", "on_the_way", "free")], [14, 9, 0])

        self.must("receive-transfer", transfer=number)
        self.assertEqual(at("AVERAGE"), {"STORE": 5, "HILL-1": 9})
        self.assertFalse(Transfer.objects.get(pk=number).is_on_the_way)
        self.assertFalse(Shortage.objects.filter(order__number=order, item__code="AVERAGE"))

    def test_it_arrives_in_parts_some_goes_back_and_what_is_missing_says_why(self) -> None:
        number = self.send({"item": "AVERAGE", "quantity": "9"})
        part = {"item": "AVERAGE", "arrived": "4"}
        self.must("receive-transfer", transfer=number, lines=[part])
        self.must("receive-transfer", transfer=number, place="STORE", lines=[part | {"arrived": "2"}])  # fmt: skip
        over = self.refused("transfer.more_than_sent", "receive-transfer", transfer=number, lines=[part])  # fmt: skip
        self.assertIn("3 pcs", over["detail"])
        lost = part | {"arrived": "1", "missing": "2"}
        self.refused("input.invalid", "receive-transfer", transfer=number, lines=[lost])
        self.must("receive-transfer", transfer=number, lines=[lost], why="COUNT")

        self.assertEqual(at("AVERAGE"), {"STORE": 7, "HILL-1": 5})
        self.assertEqual(self.booked("count difference"), Decimal(20))
        self.refused("input.invalid", "receive-transfer", transfer=number)

    def test_a_transfer_is_not_taken_back_but_received_where_it_came_from(self) -> None:
        said = self.must("send-transfer", from_place="STORE", to_place="HILL-1", lines=[{"item": "CAMERA", "quantity": "2"}])  # fmt: skip
        refusal = self.refused("posting.not_reversible", "take-back", posting=said["postings"][0])
        self.assertIn("where it came from", refusal["fix"])
        self.must("receive-transfer", transfer=int(said["made"]["transfer"]), place="STORE")

        self.assertEqual(at("CAMERA"), {"STORE": 3})

    def test_within_a_site_nothing_is_sent_and_a_line_that_was_not_sent_does_not_come(self) -> None:
        line = {"item": "AVERAGE", "quantity": "1"}
        self.refused("input.invalid", "send-transfer", from_place="STORE", to_place="SHELF", lines=[line])  # fmt: skip
        number = self.send(line)
        other = {"item": "GLASS", "lot": "G1", "arrived": "1"}
        self.refused("input.not_found", "receive-transfer", transfer=number, lines=[other])
        self.shop.do("define-site", code="FAR", name="Far works")
        self.shop.do("define-place", code="FAR-1", name="Far store", kind="store", site="FAR")
        self.refused("input.invalid", "receive-transfer", transfer=number, place="FAR-1")


class Lots(StoresTest):
    """Which pieces they are."""

    def test_what_is_held_back_is_let_go_of_and_free_again_when_it_may_be_used(self) -> None:
        order = running_order(self.shop)  # ten of the twelve
        given = {"item": "GLASS", "lot": "G1", "reason": "bubbles"}
        said = self.must("judge-lot", **given, state="quarantined")

        self.assertIn(f"5 pcs no longer reserved for production order {order}", str(said))
        self.assertEqual(reserved_at(order, "GLASS"), {"STORE": 5})
        self.assertEqual(Shortage.objects.get(order__number=order, item__code="GLASS").quantity, 5)
        told = self.caller.get("stores/items/GLASS")
        self.assertEqual([Decimal(told[k]) for k in ("on_hand", "held", "reserved", "free")], [12, 7, 5, 0])  # fmt: skip
        held = self.caller.do("issue-material", {"order": order, "lines": [{"operation": 10, "item": "GLASS", "quantity": "6"}]})  # fmt: skip
        self.assertEqual(held["code"], "stock.not_enough")
        self.must("judge-lot", **given, state="usable")
        self.assertFalse(Shortage.objects.filter(order__number=order, item__code="GLASS"))

    def test_what_expires_soon_needs_a_decision_until_it_is_used_or_held_back(self) -> None:
        last = timezone.localdate() + timedelta(days=14)
        self.must("correct-lot", item="GLASS", lot="G1", expires_on=str(last), reason="read again")

        told = StoredAttention.objects.get(kind="expires")
        self.assertIn("GLASS: 7 pcs in one lot expires", told.sentence)
        self.assertEqual(told.money, 70)
        self.must("correct-lot", item="GLASS", lot="G1", expires_on=str(last + timedelta(days=1)), reason="read again")  # fmt: skip
        self.assertFalse(StoredAttention.objects.filter(kind="expires"))
        keep_all(timezone.now() + timedelta(days=1), stale_only=False)
        self.assertTrue(StoredAttention.objects.filter(kind="expires"), "the next day tells it")
        self.must("judge-lot", item="GLASS", lot="G1", state="rejected", reason="too old")
        self.assertFalse(StoredAttention.objects.filter(kind="expires"))

    def test_what_was_reserved_and_has_expired_is_short_from_the_next_day_on(self) -> None:
        today = timezone.localdate()
        self.must("correct-lot", item="GLASS", lot="G1", expires_on=str(today), reason="read again")
        order = running_order(self.shop)  # ten of the twelve, which may be used today
        self.assertFalse(Shortage.objects.filter(order__number=order, item__code="GLASS"))
        keep_all(timezone.now() + timedelta(days=1), stale_only=False)

        self.assertEqual(Shortage.objects.get(order__number=order, item__code="GLASS").quantity, 5)

    def test_what_is_put_right_stays_to_be_seen_with_what_it_was(self) -> None:
        last = timezone.localdate() + timedelta(days=30)
        self.must("correct-lot", item="GLASS", lot="G1", code="G-1", supplier_code="S7", expires_on=str(last), reason="read again")  # fmt: skip

        told = self.caller.get("stores/items/GLASS/lots/G-1")
        self.assertEqual((told["supplier_code"], told["expires_on"]), ("S7", str(last)))
        changed = {c["field"]: (c["before"], c["after"]) for c in told["changes"]}
        self.assertEqual(changed, {"code": ("G1", "G-1"), "supplier code": ("", "S7"), "expires on": ("", str(last))})  # fmt: skip
        self.assertEqual({c["why"] for c in told["changes"]}, {"read again"})
        self.refused("input.exists", "correct-lot", item="GLASS", lot="G-1", code="G2", reason="?")
        self.refused("input.invalid", "correct-lot", item="GLASS", lot="G-1", supplier_code="S7", reason="?")  # fmt: skip
        self.refused("input.not_found", "correct-lot", item="GLASS", lot="G1", code="X", reason="?")

    def test_a_part_of_a_lot_becomes_another_at_what_it_was_worth(self) -> None:
        self.must("split-lot", item="CRYSTAL", lot="C1", place="STORE", quantity="2", into="C1-B")

        self.assertEqual(on_hand("CRYSTAL"), {"C1": "4", "C1-B": "2"})
        self.assertEqual(worth("CRYSTAL"), "60.00")
        order = running_order(self.shop)
        move(self.shop, "issue", order, "CRYSTAL", "2", ("C1-B", "2"))
        self.assertEqual(worth("CRYSTAL"), "40.00")
        self.refused("input.exists", "split-lot", item="CRYSTAL", lot="C1", place="STORE", quantity="1", into="C1-B")  # fmt: skip
        self.refused("stock.not_enough", "split-lot", item="CRYSTAL", lot="C1", place="STORE", quantity="5", into="C9")  # fmt: skip

    def test_a_part_of_a_held_lot_is_held_and_keeps_its_last_day(self) -> None:
        last = timezone.localdate() + timedelta(days=9)
        Lot.objects.filter(code="G1").update(state="quarantined", expires_on=last)
        self.must("split-lot", item="GLASS", lot="G1", place="STORE", quantity="2", into="G1-B")

        part = Lot.objects.get(code="G1-B")
        self.assertEqual((part.state, part.expires_on), ("quarantined", last))
        self.assertEqual(LotChange.objects.get(lot=part).why, "split from G1")

    def test_lots_that_are_joined_expire_with_the_first(self) -> None:
        last = timezone.localdate() + timedelta(days=9)
        Lot.objects.filter(code="G1").update(expires_on=last)
        self.must("join-lots", item="GLASS", lot="G1", place="STORE", into="G2")

        self.assertEqual(on_hand("GLASS"), {"G2": "12"})
        self.assertEqual(Lot.objects.get(code="G2").expires_on, last)
        self.refused("input.invalid", "join-lots", item="GLASS", lot="G1", place="STORE", into="G2")
        Lot.objects.filter(code="G2").update(state="rejected")
        self.refused("input.invalid", "join-lots", item="GLASS", lot="G2", place="STORE", into="G1")

    def test_a_lot_of_which_nothing_is_left_comes_back_by_a_count_and_takes_another_in(
        self,
    ) -> None:
        right = {"item": "GLASS", "place": "STORE", "lot": "G2", "why": "COUNT"}
        self.must("adjust-stock", **right, on_hand="0")
        self.must("adjust-stock", **right, on_hand="3")
        self.assertEqual(on_hand("GLASS"), {"G1": "7", "G2": "3"})
        self.must("adjust-stock", **right, on_hand="0")
        self.must("join-lots", item="GLASS", lot="G1", place="STORE", into="G2")

        self.assertEqual(on_hand("GLASS"), {"G2": "7"})
        self.assertEqual(Lot.objects.filter(item__code="GLASS").count(), 2)

    def test_a_split_is_taken_back(self) -> None:
        said = self.must("split-lot", item="GLASS", lot="G1", place="STORE", quantity="2", into="N")
        self.must("take-back", posting=said["postings"][0])

        self.assertEqual(on_hand("GLASS"), {"G1": "7", "G2": "5"})

    def test_one_piece_is_neither_split_nor_joined(self) -> None:
        serials = list(Lot.objects.filter(item__code="CAMERA").values_list("code", flat=True))
        self.refused("input.invalid", "split-lot", item="CAMERA", lot=serials[0], place="STORE", quantity="1", into="N")  # fmt: skip
        self.refused("input.invalid", "join-lots", item="CAMERA", lot=serials[0], place="STORE", into=serials[1])  # fmt: skip
        self.refused("input.invalid", "judge-lot", item="GLASS", lot="G1", state="usable", reason="")  # fmt: skip


class Asked(StoresTest):
    """What stores tell."""

    def test_on_hand_is_reserved_free_held_and_on_the_way(self) -> None:
        running_order(self.shop)
        self.must("judge-lot", item="GLASS", lot="G2", state="rejected", reason="cracked")
        self.must("send-transfer", from_place="STORE", to_place="HILL-1", lines=[{"item": "GLASS", "quantity": "1"}])  # fmt: skip

        for row in self.caller.get("stores/stock")["rows"]:
            parts = [Decimal(row[k]) for k in ("reserved", "free", "held", "on_the_way")]
            self.assertEqual(sum(parts), Decimal(row["on_hand"]), row)
            one = self.caller.get(f"stores/items/{row['item']}")
            told = ("on_hand", "reserved", "free", "held", "on_the_way")
            self.assertEqual([Decimal(one[k]) for k in told], [Decimal(row[k]) for k in told], row)

    def test_stock_is_found_by_words_place_and_site(self) -> None:
        self.must("move-stock", from_place="STORE", to_place="SHELF", lines=[{"item": "AVERAGE", "quantity": "4"}])  # fmt: skip

        def found(**asked: str) -> dict[str, int]:
            rows = self.caller.get("stores/stock", **asked)["rows"]
            return {r["item"]: int(Decimal(r["on_hand"])) for r in rows}

        self.assertEqual(found(filter="AVER"), {"AVERAGE": 14})
        self.assertEqual(found(place="SHELF"), {"AVERAGE": 4})
        self.assertEqual(found(site="HILL"), {})
        self.assertEqual(found(filter="%"), {})
        self.assertEqual(len(found(limit="2", skip="1")), 2)

    def test_the_future_of_an_item_is_told_by_date_with_what_each_thing_is_for(self) -> None:
        order = running_order(self.shop, "7")  # wants 14 layered, and there are 16
        wanted = self.shop.do("plan-order", item="CS-01", quantity="3", due="2027-02-01", supply_place="STORE", receipt_place="STORE")  # fmt: skip
        told = self.caller.get("stores/items/LAYERED")
        self.assertEqual([(s["number"], Decimal(s["projected"])) for s in told["steps"]], [(order, 2)])  # fmt: skip
        self.assertEqual(told["steps"][0]["words"], "for Kit")
        made = self.caller.get("stores/items/CS-01")["steps"]
        self.assertEqual([(str(s["number"]), Decimal(s["projected"])) for s in made], [(wanted.made["order"], 3)])  # fmt: skip
        self.must("send-transfer", from_place="STORE", to_place="HILL-1", lines=[{"item": "LAYERED", "quantity": "5"}])  # fmt: skip
        told = self.caller.get("stores/items/LAYERED")
        self.assertEqual((Decimal(told["undated"]), Decimal(told["begins_at"])), (5, 11))

    def test_the_places_on_the_way_are_offered_nowhere(self) -> None:
        self.must("send-transfer", from_place="STORE", to_place="HILL-1", lines=[{"item": "AVERAGE", "quantity": "1"}])  # fmt: skip
        self.assertTrue(Place.objects.filter(kind="on the way").exists())

        offered = {p["code"] for p in self.caller.get("basics")["places"]}
        self.assertEqual(offered, {"STORE", "SHELF", "HILL-1"})
        self.refused("input.not_found", "move-stock", from_place="transit:HILL", to_place="HILL-1", lines=[{"item": "AVERAGE", "quantity": "1"}])  # fmt: skip


class SizedFromLot(StoresTest):
    """A kit takes two pieces of glass: a lot of seven sizes an order of three."""

    def planned(self, **more: Any) -> int:
        given = {"item": "KIT", "due": "2027-02-01", "lot_of": "GLASS", "lot": "G1"}
        return int(self.must("plan-order", **given, **more)["made"]["order"])

    def test_the_lot_sets_the_quantity_and_is_reserved_and_issued_first(self) -> None:
        soon = str(timezone.localdate() + timedelta(days=3))
        receive(self.shop, "GLASS", "4", "1", {"lot": "G-SOON", "quantity": "4", "expires_on": soon})  # fmt: skip
        order = self.planned()
        told = self.caller.get(f"orders/{order}")
        self.assertEqual((Decimal(told["quantity"]), told["lot"]), (3, "G1"))
        self.must("release-order", order=order)
        held = Reservation.objects.get(cost_object__number=order, item__code="GLASS")
        self.assertEqual((held.lot and held.lot.code, int(held.quantity)), ("G1", 6))
        self.must("issue-material", order=order, lines=[{"operation": 10, "item": "GLASS", "quantity": "5"}])  # fmt: skip

        self.assertEqual(on_hand("GLASS"), {"G1": "2", "G2": "5", "G-SOON": "4"})
        held.refresh_from_db()
        self.assertEqual(int(held.quantity), 1)

    def test_a_part_of_the_lot_sets_it_and_a_quantity_stands_beside_the_lot(self) -> None:
        part, told = self.planned(lot_quantity="4"), self.planned(quantity="5")
        quantities = [int(Decimal(self.caller.get(f"orders/{n}")["quantity"])) for n in (part, told)]  # fmt: skip
        self.assertEqual(quantities, [2, 5])
        self.must("release-order", order=told)  # ten: seven of the lot, three of any
        held = {r.lot.code if r.lot else "": int(r.quantity) for r in Reservation.objects.filter(item__code="GLASS")}  # fmt: skip
        self.assertEqual(held, {"G1": 7, "": 3})

    def test_a_lot_that_is_held_back_or_leaves_is_let_go_of(self) -> None:
        order = self.planned()
        self.must("release-order", order=order)
        self.must("move-stock", from_place="STORE", to_place="SHELF", lines=[{"item": "GLASS", "quantity": "3", "lot": "G1"}])  # fmt: skip
        self.assertEqual(reserved_at(order, "GLASS"), {"STORE": 4, "SHELF": 2})
        self.must("judge-lot", item="GLASS", lot="G1", state="quarantined", reason="bubbles")
        self.assertEqual(reserved_at(order, "GLASS"), {})

    def test_what_can_not_size_an_order_says_why(self) -> None:
        given = {"item": "KIT", "due": "2027-02-01"}
        self.refused("input.invalid", "plan-order", **given)
        self.refused("input.invalid", "plan-order", **given, lot="G1")
        self.refused("input.not_found", "plan-order", **given, lot="NONE", lot_of="GLASS")
        self.refused("input.invalid", "plan-order", **given, lot="G1", lot_of="GLASS", lot_quantity="1")  # fmt: skip
        self.refused("input.invalid", "plan-order", **given | {"item": "MA-200"}, lot="G1", lot_of="GLASS")  # fmt: skip
