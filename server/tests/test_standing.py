"""How orders stand is stored: by each command for what it changed, by the night job for the rest."""

from datetime import date, timedelta
from typing import Any

from django.test import TestCase
from django.utils import timezone
from poietic.commanding.roles import Role
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.orders.keeping import keep_all
from poietic.orders.models import Order, OrderOperation, Shortage, Standing, StoredAttention

from . import demo_rows, tracked
from .client import Caller, make_person
from .tracked import move, receive, running_order


def stored() -> tuple[object, ...]:
    """Return all that is stored of how orders stand."""
    return (
        list(Standing.objects.order_by("pk").values_list()),
        list(Shortage.objects.order_by("order", "item").values_list("order", "item", "quantity")),
        list(StoredAttention.objects.order_by("kind", "order", "item").values_list("kind", "order", "item", "sentence", "orders", "days", "money", "weight")),
        list(OrderOperation.objects.order_by("pk").values_list("pk", "starts_at", "ends_at")),
    )  # fmt: skip


class Stored(TestCase):
    """What is stored is what working everything out anew gives."""

    def test_the_demo_stands_as_if_all_were_worked_out_anew(self) -> None:
        demo_rows.load()
        keep_all(timezone.now(), stale_only=False)  # its orders were planned at other hours
        before = stored()

        stood = keep_all(timezone.now(), stale_only=False)

        self.assertGreater(stood, 5)
        self.assertEqual(stored()[1:3], before[1:3])


class Kept(TestCase):
    """Two orders of five kits, and ten pieces of glass."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        receive(cls.shop, "GLASS", "12", "10")
        cls.first, cls.second = (running_order(cls.shop) for _ in range(2))
        cls.caller = Caller(make_person())

    def missing(self) -> dict[str, dict[str, Any]]:
        """Return today's rows because of items, by item."""
        return {c["item"]: c for c in self.caller.get("today")["causes"] if c["item"]}

    def test_a_missing_item_is_one_row_with_the_orders_that_wait_for_it(self) -> None:
        row = self.missing()["AVERAGE"]

        self.assertEqual((row["kind"], row["orders"], row["is_made"]), ("short", 2, False))
        self.assertEqual(row["sentence"], "AVERAGE is missing: 20 pcs short, none is to come")
        waiting = self.caller.get("today/missing/AVERAGE")
        self.assertEqual([(w["order"], float(w["short"])) for w in waiting], [(self.first, 10), (self.second, 10)])  # fmt: skip

    def test_what_is_reserved_for_the_first_is_not_missing_to_it(self) -> None:
        self.assertEqual(self.missing()["GLASS"]["sentence"], "GLASS is missing: 8 pcs short, none is to come")  # fmt: skip
        self.assertEqual([w["order"] for w in self.caller.get("today/missing/GLASS")], [self.second])  # fmt: skip
        page = self.caller.get(f"orders/{self.first}")
        self.assertNotIn("GLASS", " ".join(s["why"] for s in page["stops"]))

    def test_what_comes_in_is_missing_no_more(self) -> None:
        receive(self.shop, "AVERAGE", "15", "10")
        self.assertEqual(self.missing()["AVERAGE"]["orders"], 1)

        receive(self.shop, "AVERAGE", "5", "10")

        self.assertNotIn("AVERAGE", self.missing())
        self.assertFalse(Shortage.objects.filter(item__code="AVERAGE").exists())

    def test_what_one_order_takes_another_misses(self) -> None:
        receive(self.shop, "AVERAGE", "20", "10")
        move(self.shop, "issue", self.first, "AVERAGE", "15")

        self.assertEqual([w["order"] for w in self.caller.get("today/missing/AVERAGE")], [self.second])  # fmt: skip

    def test_an_order_that_ends_misses_nothing_and_needs_nobody(self) -> None:
        for order in (self.first, self.second):
            self.shop.do("cancel-order", order=order)

        self.assertEqual(self.caller.get("today"), {"causes": [], "whole": 0})
        self.assertFalse(Standing.objects.exists())

    def test_what_is_to_come_is_told(self) -> None:
        cells = mirror_cell.plan(self.shop, "MA-200", "5", date(2027, 3, 1))
        self.shop.do("release-order", order=cells)
        self.assertIn("none is to come", self.missing()["CS-01"]["sentence"])

        mirror_cell.plan(self.shop, "CS-01", "3", date(2027, 2, 1))

        self.assertIn("3 come Mon 1 Feb", self.missing()["CS-01"]["sentence"])

    def test_closed_days_move_dates_at_once(self) -> None:
        self.shop.do("define-calendar", code="ONE", name="One shift", zone="UTC", shifts=[{"weekday": d, "start": 480, "end": 960} for d in range(5)])  # fmt: skip
        self.shop.do("change-work-center", code="ASSY", calendar="ONE")
        before = Standing.objects.get(order__number=self.first).finishes
        assert before is not None
        days = [timezone.localdate(), timezone.localdate() + timedelta(days=90)]

        self.shop.do("close-days", calendar="ONE", first=days[0].isoformat(), last=days[1].isoformat(), why="Rebuilt")  # fmt: skip

        after = Standing.objects.get(order__number=self.first).finishes
        assert after is not None
        self.assertGreater(after, before)

    def test_a_new_day_is_stood_once(self) -> None:
        tomorrow = timezone.now() + timedelta(days=1)
        self.assertEqual(keep_all(timezone.now(), stale_only=True), 0)

        self.assertEqual(keep_all(tomorrow, stale_only=True), 2)

        self.assertEqual(keep_all(tomorrow, stale_only=True), 0)
        self.assertEqual({s.as_of for s in Standing.objects.all()}, {timezone.localdate(tomorrow)})

    def test_a_preview_stores_nothing(self) -> None:
        before = stored()

        Shop(make_person("bo")).preview("cancel-order", order=self.first)

        self.assertEqual(stored(), before)

    def test_an_order_page_shows_the_stored_dates(self) -> None:
        page = self.caller.get(f"orders/{self.first}")

        s = Standing.objects.get(order__number=self.first)
        self.assertEqual((page["starts"], page["finishes"]), (str(s.starts), str(s.finishes)))
        operation = OrderOperation.objects.get(order__number=self.first)
        assert operation.ends_at is not None
        self.assertEqual(page["operations"][0]["ends"], operation.ends_at.isoformat())

    def test_those_who_see_no_costs_are_not_told_of_them(self) -> None:
        self.shop.do("report", order=self.first, operation=10, good="1", run_labour_hours="9")
        kinds = {c["kind"] for c in self.caller.get("today")["causes"]}
        self.assertIn("over allowed", kinds)

        operator = Caller(make_person("op", Role.OPERATOR))
        told = operator.get("today")

        self.assertEqual({c["kind"] for c in told["causes"]}, kinds - {"over allowed", "to close"})
        self.assertEqual({c["money"] for c in told["causes"]}, {""})


