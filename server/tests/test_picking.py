"""Material on its way to work centers: released in parts, picked, short, carried, staged, issued, put back."""

from decimal import Decimal
from typing import Any

from django.db import transaction
from django.db.models import F
from django.test import TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as PropertyCase
from poietic.catalog.models import Place
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Reservation, StockBalance
from poietic.ledger.verify import differences
from poietic.orders.models import Order, OrderInput, TrancheLine
from poietic.picking.models import PickLine, PickList

from .client import Caller, make_person

DUE = "2027-02-01"


def define_works(shop: Shop) -> None:
    """Define a mirror cell whose pads come in lots, floor places, a second store and an over-issue reason."""
    mirror_cell.define(shop)
    for code, kind, walk in (
        ("SHELF", "store", 5),
        ("MILL-F", "floor", 20),
        ("ASSY-F", "floor", 30),
    ):
        shop.do("define-place", code=code, name=code.title(), kind=kind, walk_order=walk)
    shop.do("define-site", code="HILL", name="Assembly shop")
    shop.do("define-place", code="HILL-1", name="Shop store", kind="store", site="HILL")
    shop.do("change-work-center", code="MILL", floor_place="MILL-F")
    shop.do("change-work-center", code="ASSY", floor_place="ASSY-F")
    shop.do("define-reason", code="SPOILT", name="Spoilt one", use="over-issue")
    pad = {"unit": "pcs", "source": "buy", "price": "0.50"}
    shop.do("define-item", code="PAD-L", name="Pad in lots", tracking="lot", number_rule="P{number:3}", **pad)  # fmt: skip
    shop.do("define-item", code="PAD-4", name="Larger pad", **pad)
    shop.do("change-item", code="MA-200", own_units=[{"name": "crate", "quantity": "4"}])
    alternates = [{"item": "PAD-4", "ratio": "0.5"}]
    mirror_cell.structure(
        shop,
        "MA-200",
        [
            {"number": 10, "name": "Mill cell", "work_center": "MILL", **mirror_cell.MILL_HOURS},
            {"number": 20, "name": "Assemble", "work_center": "ASSY", "run_labour_hours": "0.2"},
        ],
        [
            {"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at operation"},
            {"item": "PAD-3", "operation": 20, "quantity": "9", "alternates": alternates},
            {"item": "PAD-L", "operation": 20, "quantity": "2"},
        ],
    )
    shop.do("freeze-standard")


def receive(shop: Shop, item: str, quantity: str, *, place: str = "STORE", lot: str = "", **of_lot: Any) -> None:  # fmt: skip
    """Receive material at a place."""
    lots = [{"lot": lot, "quantity": quantity, **of_lot}] if lot else []
    line = {"item": item, "quantity": quantity, "price": "2", "place": place, "lots": lots}
    shop.do("receive-material", lines=[line])


