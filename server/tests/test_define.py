"""Structures in depth: revisions over time, units, branches, dates, where used, replaced everywhere."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.utils import timezone
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.engineering.models import Revision
from poietic.ledger.verify import differences
from poietic.people.models import Person

from . import demo_rows
from .client import Caller, make_person


def draft_of(item: str, **more: Any) -> dict[str, Any]:
    """Return a draft of one operation and one component."""
    draft: dict[str, Any] = {
        "item": item,
        "operations": [{"number": 10, "name": "Turn", "work_center": "LATHE", "run_labour_hours": "0.1"}],
        "components": [{"item": "SB-06", "quantity": "0.2"}],
    }  # fmt: skip
    return draft | more


class Revisions(TestCase):
    """One revision is in force at any date."""

    def setUp(self) -> None:
        mirror_cell.define(Shop())
        self.caller = Caller(make_person())
        self.today = timezone.localdate()

    def test_a_revision_in_review_does_not_change_and_comes_into_force_on_its_day(self) -> None:
        later = self.today + timedelta(days=10)
        self.caller.must("draft-structure", draft_of("CS-01"))
        self.caller.must("submit-structure", {"item": "CS-01"})
        problem = self.caller.do("draft-structure", draft_of("CS-01"))
        self.assertEqual((self.caller.status, problem["code"]), (409, "structure.in_review"))

        self.caller.must("approve-structure", {"item": "CS-01", "effective_from": str(later)})

        rows = self.caller.get("items/CS-01/revisions")
        self.assertEqual(
            [(r["letter"], r["state"], r["effective_from"], r["effective_to"]) for r in rows],
            [("B", "approved", str(later), None), ("A", "approved", str(self.today), str(later))],
        )
        self.assertEqual(self.caller.get("items/CS-01/tree")["letter"], "A")
        self.caller.must("draft-structure", draft_of("CS-01"))
        problem = self.caller.do("approve-structure", {"item": "CS-01"})
        self.assertEqual(
            (self.caller.status, problem["code"]), (409, "structure.effectivity_taken")
        )
        self.assertIn("CS-01 rev B", problem["detail"])

    def test_compared_revisions_say_what_changed_and_what_it_costs(self) -> None:
        self.caller.must("draft-structure", draft_of("CS-01"))

        compared = self.caller.get("items/CS-01/revisions/B/compare?old=A")

        rows = {(r["kind"], r["code"]): r for r in compared["rows"]}
        bar = rows["component", "SB-06"]
        # by hand: 0.2 − 0.122 m at 25.00; the machine's 0.1 h at 27.00 is gone
        self.assertEqual((bar["status"], bar["old_cost"], bar["new_cost"]), ("changed", "3.050000", "5.000000"))  # fmt: skip
        self.assertEqual(rows["operation", "LATHE"]["changes"], ["name", "run machine hours"])
        self.assertEqual(Decimal(compared["new_total"]), Decimal("5.00") + Decimal("2.40"))

    def test_a_component_is_replaced_everywhere_from_a_day(self) -> None:
        self.caller.must("define-item", {"code": "SB-08", "name": "Bar M8", "unit": "m", "source": "buy", "price": "30"})  # fmt: skip
        day = self.today + timedelta(days=3)

        outcome = self.caller.must(
            "replace-component",
            {"item": "SB-06", "by": "SB-08", "ratio": "0.5", "effective_from": str(day)},
        )

        self.assertIn("CS-01 rev B", [f["thing"] for f in outcome["consequences"]["fields"]])
        fresh = self.caller.get("items/CS-01/revisions/B")["components"]
        self.assertEqual([(c["item"], c["quantity"]) for c in fresh], [("SB-08", "0.061000")])
        self.assertEqual(self.caller.get("items/CS-01/tree")["rows"][1]["code"], "SB-06")

    def test_lines_in_other_units_and_measured_pieces_convert(self) -> None:
        self.caller.must("change-item", {"code": "AP-20", "density": "2700"})
        self.caller.must("change-item", {"code": "SB-06", "own_units": [{"name": "bar", "quantity": "3"}]})  # fmt: skip
        lines = [
            {"item": "SB-06", "quantity": "40", "unit": "mm"},
            {"item": "AP-20", "quantity": "2", "measured_by": "mass", "length": "100", "width": "50", "thickness": "20"},
        ]  # fmt: skip
        self.caller.must("draft-structure", draft_of("CS-01", components=lines))

        rows = self.caller.get("items/CS-01/tree?revision=B")["rows"]

        # by hand: 0.04 m; 2 × 0.1 × 0.05 × 0.02 m³ × 2,700 kg/m³
        self.assertEqual([r["need"] for r in rows[1:]], ["0.040000", "0.540000"])
        own = [{"item": "SB-06", "quantity": "0.5", "unit": "bar"}]
        self.caller.must("draft-structure", draft_of("CS-01", components=own))
        self.assertEqual(
            self.caller.get("items/CS-01/tree?revision=B")["rows"][1]["need"], "1.500000"
        )
        kilos = [{"item": "SB-06", "quantity": "1", "unit": "kg"}]
        problem = self.caller.preview("draft-structure", draft_of("CS-01", components=kilos))
        self.assertEqual(problem["code"], "quantity.no_conversion")

    def test_the_check_before_saving_says_all_that_stands_against_approval(self) -> None:
        operations = [
            {"number": 10, "name": "Turn", "work_center": "LATHE"},
            {"number": 20, "name": "Polish", "work_center": "LATHE", "after": []},
            {"number": 30, "name": "Engrave", "work_center": "LATHE", "after": [20, 50]},
        ]
        seen = self.caller.preview("draft-structure", draft_of("CS-01", operations=operations))

        told = " ".join(r["text"] for r in seen["consequences"]["remarks"])
        self.assertIn("It comes after 50, which is no earlier operation.", told)
        self.assertIn("It ends in several operations: 10, 30.", told)
        self.assertFalse(Revision.objects.filter(state="draft").exists())


class Works(TestCase):
    """The demo's telescope: four levels, branches that join, dates on calendars."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.today = timezone.localdate()
        demo_rows.load()

    def setUp(self) -> None:
        self.caller = Caller(Person.objects.get(name="mara"))

    def test_costs_in_the_tree_add_up_to_the_standard_at_every_level(self) -> None:
        tree = self.caller.get("items/HT-200/tree")
        sums: dict[int, Decimal] = {}
        for row in tree["rows"]:
            if row["cost"] is not None:
                sums[row["depth"] // 2] = sums.get(row["depth"] // 2, Decimal(0)) + Decimal(
                    row["cost"]
                )

        self.assertEqual(max(r["level"] or 0 for r in tree["rows"]), 4)
        self.assertAlmostEqual(sums[0], Decimal(tree["standard"]), places=4)
        # the tube, the rocker and the finder stand in the first level; what is under the tube adds up to it
        tube = next(r for r in tree["rows"] if r["code"] == "OT-200")
        start = tree["rows"].index(tube)
        under = [
            Decimal(r["cost"])
            for r in tree["rows"][start + 1 : next(n for n in range(start + 1, 99) if tree["rows"][n]["depth"] <= tube["depth"])]
            if r["depth"] in (tube["depth"] + 1, tube["depth"] + 2) and r["cost"]
        ]  # fmt: skip
        self.assertAlmostEqual(sum(under, Decimal(0)), Decimal(tube["cost"]), places=3)

    def test_each_cost_opens_into_a_derivation_of_the_same_value(self) -> None:
        rows = self.caller.get("items/HT-200/tree")["rows"]
        deep = next(n for n, r in enumerate(rows) if r["code"] == "SB-06")

        derived = self.caller.get("items/HT-200/tree/derivation", row=rows[deep]["key"])

        self.assertEqual(derived[0]["value"], rows[deep]["cost"])
        self.assertIn("MA-200 per unit", [d["label"] for d in derived])

    def test_a_loop_over_four_levels_is_refused_with_every_step_of_it(self) -> None:
        problem = self.caller.preview(
            "draft-structure", draft_of("CS-01", components=[{"item": "HT-200", "quantity": "1"}])
        )

        self.assertEqual(problem["code"], "structure.cycle")
        self.assertIn("CS-01 → HT-200 → OT-200 → MA-200 → CS-01", problem["detail"])

    def test_where_used_reaches_the_top_with_extended_quantities(self) -> None:
        used = self.caller.get("items/SB-06/where-used")["rows"]

        # 0.122 m per set, one set per cell, one cell per tube; the tube's seam has no yield on this branch
        self.assertEqual(
            [(u["item"], u["level"], u["quantity"]) for u in used],
            [("CS-01", 1, "0.122000"), ("FO-80", 1, "0.200000"), ("MA-200", 2, "0.122000"), ("OT-150", 2, "0.200000"), ("HT-150", 3, "0.200000"), ("OT-200", 3, "0.122000"), ("HT-200", 4, "0.122000")],
        )  # fmt: skip

    def test_an_order_of_parallel_operations_runs_to_its_close(self) -> None:
        shop = Shop(Person.objects.get(name="mara"))
        lines = [("AL-10", "50", "4.90"), ("CB-03", "50", "0.85"), ("SC-08", "500", "0.09")]  # fmt: skip
        shop.do(
            "receive-material",
            lines=[{"item": i, "quantity": q, "price": p, "place": "STORE"} for i, q, p in lines],
        )
        order = mirror_cell.plan(shop, "OT-200", "3")
        self.caller.must("release-order", {"order": order})
        page = self.caller.get(f"orders/{order}")
        self.assertEqual([o["after"] for o in page["operations"]], [None, [], [10, 20], None])
        joined = {o["number"]: o for o in page["operations"]}
        self.assertGreaterEqual(joined[30]["starts"], max(joined[10]["ends"], joined[20]["ends"]))
        for i in page["inputs"]:
            if i["kind"] == "component":
                self.caller.must("issue-material", {"order": order, "lines": [{"operation": i["operation"], "item": i["code"], "quantity": i["need"]}]})  # fmt: skip
        for operation, good, scrap in ((20, "3", 0), (10, "3", 1), (30, "3", 0), (40, "3", 0)):
            given: dict[str, Any] = {"order": order, "operation": operation, "good": good}
            if scrap:
                given["scrap"] = [{"reason": "DROPPED", "quantity": "1"}]
            self.caller.must("report", given)
            bridge = self.caller.get(f"orders/{order}/bridge")
            causes = sum((Decimal(c["amount"]) for c in bridge["causes"]), Decimal(0))
            self.assertEqual(causes, Decimal(bridge["variance"]))
        self.caller.must("receive", {"order": order, "quantity": "3", "complete": True})
        self.caller.must("close-order", {"order": order})
        self.assertEqual(self.caller.get(f"orders/{order}/bridge")["wip"], "0.00")
        self.assertEqual(differences(), [])

    def test_a_closed_day_moves_the_start_of_what_runs_over_it(self) -> None:
        monday = self.today + timedelta(days=105 - self.today.weekday())
        days = [str(monday + timedelta(days=n)) for n in range(5)]
        order = self.planned("OT-200", "20", days[4])
        before = self.caller.get(f"orders/{order}")
        self.assertEqual((before["finishes"], before["days_late"]), (days[4], 0))

        for calendar in ("DAY", "TWO"):
            self.caller.must(
                "close-days",
                {"calendar": calendar, "first": days[2], "last": days[3], "why": "stocktaking"},
            )

        after = self.caller.get(f"orders/{order}")
        earlier = date.fromisoformat(before["starts"]) - date.fromisoformat(after["starts"])
        self.assertGreaterEqual(earlier.days, 2)
        self.assertEqual(self.closed(monday.year), days[2:4])
        self.caller.must("open-days", {"calendar": "DAY", "first": days[3], "last": days[3]})
        self.assertEqual(self.closed(monday.year), days[2:3])

    def planned(self, item: str, quantity: str, due: str) -> int:
        """Plan an order and return its number."""
        given = {"item": item, "quantity": quantity, "due": due}
        places = {"supply_place": "STORE", "receipt_place": "STORE"}
        return int(self.caller.must("plan-order", given | places)["made"]["order"])

    def closed(self, year: int) -> list[str]:
        """Return the days closed for the stocktaking."""
        days = self.caller.get(f"calendars/DAY/years/{year}")["days"]
        return [d["day"] for d in days if d["why"] == "stocktaking"]

    def test_an_order_takes_the_revision_that_is_in_force_on_its_start(self) -> None:
        soon = self.planned("SP-200", "2", str(self.today + timedelta(days=3)))
        later = self.planned("SP-200", "2", str(self.today + timedelta(days=70)))

        for order in (soon, later):
            self.caller.must("release-order", {"order": order})

        letters = [self.caller.get(f"orders/{o}")["revision"] for o in (soon, later)]
        self.assertEqual(letters, ["A", "B"])

    def test_holidays_come_from_icalendar_and_calendars_go_out_as_it(self) -> None:
        """The event is RFC 5545's own example of an all-day event (section 3.6.1)."""
        text = (
            "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//EN\r\nBEGIN:VEVENT\r\n"
            "UID:20070423T123432Z-541111@example.com\r\nDTSTAMP:20070423T123432Z\r\n"
            "DTSTART;VALUE=DATE:20070628\r\nDTEND;VALUE=DATE:20070709\r\n"
            "SUMMARY:Festival International de Jazz de Montreal\r\nTRANSP:TRANSPARENT\r\n"
            "END:VEVENT\r\nEND:VCALENDAR\r\n"
        )
        upload = {"file": SimpleUploadedFile("h.ics", text.encode())}
        holidays = self.caller.client.post("/api/calendars/read", upload).json()
        self.assertEqual((holidays[0]["first"], holidays[0]["last"]), ("2007-06-28", "2007-07-08"))

        self.caller.must("close-holidays", {"calendar": "DAY", "holidays": holidays})

        days = self.caller.get("calendars/DAY/years/2007")["days"]
        self.assertEqual(sum("Jazz" in d["why"] and d["minutes"] == 0 for d in days), 11)
        exported = self.caller.client.get("/api/calendars/DAY/icalendar").content
        back = {"file": SimpleUploadedFile("back.ics", exported)}
        again = self.caller.client.post("/api/calendars/read", back).json()
        self.assertIn(holidays[0], again)
        self.assertIn(b"RRULE:FREQ=WEEKLY;BYDAY=MO", exported)
        bad = {"file": SimpleUploadedFile("bad.ics", b"no calendar")}
        problem = self.caller.client.post("/api/calendars/read", bad).json()
        self.assertEqual(problem["code"], "calendar.not_icalendar")

    def test_a_peek_shows_stock_needs_and_uses(self) -> None:
        peek = self.caller.get("items/CS-01/peek")

        self.assertEqual((peek["on_hand"], peek["used_in"]), ("0.000000", ["MA-200"]))
        wanted = [(w["name"], w["quantity"]) for w in peek["wanted_by"]]
        self.assertEqual(wanted, [("Mirror cell", "20.000000"), ("Mirror cell", "16.000000")])
        lacks = {r["place"] for r in self.caller.get("lacks")["rows"]}
        self.assertIn("structure:FD-80", lacks)
