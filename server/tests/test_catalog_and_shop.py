"""Small things of every day: notes, units, activity, calendars, persons; and lists that stay cheap."""

from datetime import timedelta
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from poietic.commanding.models import Entry
from poietic.commanding.roles import Role
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.people.models import Person

from . import demo_rows
from .client import Caller, make_person


class Catalog(TestCase):
    """What items carry beside their structures."""

    def setUp(self) -> None:
        mirror_cell.define(Shop())
        self.caller = Caller(make_person())
        self.today = timezone.localdate()

    def refused(self, name: str, given: dict[str, Any], words: str) -> None:
        """Assert that a command is refused with these words and leaves no entry."""
        before = Entry.objects.count()
        problem = self.caller.do(name, given)
        self.assertEqual(self.caller.status, 422, problem)
        self.assertIn(words, problem["detail"])
        self.assertEqual(Entry.objects.count(), before)

    def test_notes_stay_with_author_and_time_newest_first(self) -> None:
        for text in ("first", "second"):
            self.caller.must("write-note", {"kind": "item", "code": "AP-20", "text": text})

        notes = self.caller.get("notes/item/AP-20")

        self.assertEqual([(n["text"], n["person"]) for n in notes], [("second", "Ines Example"), ("first", "Ines Example")])  # fmt: skip
        self.assertEqual(self.caller.get("notes/item/PAD-3"), [])

    def test_an_item_becomes_inactive_with_a_reason_and_stops_releases(self) -> None:
        self.refused("change-item", {"code": "PAD-3", "is_active": False}, "say why")
        order = mirror_cell.plan(Shop(), "MA-200", "2")

        self.caller.must("change-item", {"code": "PAD-3", "is_active": False, "inactive_reason": "replaced by PAD-4"})  # fmt: skip

        item = self.caller.get("items/PAD-3")
        self.assertEqual((item["is_active"], item["inactive_reason"]), (False, "replaced by PAD-4"))
        problem = self.caller.do("release-order", {"order": order})
        self.assertIn("PAD-3 is inactive.", problem["detail"])
        places = {r["place"] for r in self.caller.get("lacks")["rows"]}
        self.assertIn("item:PAD-3", places)

    def test_own_units_may_not_shadow_units_of_measure(self) -> None:
        units = [{"name": "kg", "quantity": "2"}]
        self.refused(
            "change-item", {"code": "PAD-3", "own_units": units}, "kg is a unit of measure"
        )

    def test_a_retired_structure_leaves_its_item_without_one_from_that_day(self) -> None:
        day = self.today + timedelta(days=5)
        self.caller.must("retire-structure", {"item": "CS-01", "effective_to": str(day)})
        self.assertEqual(self.caller.get("items/CS-01/revisions")[0]["effective_to"], str(day))
        self.assertTrue(self.caller.get("items/CS-01")["has_approved"])

        self.caller.must("retire-structure", {"item": "CS-01", "effective_to": str(self.today)})

        self.assertFalse(self.caller.get("items/CS-01")["has_approved"])
        self.assertEqual(self.caller.get("items/CS-01/revisions")[0]["state"], "retired")
        past = {"item": "MA-200", "effective_to": str(self.today - timedelta(days=1))}
        self.refused("retire-structure", past, "has passed")

    def test_a_revision_can_not_have_been_in_force_in_the_past(self) -> None:
        operation = {"number": 10, "name": "Turn", "work_center": "LATHE"}
        self.caller.must("draft-structure", {"item": "CS-01", "operations": [operation]})

        self.refused(
            "approve-structure",
            {"item": "CS-01", "effective_from": str(self.today - timedelta(days=1))},
            "orders went by the revision before",
        )

    def test_calendars_refuse_zones_and_days_that_do_not_exist(self) -> None:
        shifts = [{"weekday": 0, "start": 480, "end": 960}]
        self.refused("define-calendar", {"code": "X", "name": "X", "zone": "Mars/Base", "shifts": shifts}, "no time zone Mars/Base")  # fmt: skip
        self.refused("define-calendar", {"code": "X", "name": "X", "shifts": [{"weekday": 7, "start": 0, "end": 1}]}, "weekday")  # fmt: skip
        self.caller.must("define-calendar", {"code": "X", "name": "X", "shifts": shifts})
        self.refused("close-days", {"calendar": "X", "first": "2026-03-02", "last": "2026-03-01"}, "lies before")  # fmt: skip
        self.caller.must("add-shift", {"calendar": "X", "day": "2026-03-07", "start": 1320, "end": 360, "why": "rush"})  # fmt: skip

        days = {d["day"]: d for d in self.caller.get("calendars/X/years/2026")["days"]}

        self.assertEqual(
            (days["2026-03-07"]["minutes"], days["2026-03-07"]["kind"]), (480, "extra")
        )
        self.assertEqual((days["2026-03-02"]["minutes"], days["2026-03-03"]["minutes"]), (480, 0))

    def test_components_are_issued_at_release_and_at_receipt_by_their_rules(self) -> None:
        mirror_cell.supply(Shop())
        structure = self.caller.get("items/MA-200/revisions/A")
        rules = {"PAD-3": "at release", "AP-20": "at receipt", "CS-01": "by hand"}
        lines = [
            {"item": c["item"], "operation": c["operation"], "quantity": c["quantity"], "issue_rule": rules[c["item"]]}
            for c in structure["components"]
        ]  # fmt: skip
        operations = [{k: v for k, v in o.items() if v not in (None, "")} for o in structure["operations"]]  # fmt: skip
        self.caller.must("draft-structure", {"item": "MA-200", "operations": operations, "components": lines})  # fmt: skip
        self.caller.must("approve-structure", {"item": "MA-200"})
        order = mirror_cell.plan(Shop(), "MA-200", "10")

        def used() -> dict[str, str]:
            inputs = self.caller.get(f"orders/{order}")["inputs"]
            return {i["code"]: i["used"] for i in inputs if i["code"] in rules}

        self.caller.must("release-order", {"order": order})
        self.assertEqual((used()["PAD-3"], used()["AP-20"]), ("90.000000", "0.000000"))
        self.caller.must("issue-material", {"order": order, "lines": [{"operation": 20, "item": "CS-01", "quantity": "10"}]})  # fmt: skip
        for operation in (10, 20):
            self.caller.must("report", {"order": order, "operation": operation, "good": "10"})
        self.assertEqual(used()["AP-20"], "0.000000")

        self.caller.must("receive", {"order": order, "quantity": "4"})

        # by hand: 2.40 kg for each of the ten that were milled
        self.assertEqual(used()["AP-20"], "24.000000")