class PickingTest(TestCase):
    """Cells of 2.4 kg of plate at operation 10, and nine pads and two pads in lots at operation 20."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        define_works(cls.shop)
        cls.shop.do("change-place", code="STORE", walk_order=10)
        receive(cls.shop, "AP-20", "48")
        receive(cls.shop, "PAD-3", "90")
        receive(cls.shop, "PAD-L", "10", lot="LATER", expires_on="2027-06-30")
        receive(cls.shop, "PAD-L", "10", lot="SOONER", expires_on="2027-03-31")
        cls.caller = Caller(make_person())

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def must(self, name: str, /, **given: Any) -> Any:
        return self.caller.must(name, given)

    def refused(self, code: str, name: str, /, **given: Any) -> Any:
        answer = self.caller.do(name, given)
        self.assertEqual(answer.get("code"), code, answer)
        return answer

    def order(self, quantity: str = "8", *, release: bool = True, **more: Any) -> int:
        said = self.must("plan-order", item="MA-200", quantity=quantity, due=DUE, supply_place="STORE", receipt_place="STORE")  # fmt: skip
        number = int(said["made"]["order"])
        if release:
            self.must("release-order", order=number, **more)
        return number

    def pick_list(self, *orders: Any, **more: Any) -> list[PickLine]:
        asked = [o if isinstance(o, dict) else {"order": o} for o in orders]
        made = self.must("make-pick-list", orders=asked, **more)["made"]["pick list"]
        return list(
            PickLine.objects.filter(pick_list=made).order_by(
                "place__walk_order", "item__code", "pk"
            )
        )

    def there(self, item: str) -> dict[str, str]:
        """Return what lies where, by place and lot."""
        rows = StockBalance.objects.filter(item__code=item, quantity__gt=0)
        rows = rows.select_related("place", "lot").order_by("place__code", "lot__code")
        return {f"{b.place} {b.lot or ''}".strip(): f"{b.quantity.normalize():f}" for b in rows}

    def kept(self, order: int, item: str) -> dict[str, str]:
        """Return what is reserved for an order, by place and lot."""
        rows = Reservation.objects.filter(cost_object__number=order, item__code=item)
        rows = rows.select_related("place", "lot").order_by("place__code", "lot__code")
        return {f"{r.place} {r.lot or ''}".strip(): f"{r.quantity.normalize():f}" for r in rows}

    def parts(self, order: int) -> dict[int | None, dict[str, tuple[str, str, str, str]]]:
        """Return by part and component what is released, picked, staged and issued."""
        found = self.caller.get(f"orders/{order}/parts")["parts"]
        four = ("released", "picked", "staged", "issued")
        return {
            p["number"]: {
                n["item"]: tuple(f"{Decimal(n[k]).normalize() + 0:f}" for k in four)  # type: ignore[misc]
                for n in p["lines"]
            }
            for p in found
        }


class InParts(PickingTest):
    """An order's material is released as the shifts need it."""

    def test_a_crate_for_the_first_operation_and_the_rest_later(self) -> None:
        order = self.order(release=False)
        self.must("release-part", order=order, quantity="1", unit="crate", to_operation=10)
        self.assertEqual(self.parts(order), {1: {"AP-20": ("9.6", "0", "0", "0")}})
        self.assertEqual(self.kept(order, "AP-20"), {"STORE": "9.6"})
        self.assertEqual(self.kept(order, "PAD-3"), {})

        self.must("release-part", order=order, quantity="4", from_operation=20)
        self.must("release-part", order=order)
        left = self.refused("order.more_than_left", "release-part", order=order, quantity="1")
        self.assertIn("0 pcs are left", left["detail"])
        released = {i.item.code: sum(n.quantity for n in i.released.all()) for i in OrderInput.objects.filter(order__number=order, kind="component").select_related("item") if i.item}  # fmt: skip
        self.assertEqual(released, {"AP-20": Decimal("19.2"), "PAD-3": Decimal(72), "PAD-L": Decimal(16)})  # fmt: skip

    def test_no_more_than_is_left_of_each_operation(self) -> None:
        order = self.order(release=False)
        self.must("release-part", order=order, quantity="5", to_operation=10)
        self.refused("order.more_than_left", "release-part", order=order, quantity="4")
        self.must("release-part", order=order, quantity="8", from_operation=20)
        self.assertEqual(self.parts(order)[2]["PAD-3"][0], "72")

    def test_a_unit_that_the_item_does_not_have_an_unknown_operation_and_a_half_piece(self) -> None:
        order = self.order(release=False)
        for more in ({"quantity": "1", "unit": "tray"}, {"from_operation": 15}, {"unit": "crate"}, {"from_operation": 20, "to_operation": 10}):  # fmt: skip
            self.refused("input.invalid", "release-part", order=order, **more)
        self.refused("quantity.off_step", "release-part", order=order, quantity="0.5")
        self.assertEqual(Order.objects.get(number=order).state, "planned")

    def test_what_is_released_as_a_whole_has_no_parts(self) -> None:
        order = self.order()
        self.refused("input.invalid", "release-part", order=order, quantity="1")
        self.assertEqual(self.parts(order)[None]["PAD-3"], ("72", "0", "0", "0"))

    def test_a_release_in_parts_is_taken_back_whole(self) -> None:
        order = self.order(release=False)
        self.must("release-part", order=order, quantity="4")
        self.must("withdraw-release", order=order)
        self.assertFalse(TrancheLine.objects.exists())
        self.must("release-order", order=order)
        self.assertEqual(self.kept(order, "PAD-3"), {"STORE": "72"})


