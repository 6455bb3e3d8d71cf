"""What a release reserves, what uses it up, and what lets go of it."""

from datetime import timedelta
from decimal import Decimal

from django.test import TestCase
from django.utils import timezone
from poietic.catalog.models import Item, Place
from poietic.demo.shop import Shop
from poietic.ledger.models import Lot, Reservation, StockLine
from poietic.ledger.reserving import free_stock
from poietic.ledger.verify import differences
from poietic.orders.models import Shortage

from . import tracked
from .client import Caller, make_person
from .tracked import move, receive, running_order


def reserved(order: int) -> dict[str, int]:
    """Return what an order has reserved, by item."""
    rows = Reservation.objects.filter(cost_object__number=order)
    return {r.item.code: int(r.quantity) for r in rows.select_related("item")}


def free(item: str) -> int:
    """Return what is free of an item."""
    key = Item.objects.get(code=item).pk
    return int(free_stock([key], timezone.localdate()).get(key, Decimal(0)))


class Reservations(TestCase):
    """Orders of five kits want ten pieces of everything."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        receive(cls.shop, "AVERAGE", "14", "10")
        receive(cls.shop, "GLASS", "12", "10")
        cls.order = running_order(cls.shop)

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def test_a_release_reserves_what_is_free_and_the_next_one_what_is_left(self) -> None:
        second = running_order(self.shop)

        self.assertEqual(reserved(self.order), {"AVERAGE": 10, "GLASS": 10})
        self.assertEqual(reserved(second), {"AVERAGE": 4, "GLASS": 2})
        self.assertEqual((free("AVERAGE"), free("GLASS")), (0, 0))

    def test_a_release_says_what_is_short_by_what_is_free(self) -> None:
        order = tracked.mirror_cell.plan(self.shop, "KIT", "5")
        remarks = self.shop.do("release-order", order=order).consequences.remarks

        said = {r.thing: r.text for r in remarks}
        self.assertEqual(said["AVERAGE"], "short: 10 pcs needed, 4 free at Main store")
        self.assertEqual(said["CAMERA"], "short: 10 pcs needed, 0 free at Main store")

    def test_what_has_expired_or_is_held_back_is_free_for_nobody_and_short_for_who_wants_it(
        self,
    ) -> None:
        today = timezone.localdate()
        ends = {"G-OLD": today - timedelta(days=1), "G-LAST": today, "G-HELD": None}
        lots = [
            {"lot": lot, "quantity": "20"} | ({"expires_on": str(day)} if day else {})
            for lot, day in ends.items()
        ]
        receive(self.shop, "GLASS", "60", "1", *lots)
        Lot.objects.filter(code="G-HELD").update(state="quarantined")

        self.assertEqual(free("GLASS"), 2 + 20)  # what the first order left, and the lot of today
        glass = Item.objects.get(code="GLASS").pk
        self.assertEqual(free_stock([glass], today + timedelta(days=1))[glass], 2)
        running_order(self.shop, "11")
        third = running_order(self.shop)
        short = Shortage.objects.get(order__number=third, item=glass)
        self.assertEqual(short.quantity, 10)

    def test_what_is_issued_is_reserved_no_more(self) -> None:
        move(self.shop, "issue", self.order, "GLASS", "3")

        self.assertEqual(reserved(self.order)["GLASS"], 7)
        self.assertEqual(free("GLASS"), 2)

    def test_more_than_was_reserved_leaves_no_reservation(self) -> None:
        move(self.shop, "issue", self.order, "AVERAGE", "12")

        self.assertEqual(reserved(self.order), {"GLASS": 10})
        self.assertEqual(free("AVERAGE"), 2)

    def test_a_cancelled_order_and_a_completed_one_let_go(self) -> None:
        second = running_order(self.shop)
        self.shop.do("cancel-order", order=second)
        self.assertEqual(reserved(second), {})
        self.shop.do("report", order=self.order, operation=10, good="1")
        self.shop.do("complete-order", order=self.order)

        self.assertEqual(reserved(self.order), {})
        self.assertEqual((free("AVERAGE"), free("GLASS")), (14, 12))

    def test_what_is_held_back_is_not_free(self) -> None:
        Lot.objects.filter(item__code="GLASS").update(state="quarantined")

        second = running_order(self.shop)

        self.assertNotIn("GLASS", reserved(second))

    def test_only_what_is_where_the_order_takes_from_is_reserved(self) -> None:
        self.shop.do("define-place", code="ANNEX", name="Annex", kind="store", walk_order=3)
        receive(self.shop, "LAYERED", "10", "10", place="ANNEX")

        self.assertNotIn("LAYERED", reserved(running_order(self.shop)))

    def test_a_glance_at_an_item_tells_what_is_on_hand_reserved_and_free(self) -> None:
        lot = Lot.objects.get(item__code="GLASS").code
        self.shop.do("judge-lot", item="GLASS", lot=lot, state="quarantined", reason="scratched")
        receive(self.shop, "GLASS", "5", "10")

        seen = Caller(make_person()).get("items/GLASS/peek")

        self.assertEqual(
            [Decimal(seen[k]) for k in ("on_hand", "reserved", "free")], [17, 0, 5]
        )  # what is held back is kept for nobody, and what came since is not kept yet


class Places(TestCase):
    """Where stock is, and where it comes from and goes to."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)

    def test_a_partner_has_a_place_for_each_thing_that_it_is(self) -> None:
        self.shop.do("define-partner", code="ALU", name="Alu Works")
        self.shop.do("change-partner", code="ALU", is_customer=True)

        places = Place.objects.filter(partner__code="ALU").order_by("kind")

        self.assertEqual([(p.kind, p.name) for p in places], [("customer", "Alu Works"), ("supplier", "Alu Works")])  # fmt: skip

    def test_what_a_supplier_brought_came_from_its_place(self) -> None:
        self.shop.do("define-partner", code="ALU", name="Alu Works")
        line = {"item": "AVERAGE", "quantity": "4", "price": "1", "place": "STORE", "supplier": "ALU"}  # fmt: skip
        posting = self.shop.do("receive-material", lines=[line]).postings[0]

        place = Place.objects.get(partner__code="ALU")
        self.assertEqual(StockLine.objects.get(posting=posting).from_place, place)

    def test_stores_have_a_site_an_order_of_walking_and_a_scan_code(self) -> None:
        self.shop.do("define-site", code="NORTH", name="North works")
        self.shop.do("define-place", code="B-03", name="Bin 3", kind="store", site="NORTH", scan_code="|B03|")  # fmt: skip
        self.shop.do("change-place", code="B-03", walk_order=30)

        place = Place.objects.select_related("site").get(code="B-03")

        self.assertEqual((str(place.site), place.walk_order, place.scan_code), ("NORTH", 30, "|B03|"))  # fmt: skip
        self.assertEqual(Place.objects.get(code="STORE").scan_code, "STORE")

    def test_two_places_are_not_scanned_alike_and_a_site_is_named_where_there_are_two(self) -> None:
        self.shop.do("define-site", code="NORTH", name="North works")
        for given, words in (
            ({"code": "X", "name": "X", "kind": "store"}, "site"),
            ({"code": "X", "name": "X", "kind": "store", "site": "MAIN", "scan_code": "STORE"}, "scan_code"),
        ):  # fmt: skip
            with self.assertRaisesMessage(Exception, words):
                self.shop.do("define-place", **given)
        with self.assertRaisesMessage(Exception, "no site NOWHERE"):
            self.shop.do("change-place", code="STORE", site="NOWHERE")