class Roles(TestCase):
    """Who may bring files, and who sees whom."""

    def test_a_viewer_neither_exports_costs_nor_brings_files_nor_sees_persons(self) -> None:
        mirror_cell.define(Shop())
        viewer = Caller(make_person("vera", Role.VIEWER))
        file = {"file": SimpleUploadedFile("items.csv", b"code,name,unit,source\n")}

        refused = viewer.client.post("/api/uploads", file)

        self.assertEqual((refused.status_code, refused.json()["code"]), (403, "people.role_needed"))
        for path in ("export/csv", "people"):
            self.assertEqual(viewer.client.get(f"/api/{path}").status_code, 403)
        stranger = Caller()
        for path in ("people", "export/csv", "lacks", "items/AP-20/peek", "uploads/1"):
            stranger.get(path)
            self.assertEqual(stranger.status, 401, path)


class Statements(TestCase):
    """Lists and pages ask the database a constant number of times."""

    def counted(self, caller: Caller, path: str) -> int:
        """Return how many statements a query takes."""
        with CaptureQueriesContext(connection) as asked:
            caller.get(path)
        self.assertEqual(caller.status, 200, path)
        return len(asked)

    def test_more_items_and_orders_take_no_more_statements(self) -> None:
        demo_rows.load()
        shop = Shop(Person.objects.get(name="mara"))
        caller = Caller(shop.person)
        paths = ("items", "orders", "today", "items/HT-200/tree", "items/SB-06/where-used", "lacks", "calendars", "work-centers")  # fmt: skip
        for path in paths:
            caller.get(path)  # what is kept in the process is kept now
        before = {path: self.counted(caller, path) for path in paths}

        for n in range(6):
            shop.do("define-item", code=f"X-{n}", name="More", unit="pcs", source="buy", price="1")
            order = mirror_cell.plan(shop, "SP-200", "2")
            shop.do("release-order", order=order)
        for path in paths:
            caller.get(path)

        after = {path: self.counted(caller, path) for path in paths}
        self.assertEqual(after, before)
        # five of them at the door: session, person, how long, the works' zone
        self.assertLessEqual(max(before.values()), 35, before)