class ByRule(PickingTest):
    """Which stock is kept for an order is chosen at its release."""

    def test_whichever_the_oldest_one_lot_by_hand_or_none(self) -> None:
        expected = {
            "expires first": {"STORE": "16"},
            "oldest first": {"STORE LATER": "10", "STORE SOONER": "6"},
            "one lot for all": {},
            "by hand": {"STORE SOONER": "10"},
            "none": {},
        }
        for rule, kept in expected.items():
            order = self.order(release=False)
            lots = [{"item": "PAD-L", "lot": "SOONER"}] if rule == "by hand" else []
            self.must("release-order", order=order, reserve=rule, lots=lots)
            with self.subTest(rule):
                self.assertEqual(self.kept(order, "PAD-L"), kept)
            self.must("withdraw-release", order=order)

    def test_one_lot_is_kept_where_one_is_enough(self) -> None:
        order = self.order("5", reserve="one lot for all")
        self.assertEqual(self.kept(order, "PAD-L"), {"STORE SOONER": "10"})


class Picking(PickingTest):
    """What is taken is brought to the floor, and stays kept for its order there."""

    def test_a_list_goes_by_the_way_and_takes_what_expires_first(self) -> None:
        receive(self.shop, "PAD-3", "5", place="SHELF")
        order = self.order("12")  # 108 pads: 90 kept at the store, 5 more on the shelf
        lines = self.pick_list(order)
        seen = [(n.place.code, n.item.code, n.lot and n.lot.code, f"{n.quantity.normalize():f}", n.target.code) for n in lines]  # fmt: skip
        on_the_shelf = ("SHELF", "PAD-3", None, "5", "ASSY-F")
        in_store = [("AP-20", None, "28.8", "MILL-F"), ("PAD-3", None, "90", "ASSY-F"), ("PAD-L", "SOONER", "10", "ASSY-F"), ("PAD-L", "LATER", "10", "ASSY-F")]  # fmt: skip
        self.assertEqual(seen[0], on_the_shelf)
        self.assertEqual(seen[1:], [("STORE", *line) for line in in_store])
        self.refused("pick.nothing", "make-pick-list", orders=[{"order": order}])

    def test_taken_staged_issued(self) -> None:
        order = self.order()
        plate = self.pick_list(order)[0]
        self.must("pick", line=plate.pk, quantity="10")
        self.assertEqual(self.kept(order, "AP-20"), {"MILL-F": "10", "STORE": "9.2"})
        self.must("pick", line=plate.pk, quantity="9.2")
        self.refused("pick.done", "pick", line=plate.pk, quantity="1")
        self.assertEqual(self.parts(order)[None]["AP-20"], ("19.2", "19.2", "19.2", "0"))

        self.must("issue-picked", order=order)
        self.assertEqual(self.there("AP-20"), {"STORE": "28.8"})
        self.assertEqual(self.parts(order)[None]["AP-20"], ("19.2", "19.2", "19.2", "19.2"))
        self.refused("pick.nothing_ready", "issue-picked", order=order)

    def test_issuing_lets_go_of_what_was_kept_where_it_came_from(self) -> None:
        """Wherever the database happens to keep the rows: the one that was changed last comes last."""
        for last in ("STORE", "MILL-F"):
            with self.subTest(last), transaction.atomic():
                order = self.order()
                plate = self.pick_list(order)[0]
                self.must("pick", line=plate.pk, quantity="10")
                Reservation.objects.filter(place__code=last).update(quantity=F("quantity"))
                self.must("issue-picked", order=order)
                self.assertEqual(self.kept(order, "AP-20"), {"STORE": "9.2"})
                transaction.set_rollback(True)

    def test_a_report_uses_what_stands_on_the_floor_first(self) -> None:
        order = self.order()
        plate = self.pick_list(order)[0]
        self.must("pick", line=plate.pk, quantity="4.8")
        self.must("report", order=order, operation=10, good="3")
        self.assertEqual(self.there("AP-20"), {"STORE": "40.8"})

    def test_over_needs_a_reason(self) -> None:
        order = self.order()
        plate = self.pick_list(order)[0]
        self.refused("pick.more_than_listed", "pick", line=plate.pk, quantity="20")
        self.must("pick", line=plate.pk, quantity="20", why="SPOILT")
        self.assertEqual(self.kept(order, "AP-20"), {"MILL-F": "20"})

    def test_another_lot_than_the_list_says(self) -> None:
        order = self.order("2")
        line = next(n for n in self.pick_list(order) if n.lot)
        self.assertEqual(line.lot and line.lot.code, "SOONER")
        self.must("pick", line=line.pk, quantity="4", lots=[{"lot": "LATER", "quantity": "4"}])
        self.assertEqual(self.kept(order, "PAD-L"), {"ASSY-F LATER": "4"})

    def test_nobody_takes_what_is_kept_for_another(self) -> None:
        first = self.order("8")  # 72 of 90 pads
        second = self.order("2")  # 18
        lines = {n.item.code: n for n in self.pick_list(second)}
        said = self.refused("stock.kept_for_others", "pick", line=lines["PAD-3"].pk, quantity="20", why="SPOILT")  # fmt: skip
        self.assertIn(f"production order {first}", said["detail"])
        self.must("pick", line=lines["PAD-3"].pk, quantity="18")
        self.assertEqual(self.kept(first, "PAD-3"), {"STORE": "72"})

    def test_two_at_the_last_piece_one_is_told_who_took_it(self) -> None:
        order = self.order("10")
        lines = {n.item.code: n for n in self.pick_list(order)}
        self.must("scrap-stock", item="PAD-3", quantity="85", place="STORE", why="DROPPED")
        said = self.refused("stock.not_enough", "pick", line=lines["PAD-3"].pk, quantity="90")
        self.assertIn("scrap stock by", said["detail"])
        self.must("pick", line=lines["PAD-3"].pk, quantity="5")

    def test_the_same_scan_sent_twice_takes_once(self) -> None:
        plate = self.pick_list(self.order())[0]
        given = {"line": plate.pk, "quantity": "10"}
        first = self.caller.do("pick", given, key="scan-0001")
        again = self.caller.do("pick", given, key="scan-0001")
        self.assertEqual(first["postings"], again["postings"])
        self.assertEqual(self.there("AP-20"), {"MILL-F": "10", "STORE": "38"})

    def test_put_back_is_kept_for_the_order_where_it_lay(self) -> None:
        order = self.order()
        plate = self.pick_list(order)[0]
        self.must("pick", line=plate.pk, quantity="19.2")
        self.must("put-back", line=plate.pk, quantity="9.2")
        self.assertEqual(self.kept(order, "AP-20"), {"MILL-F": "10", "STORE": "9.2"})
        self.assertEqual(PickList.objects.get().state, "open")
        self.must("issue-picked", order=order)
        self.refused("pick.not_taken", "put-back", line=plate.pk, quantity="1")

    def test_another_site_and_the_place_itself_are_no_targets(self) -> None:
        plate = self.pick_list(self.order())[0]
        for target in ("HILL-1", "STORE"):
            self.refused("input.invalid", "pick", line=plate.pk, quantity="1", target=target)

    def test_a_work_center_without_a_floor_place_asks_where_to(self) -> None:
        sets = self.must("plan-order", item="CS-01", quantity="5", due=DUE, supply_place="STORE")[
            "made"
        ]["order"]
        receive(self.shop, "SB-06", "3")
        self.must("release-order", order=int(sets))
        said = self.refused("input.invalid", "make-pick-list", orders=[{"order": int(sets)}])
        self.assertIn("LATHE has no floor place", said["detail"])
        lines = self.pick_list(int(sets), to_place="MILL-F")
        self.assertEqual([n.target.code for n in lines], ["MILL-F"])


