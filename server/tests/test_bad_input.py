"""Input that nobody means: refused by name, with nothing half posted; and rows that make no sense take no others down."""

import json
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.db import connection
from django.test import TestCase
from django.utils import timezone
from poietic.catalog.models import Item, Place
from poietic.commanding.models import Entry
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.engineering.models import WorkCalendar, WorkCenter
from poietic.ledger.models import Holding, StockBalance
from poietic.orders.keeping import keep_all
from poietic.orders.models import Order

from .client import Caller, make_person

HUGE = (
    "1e999999999",
    "999999999999",
    "-1",
    "NaN",
    "Infinity",
    "1e-30",
    "0.0000001",
    "١٢",
    "",
    "9" * 60,
)


class Refused(TestCase):
    """Each a clear refusal."""

    def setUp(self) -> None:
        self.shop = Shop()
        mirror_cell.define(self.shop)
        self.shop.do("freeze-standard")
        self.caller = Caller(make_person())

    def refused(self, name: str, given: dict[str, Any], *words: str) -> None:
        """Check that neither a preview nor a posting takes it, and that the refusal says what and why."""
        for said in (self.caller.do(name, given), self.caller.preview(name, given)):
            self.assertEqual(self.caller.status, 422, (given, said))
            for word in words:
                self.assertIn(word, f"{said['title']} {said['detail']}", given)

    def test_numbers_beyond_all_measure_name_the_field(self) -> None:
        for number in HUGE:
            plan = {"item": "MA-200", "quantity": number, "due": "2026-12-01", "supply_place": "STORE", "receipt_place": "STORE"}  # fmt: skip
            self.refused("plan-order", plan, "quantity")
            receipt = {
                "lines": [{"item": "PAD-3", "quantity": "1", "price": number, "place": "STORE"}]
            }
            self.refused("receive-material", receipt, "price")
        draft = {
            "item": "MA-200",
            "operations": [{"number": 10, "name": "Mill", "work_center": "MILL"}],
        }
        for field in ("run_labour_hours", "queue_hours", "yield_share", "run_quantity"):
            operation = draft["operations"][0] | {field: "1e12"}  # type: ignore[operator,index]
            self.refused("draft-structure", draft | {"operations": [operation]}, field, "too large")

    def test_stock_of_one_item_has_an_end(self) -> None:
        place = Place.objects.get(code="STORE")
        item = Item.objects.get(code="PAD-3")
        lines = [{"item": "PAD-3", "quantity": "100000000", "price": "1", "place": "STORE"}]
        self.caller.must("receive-material", {"lines": lines})
        almost = Decimal(10) ** 12 - 1
        Holding.objects.filter(item=item).update(quantity=almost, value=almost)
        StockBalance.objects.filter(item=item, place=place).update(quantity=almost)
        self.refused("receive-material", {"lines": lines}, "Stock of PAD-3", "below")

    def test_days_and_moments_lie_in_this_century_and_say_their_zone(self) -> None:
        plan = {
            "item": "MA-200",
            "quantity": "1",
            "supply_place": "STORE",
            "receipt_place": "STORE",
        }
        for due in (
            "9990-01-01",
            "2999-01-01",
            "9999-12-31",
            "0001-01-01",
            "1999-12-31",
            "",
            0,
            20261201,
            "2026-02-30",
        ):
            self.refused("plan-order", plan | {"due": due}, "due")
        far = (timezone.localdate() + timedelta(days=4000)).isoformat()
        self.refused("plan-order", plan | {"due": far}, "years away")
        receipt = {"lines": [{"item": "PAD-3", "quantity": "1", "price": "1", "place": "STORE"}]}
        for moment in (
            0,
            1764489600,
            "0",
            "1764489600",
            "0001-01-01T00:00+14:00",
            "2026-11-01",
            "2026-11-01T07:00",
            "9999-12-31T23:59-14:00",
        ):
            self.refused("receive-material", receipt | {"happened_at": moment}, "happened_at")

    def test_texts_that_no_column_holds_and_characters_that_no_file_takes(self) -> None:
        long = "x" * 5000
        item = {"code": "N", "name": "N", "unit": "pcs", "source": "buy"}
        for given, field in (
            (item | {"code": "x" * 41}, "code"),
            (item | {"name": long}, "name"),
            (item | {"unit": long}, "unit"),
            (item | {"number_rule": "x" * 61}, "number_rule"),
            (item | {"name": "a\x00b"}, "name"),
            (item | {"name": "a\x0bb"}, "name"),
            (item | {"name": "a\ud800b"}, "name"),
            (item | {"name": "   "}, "name"),
            (item | {"code": "A/B"}, "code"),
            (item | {"code": "*A"}, "code"),
        ):
            self.refused("define-item", given, field)
        self.refused("define-partner", {"code": "P", "name": long}, "name")
        self.refused("define-reason", {"code": "R", "name": long}, "name")
        for zone in ("Europe", long, "../etc/passwd", ""):
            self.refused(
                "define-calendar", {"code": "C", "name": "C", "zone": zone, "shifts": []}, "zone"
            )
        operation = {"number": 10, "name": "Mill", "work_center": "MILL"}
        draft = {"item": "MA-200", "operations": [operation]}
        self.refused(
            "draft-structure", draft | {"operations": [operation | {"steps": [1]}]}, "steps"
        )
        self.refused(
            "draft-structure", draft | {"operations": [operation] * 3}, "10", "more than once"
        )
        line = {"item": "PAD-3", "quantity": "1"}
        self.refused(
            "draft-structure", draft | {"components": [line | {"reference": long}]}, "reference"
        )
        self.refused("draft-structure", draft | {"components": [line | {"unit": long}]}, "unit")
        unit = {"name": "box", "quantity": "10"}
        self.refused("change-item", {"code": "PAD-3", "own_units": [unit, unit]}, "twice")

    def test_json_that_is_deep_broken_or_of_another_kind(self) -> None:
        deep = "[" * 9000 + "]" * 9000
        for body in (
            deep,
            '{"given": ' + deep + ', "key": "abcdefgh"}',
            "{",
            "",
            "null",
            "[]",
            '"x"',
            '{"given": {"order": 1e400}, "key": "abcdefgh"}',
        ):
            answer = self.caller.client.post(
                "/api/commands/release-order", body, content_type="application/json"
            )
            self.assertIn(answer.status_code, (400, 422), body[:40])
            self.assertEqual(answer["Content-Type"], "application/problem+json")
        answer = self.caller.client.post("/api/commands/release-order", {"given": "x"})
        self.assertEqual((answer.status_code, answer.json()["code"]), (415, "request.wrong_kind"))

    def test_names_that_the_system_chooses_are_not_a_caller_s(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("SELECT last_value FROM commanding_change")
            last = cursor.fetchone()[0]
        given = {"code": "R1", "name": "R", "use": "scrap"}
        for n in range(1, 6):
            self.caller.do(
                "define-reason", given | {"code": f"R{n}"}, key=f"preview-{last + n + 5}"
            )
        for _ in range(12):
            said = self.caller.preview("define-reason", given | {"code": "R99"})
            self.assertEqual(self.caller.status, 200, said)
        for key in ("(preview) 1", "(job) 1", "short", "x" * 81, "a b c d e f"):
            self.caller.do("define-reason", given | {"code": "R100"}, key=key)
            self.assertEqual(self.caller.status, 422, key)
        self.assertFalse(Entry.objects.filter(key__startswith="(preview)").exists())

    def test_every_answer_is_json(self) -> None:
        for method, path, status in (
            ("get", "/api/nothing", 404),
            ("get", "/api/items/%00", 400),
            ("get", "/api/items?x=%00", 400),
            ("delete", "/api/orders", 405),
            ("get", "/api/orders/99999999999999999999999", 404),
            ("get", "/api/postings/99999999999999999999999", 404),
            ("get", "/api/uploads/99999999999999999999999", 404),
            ("get", "/api/cost-sets/9223372036854775808/against/1", 404),
        ):
            answer = getattr(self.caller.client, method)(path)
            self.assertEqual(answer.status_code, status, (path, answer.content[:300]))
            said = json.loads(answer.content)
            self.assertTrue(said["title"] and said["fix"] and said["code"], path)

    def test_a_large_draft_in_which_all_comes_after_all_is_previewed_soon(self) -> None:
        operations = [
            {
                "number": n,
                "name": f"Op {n}",
                "work_center": "MILL",
                "after": list(range(max(1, n - 49), n)),
            }
            for n in range(1, 501)
        ]
        begun = timezone.now()
        self.caller.preview("draft-structure", {"item": "MA-200", "operations": operations})
        self.assertEqual(self.caller.status, 200)
        self.assertLess(timezone.now() - begun, timedelta(seconds=10))


class Survived(TestCase):
    """Rows that got in before there were bounds, or past them."""

    def setUp(self) -> None:
        self.shop = Shop()
        mirror_cell.define(self.shop)
        self.shop.do("freeze-standard")
        self.good = mirror_cell.plan(self.shop, "MA-200", "2")
        self.bad = mirror_cell.plan(self.shop, "MA-200", "2")
        self.caller = Caller(make_person())

    def seen(self) -> tuple[dict[int, str], list[Any]]:
        """Return the faults of the orders, and today's attentions, worked out anew."""
        keep_all(timezone.now(), stale_only=False)
        orders = self.caller.get("orders")
        self.assertEqual(self.caller.status, 200, orders)
        today = self.caller.get("today")
        self.assertEqual(self.caller.status, 200, today)
        return {o["number"]: o["fault"] for o in orders["rows"]}, today["causes"]

    def test_an_order_due_at_the_end_of_time_says_so_in_its_row(self) -> None:
        for due in (date(2999, 1, 1), date(9990, 1, 1), date.max):
            Order.objects.filter(number=self.bad).update(due=due)
            begun = timezone.now()
            faults, today = self.seen()
            self.assertLess(timezone.now() - begun, timedelta(seconds=5))
            self.assertEqual(faults[self.good], "")
            self.assertIn("due", faults[self.bad])
            self.assertEqual(
                [a["order"] for a in today if a["kind"] == "can't be computed"], [self.bad]
            )
            self.caller.get(f"orders/{self.bad}")
            self.assertIn(self.caller.status, (200, 422))

    def test_a_calendar_in_no_zone_and_a_center_without_machines_say_so(self) -> None:
        calendar = WorkCalendar.objects.create(code="BAD", name="Bad", zone="Europe", change=1)
        WorkCenter.objects.filter(code="MILL").update(calendar=calendar, change=10**12)
        faults, _ = self.seen()
        self.assertIn("MILL", faults[self.bad])
        said = self.caller.do("release-order", {"order": self.good})
        self.assertLess(self.caller.status, 500, said)
        WorkCenter.objects.update(calendar=None, machines=0, change=10**12 + 1)
        self.seen()

    def test_one_item_of_absurd_cost_is_a_lack_of_it_alone(self) -> None:
        draft = {
            "item": "MA-200",
            "operations": [{"number": 10, "name": "Mill", "work_center": "MILL", "run_labour_hours": "10000", "yield_share": "0.000001"}],
            "components": [{"item": "PAD-3", "quantity": "100000000", "operation": 10}],
        }  # fmt: skip
        self.caller.must("draft-structure", draft)
        self.caller.must("approve-structure", {"item": "MA-200"})
        done = self.caller.must("freeze-standard", {})
        remarks = {r["thing"]: r["text"] for r in done["consequences"]["remarks"]}
        self.assertIn("below", remarks["MA-200"])
        self.assertEqual(self.caller.get("items/CS-01")["standard"] is not None, True)
        self.caller.get("items/MA-200/tree")
        self.assertEqual(self.caller.status, 200)
        order = mirror_cell.plan(self.shop, "MA-200", "100000000")
        said = self.caller.do("release-order", {"order": order})
        self.assertIn(self.caller.status, (409, 422), said)