class Pages(TestCase):
    """Lists come in pages, with exact counts."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        mirror_cell.define(cls.shop)
        for n in range(7):
            mirror_cell.plan(cls.shop, "MA-200" if n % 2 else "CS-01", "1", date(2026, 12, 20 - n))
        cls.caller = Caller(make_person())

    def test_a_page_says_how_many_there_are(self) -> None:
        first = self.caller.get("orders", states="planned", limit="3")
        second = self.caller.get("orders", states="planned", limit="3", skip="3")

        self.assertEqual((first["found"], first["whole"], len(first["rows"])), (7, 7, 3))
        due = [o["due"] for o in first["rows"] + second["rows"]]
        self.assertEqual(due, sorted(due))
        self.assertEqual(len(set(due)), 6)

    def test_words_filter_by_number_item_name_and_state(self) -> None:
        number = Order.objects.order_by("number")[2].number
        for q, found in (
            ("cell", 3),
            ("CS-01", 4),
            ("collim set", 4),
            ("planned ma-", 3),
            (str(number), 1),
            ("nothing", 0),
        ):
            page = self.caller.get("orders", q=q)
            self.assertEqual((page["found"], page["whole"]), (found, 7), q)

    def test_no_page_is_longer_than_200(self) -> None:
        for path in ("orders", "items", "today"):
            self.caller.get(path, limit="201")
            self.assertEqual(self.caller.status, 422, path)

    def test_items_are_filtered_and_named(self) -> None:
        page = self.caller.get("items", q="alu")
        self.assertEqual([i["code"] for i in page["rows"]], ["AP-20", "SW-AL"])
        self.assertEqual((page["found"], page["whole"]), (2, 6))

        named = self.caller.get("items", codes="PAD-3\tMA-200\tNOBODY")

        self.assertEqual([i["code"] for i in named["rows"]], ["MA-200", "PAD-3"])


class Finding(TestCase):
    """Anything by its number, code or words."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        cls.shop.do("define-partner", code="GLAS", name="Glass Works")
        receive(cls.shop, "GLASS", "4", "1", {"lot": "G-77", "quantity": "4", "supplier_code": "XQ-9"})  # fmt: skip
        cls.order = running_order(cls.shop)
        for n in range(12):
            cls.shop.do("define-item", code=f"BOLT-{n:02}", name="Bolt", unit="pcs", source="buy")
        cls.caller = Caller(make_person())

    def found(self, q: str, kind: str = "") -> list[tuple[str, str]]:
        """Return kind and code of what is found."""
        return [(f["kind"], f["code"]) for f in self.caller.get("find", q=q, kind=kind)]

    def test_things_of_all_kinds_are_found_by_their_words(self) -> None:
        self.assertEqual(self.found("glas"), [("item", "GLASS"), ("partner", "GLAS")])
        self.assertIn(("partner", "GLAS"), self.found("works glass"))
        self.assertEqual(self.found("xq-9"), [("lot", "G-77")])
        self.assertEqual(self.found("assembly"), [("work center", "ASSY")])

    def test_an_order_is_found_by_its_number_and_by_its_item(self) -> None:
        self.assertEqual(self.found(str(self.order))[0], ("order", str(self.order)))
        self.assertEqual(self.found(str(self.order)[:3])[0][0], "order")
        self.assertIn(("order", str(self.order)), self.found("kit"))

    def test_a_code_that_begins_so_comes_before_one_that_holds_it(self) -> None:
        self.shop.do("define-item", code="A-KIT", name="Kit of tools", unit="pcs", source="buy")

        items = [code for kind, code in self.found("kit") if kind == "item"]

        self.assertEqual(items, ["KIT", "A-KIT"])

    def test_of_each_kind_a_few_are_told_and_one_kind_can_be_asked(self) -> None:
        self.assertEqual(self.found("bolt"), [("item", f"BOLT-{n:02}") for n in range(8)])
        self.assertEqual(self.found("bolt", "made item"), [])
        self.assertEqual(self.found("kit", "structure"), [("structure", "KIT")])
        self.assertEqual(self.found("kit", "nonsense"), [])

    def test_nothing_asked_finds_nothing_and_odd_words_harm_nothing(self) -> None:
        for q in ("", "   ", "%", "_", "\\", "'", "00", "9" * 60):
            self.assertEqual([f for f in self.found(q) if f[0] == "order"], [], q)
            self.assertEqual(self.caller.status, 200, q)