class Several(PickingTest):
    """One walk for several orders."""

    def test_their_lines_stand_in_walking_order_each_for_its_order(self) -> None:
        first, second = self.order("2"), self.order("3")
        lines = self.pick_list(first, second)
        self.assertEqual([n.item.code for n in lines], ["AP-20", "AP-20", "PAD-3", "PAD-3", "PAD-L", "PAD-L"])  # fmt: skip
        self.assertEqual({(n.order.number, n.item.code): int(n.quantity) for n in lines if n.item.code == "PAD-3"}, {(first, "PAD-3"): 18, (second, "PAD-3"): 27})  # fmt: skip
        shown = self.caller.get(f"picks/{lines[0].pick_list_id}")
        self.assertEqual(shown["orders"], f"{first}, {second}")
        for line in lines:
            self.must("pick", line=line.pk, quantity=str(line.quantity))
        self.must("issue-picked", order=second)
        self.assertEqual(self.caller.get(f"picks/{lines[0].pick_list_id}")["ready"], [first])

    def test_a_part_alone_an_unknown_part_and_an_unknown_order(self) -> None:
        order = self.order(release=False)
        self.must("release-part", order=order, quantity="4", to_operation=10)
        self.must("release-part", order=order, quantity="2", from_operation=20)
        lines = self.pick_list({"order": order, "tranche": 2})
        self.assertEqual({n.item.code for n in lines}, {"PAD-3", "PAD-L"})
        self.assertEqual({n.tranche and n.tranche.number for n in lines}, {2})
        self.refused("input.not_found", "make-pick-list", orders=[{"order": order, "tranche": 9}])
        self.refused("input.not_found", "make-pick-list", orders=[{"order": 999_999}])

    def test_lots_that_are_held_back_are_told_at_the_order_that_is_short(self) -> None:
        self.must("judge-lot", item="PAD-L", lot="SOONER", state="quarantined", reason="scratched")
        order = self.order("8", release=False)
        rows = self.caller.get("orders/ready", weeks="20")["rows"]
        stops = next(r["stops"] for r in rows if r["number"] == order)
        self.assertIn(
            "PAD-L: 6 pcs short, none is to come; 10 are held back: judge the lots", stops
        )


class Followed(PickingTest):
    """What is kept for an order stays kept where its pieces are moved to, however often."""

    def test_two_moves_to_the_same_place_add_up(self) -> None:
        order = self.order("10")  # all 90 pads
        line = {"item": "PAD-3", "quantity": "20"}
        for _ in range(2):
            self.must("move-stock", from_place="STORE", to_place="SHELF", lines=[line])
        self.assertEqual(self.kept(order, "PAD-3"), {"SHELF": "40", "STORE": "50"})


class Short(PickingTest):
    """Less is there than the list says."""

    def test_the_rest_at_another_place(self) -> None:
        receive(self.shop, "PAD-3", "50", place="SHELF")
        order = self.order()
        pads = next(n for n in self.pick_list(order) if n.item.code == "PAD-3")
        self.must("pick", line=pads.pk, quantity="30")
        self.must("pick-short", line=pads.pk, how="other place")

        rest = PickLine.objects.get(pick_list=pads.pick_list, place__code="SHELF")
        self.assertEqual((rest.quantity, rest.state), (Decimal(42), "open"))
        self.assertEqual(PickLine.objects.get(pk=pads.pk).state, "short")
        self.refused("pick.done", "pick-short", line=pads.pk, how="later")

    def test_an_alternate_by_its_ratio_is_issued_in_the_place_of_the_component(self) -> None:
        receive(self.shop, "PAD-4", "40")
        order = self.order()
        pads = next(n for n in self.pick_list(order) if n.item.code == "PAD-3")
        self.must("pick", line=pads.pk, quantity="41")
        self.must("pick-short", line=pads.pk, how="alternate")
        rest = PickLine.objects.get(item__code="PAD-4")
        self.assertEqual(rest.quantity, 16)  # 31 pads by a half each, rounded up
        self.must("pick", line=rest.pk, quantity="16")
        self.must("issue-picked", order=order)

        used = {i.item.code: i.used for i in OrderInput.objects.filter(order__number=order, used__gt=0).select_related("item") if i.item}  # fmt: skip
        self.assertEqual(used, {"PAD-3": Decimal(41), "PAD-4": Decimal(16)})
        self.refused("order.not_an_alternate", "pick-short", line=PickLine.objects.filter(state="open")[0].pk, how="alternate", item="PAD-L")  # fmt: skip

    def test_later_it_stays_wanted_and_the_list_ends(self) -> None:
        order = self.order("1")
        for line in self.pick_list(order):
            if line.item.code != "PAD-3":
                self.must("pick", line=line.pk, quantity=str(line.quantity))
        pads = PickLine.objects.get(item__code="PAD-3")
        said = self.must("pick-short", line=pads.pk, how="later")["consequences"]["remarks"]
        self.assertTrue(any("count it" in r["text"] for r in said), said)
        self.assertEqual(PickList.objects.get().state, "done")
        self.assertEqual([n.item.code for n in self.pick_list(order)], ["PAD-3"])


class Carriers(PickingTest):
    """What lies on a carrier goes where it goes."""

    def test_it_is_picked_on_and_staged_when_the_carrier_comes(self) -> None:
        order = self.order()
        self.must("define-carrier", code="BOX-1", stands_at="STORE")
        for line in self.pick_list(order):
            self.must("pick", line=line.pk, quantity=str(line.quantity), target="BOX-1")
        self.assertEqual(self.parts(order)[None]["PAD-3"], ("72", "72", "0", "0"))
        self.refused("pick.nothing_ready", "issue-picked", order=order)

        self.must("move-carrier", carrier="BOX-1", to_place="ASSY-F")
        self.assertEqual(self.parts(order)[None]["PAD-3"], ("72", "72", "72", "0"))
        box = self.caller.get("stores/carriers")["rows"][0]
        self.assertEqual((box["stands_at"], len(box["rows"])), ("ASSY-F", 4))
        self.must("issue-picked", order=order)
        self.assertEqual(self.caller.get("stores/carriers")["rows"][0]["rows"], [])

    def test_where_it_stands_already_another_site_and_what_is_no_carrier(self) -> None:
        self.must("define-carrier", code="BOX-1", stands_at="STORE")
        for place in ("STORE", "HILL-1"):
            self.refused("input.invalid", "move-carrier", carrier="BOX-1", to_place=place)
        self.refused("input.not_found", "move-carrier", carrier="STORE", to_place="SHELF")
        self.refused("input.not_found", "define-carrier", code="BOX-2", stands_at="BOX-1")
        self.refused("input.invalid", "define-carrier", code="BOX-2", stands_at="STORE", scan_code="BOX-1")  # fmt: skip
        self.assertEqual(Place.objects.filter(kind="carrier").count(), 1)


class Ending(PickingTest):
    """An order that ends lets go of its lines, once nothing of it stands on the floor."""

    def test_what_was_picked_goes_back_first(self) -> None:
        order = self.order()
        plate = self.pick_list(order)[0]
        self.must("pick", line=plate.pk, quantity="5")
        self.refused("pick.still_picked", "withdraw-release", order=order)
        self.must("put-back", line=plate.pk, quantity="5")
        self.must("withdraw-release", order=order)
        self.assertFalse(PickLine.objects.exists())
        self.assertEqual(PickList.objects.get().state, "done")
        self.assertFalse(Reservation.objects.exists())

    def test_a_cancelled_order_is_on_no_list(self) -> None:
        order = self.order()
        self.pick_list(order)
        self.must("cancel-order", order=order)
        self.assertEqual(PickList.objects.get().state, "done")


class AnyWorks(PropertyCase):
    """The same works for every example: defined once, each example's own orders undone after it."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        define_works(cls.shop)
        cls.caller = Caller(make_person())


class AnyParts(AnyWorks):
    """However an order's material is released and picked, no more goes out than it needs."""

    @settings(max_examples=12, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.integers(1, 9), st.sampled_from([(10, 10), (20, 20), (10, 20)]), st.booleans()
            ),
            min_size=1,
            max_size=6,
        )
    )
    def test_parts_never_release_more_than_the_order_needs(
        self, acts: list[tuple[int, tuple[int, int], bool]]
    ) -> None:
        shop, caller = self.shop, self.caller
        receive(shop, "AP-20", "20")
        receive(shop, "PAD-3", "60")
        receive(shop, "PAD-L", "30", lot="ONE")
        said = caller.must("plan-order", {"item": "MA-200", "quantity": "9", "due": DUE})
        order = int(said["made"]["order"])
        for quantity, (first, last), picks in acts:
            part = {"order": order, "quantity": str(quantity), "from_operation": first, "to_operation": last}  # fmt: skip
            caller.do("release-part", part)
            if picks:
                caller.do("make-pick-list", {"orders": [{"order": order}]})
                for line in PickLine.objects.filter(state="open"):
                    caller.do("pick", {"line": line.pk, "quantity": str(line.quantity)})

        for i in OrderInput.objects.filter(order__number=order, kind="component"):
            released = sum(n.quantity for n in i.released.all())
            picked = sum(n.picked for n in i.picks.all())
            self.assertLessEqual(released, i.need)
            self.assertLessEqual(picked, released)
        self.assertEqual(differences(), [])
