"""Files in and out: nothing lost on the way round, and every fault of a bad file named."""

import csv
import io
import json
import zipfile
from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import TestCase
from django.utils import timezone
from openpyxl import Workbook, load_workbook
from poietic.catalog.models import ItemUnit
from poietic.costing.models import Standard
from poietic.engineering.models import OverheadBudget, Revision
from poietic.ledger.verify import differences
from poietic.people.models import Person

from . import demo_rows
from .client import Caller, make_person


def zipped(**tables: str) -> bytes:
    """Return a zip of CSV files."""
    target = io.BytesIO()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in tables.items():
            archive.writestr(f"{name}.csv", text)
    return target.getvalue()


NEW_ITEMS = "code,name,unit,source,price\nTOP,Top,pcs,make,\nBOLT,Bolt,pcs,buy,0.20\n"
WORK_CENTERS = "code,name,machine_rate,labour_rate\nBENCH,Bench,0,30\n"
OPERATIONS = "item,number,name,work_center,run_labour_hours\nTOP,10,Assemble,BENCH,0.5\n"
COMPONENTS = "item,operation,component,quantity\nTOP,10,BOLT,4\n"


class Exchange(TestCase):
    """A person brings files and takes them away."""

    def bring(self, caller: Caller, name: str, data: bytes) -> Any:
        """Upload a file and return what the server says of it."""
        answer = caller.client.post("/api/uploads", {"file": SimpleUploadedFile(name, data)})
        caller.status = answer.status_code
        return answer.json()

    def statuses(self, upload: Any) -> dict[str, int]:
        """Return how many rows would be what."""
        return {s: upload[s] for s in ("new", "changed", "same", "refused") if upload[s]}

    def test_what_was_exported_comes_back_unchanged_in_both_formats(self) -> None:
        demo_rows.load()
        caller = Caller(Person.objects.get(name="ines"))
        package = caller.client.get("/api/export/csv").content
        workbook = caller.client.get("/api/export/xlsx").content

        for name, data in (("all.zip", package), ("all.xlsx", workbook)):
            upload = self.bring(caller, name, data)
            self.assertEqual(list(self.statuses(upload)), ["same"], upload["rows"][:3])

        with zipfile.ZipFile(io.BytesIO(package)) as archive:
            described = json.loads(archive.read("datapackage.json"))
            for resource in described["resources"]:
                head = next(csv.reader(io.StringIO(archive.read(resource["path"]).decode())))
                self.assertEqual([f["name"] for f in resource["schema"]["fields"]], head)
        sheet = load_workbook(io.BytesIO(workbook))["components"]
        self.assertIn("CB-03", [row[2].value for row in sheet.iter_rows(min_row=2)])

    def test_a_new_plant_comes_in_and_a_change_is_shown_before_it_is_made(self) -> None:
        caller = Caller(make_person())
        first = self.bring(
            caller,
            "plant.zip",
            zipped(
                items=NEW_ITEMS,
                work_centers=WORK_CENTERS,
                operations=OPERATIONS,
                components=COMPONENTS,
            ),
        )
        self.assertEqual(self.statuses(first), {"new": 5})
        caller.must("import-tables", {"upload": first["upload"]})
        caller.must("freeze-standard", {})
        # by hand: 4 × 0.20 + 0.5 h × 30
        self.assertEqual(caller.get("items/TOP/standard")["total"], "15.800000")

        dearer = NEW_ITEMS.replace("0.20", "0.25") + "NUT,Nut,pcs,buy,0.1\n"
        second = self.bring(
            caller,
            "change.zip",
            zipped(items=dearer, operations=OPERATIONS, components=COMPONENTS.replace("4", "6")),
        )

        self.assertEqual(self.statuses(second), {"new": 1, "changed": 3, "same": 1})
        price = next(r for r in second["rows"] if r["code"] == "BOLT")
        self.assertEqual((price["status"], price["why"]), ("changed", "price"))
        caller.must("import-tables", {"upload": second["upload"]})
        self.assertEqual(caller.get("items/TOP/tree")["rows"][1]["quantity"], "6.000000")
        states = Revision.objects.filter(item__code="TOP").values_list("letter", "state")
        self.assertEqual(dict(states), {"A": "retired", "B": "approved"})
        self.assertEqual(differences(), [])

    def test_a_rate_is_compared_with_the_one_in_force_not_with_the_first(self) -> None:
        caller = Caller(make_person())
        caller.must("define-work-center", {"code": "BENCH", "name": "Bench", "machine_rate": "0", "labour_rate": "30"})  # fmt: skip
        today = timezone.localdate()
        for day, rate in ((today - timedelta(days=5), "33"), (today + timedelta(days=5), "36")):
            given = {"work_center": "BENCH", "labour_rate": rate, "layers": []}
            caller.must("set-rates", given | {"effective_from": day.isoformat()})

        def brought(rate: str) -> list[tuple[str | None, str]]:
            table = WORK_CENTERS.replace("30", rate)
            upload = self.bring(caller, "rates.zip", zipped(work_centers=table))
            if not self.statuses(upload).get("same"):
                caller.must("import-tables", {"upload": upload["upload"]})
            (center,) = caller.get("work-centers")
            self.assertEqual(Decimal(center["labour_rate"]), Decimal(rate))
            return [(r["effective_from"], r["labour_rate"][:2]) for r in center["rates"]]

        # what is in force is the same: nothing to bring; the first rate is another one than today's
        self.assertEqual(len(brought("33")), 3)
        days = [d for d, _ in brought("30")]
        self.assertEqual(days, [str(today + timedelta(days=5)), str(today), str(today - timedelta(days=5)), None])  # fmt: skip

    def test_every_fault_of_a_file_is_named_with_its_line_and_nothing_is_taken(self) -> None:
        caller = Caller(make_person())
        cases = {
            "price: 'cheap' is no number": {"items": NEW_ITEMS.replace("0.20", "cheap")},
            "the unit furlong is unknown": {"items": NEW_ITEMS.replace("Bolt,pcs", "Bolt,furlong")},
            "the column unit is missing": {"items": "code,name,source\nA,A,buy\n"},
            "it stands on line 3 already": {"items": NEW_ITEMS + "BOLT,Bolt,pcs,buy,1\n"},
            "there is no item NONE": {
                "items": NEW_ITEMS,
                "work_centers": WORK_CENTERS,
                "operations": OPERATIONS,
                "components": COMPONENTS.replace("BOLT", "NONE"),
            },
            "SUB → TOP → SUB": {
                "items": NEW_ITEMS + "SUB,Sub,pcs,make,\n",
                "work_centers": WORK_CENTERS,
                "operations": OPERATIONS + "SUB,10,Make,BENCH,1\n",
                "components": COMPONENTS + "TOP,10,SUB,1\nSUB,10,TOP,1\n",
            },
        }
        for words, tables in cases.items():
            upload = self.bring(caller, "bad.zip", zipped(**tables))
            told = [r for r in upload["rows"] if r["status"] == "refused"]
            self.assertTrue(any(words in r["why"] for r in told), (words, told))
            self.assertTrue(all(r["line"] for r in told), told)
            problem = caller.do("import-tables", {"upload": upload["upload"]})
            self.assertEqual((caller.status, problem["code"]), (422, "exchange.rows_refused"))
        self.assertEqual(caller.get("items")["rows"], [])

    def test_a_plant_carried_to_an_empty_database_costs_the_same_there(self) -> None:
        """Overhead budgets do not travel: they are of a period, not of the plant."""
        standards: dict[str, str] = {}
        with transaction.atomic():
            demo_rows.load()
            OverheadBudget.objects.all().delete()
            ines = Caller(Person.objects.get(name="ines"))
            package = ines.client.get("/api/export/csv").content
            for item in ines.get("items", limit="200")["rows"]:
                standards[item["code"]] = ines.get(f"items/{item['code']}/rolled")["rolled"]
            transaction.set_rollback(True)
        caller = Caller(make_person())
        upload = self.bring(caller, "all.zip", package)
        self.assertEqual(list(self.statuses(upload)), ["new"], upload["rows"][:3])
        caller.must("import-tables", {"upload": upload["upload"]})

        caller.must("roll-up-next", {})

        rows = Standard.objects.filter(cost_set__state="next").values_list("item__code", "total")
        costed = {code: f"{total:f}" for code, total in rows}
        self.assertEqual(costed, {c: total for c, total in standards.items() if total})
        self.assertEqual(ItemUnit.objects.get(item__code="SC-08").quantity, 200)
        # a line in boxes of the file's own items
        boxed = zipped(
            items="code,name,unit,source,price\nTOP,Top,pcs,make,\nNAIL,Nail,pcs,buy,0.1\n",
            item_units="item,name,quantity\nNAIL,box,50\nNAIL,kg,9\n",
            work_centers=WORK_CENTERS,
            operations=OPERATIONS,
            components="item,operation,component,quantity,unit\nTOP,10,NAIL,2,box\n",
        )
        told = self.bring(caller, "boxed.zip", boxed)["rows"]
        self.assertEqual(
            [(r["line"], r["why"]) for r in told if r["status"] == "refused"],
            [(3, "kg is a unit of measure for all items")],
        )
        again = self.bring(caller, "again.zip", caller.client.get("/api/export/csv").content)
        self.assertEqual(list(self.statuses(again)), ["same"])

    def test_each_cell_that_can_t_be_is_told_with_its_line(self) -> None:
        caller = Caller(make_person())
        head = "code,name,unit,source,standard_lot,price,is_phantom,lead_time_days,valuation\n"
        rows = {
            "X 1\x01,A,pcs,buy,1,,,,": "can't be written",
            "A,,pcs,buy,1,,,,": "name is empty",
            "B,B,pcs,lend,1,,,,": "'lend' is none of buy, make, both",
            "C,C,pcs,buy,0,,,,": "'0' must be above 0",
            "D,D,pcs,buy,1,1.1234567,,,": "more than six decimals",
            "E,E,pcs,buy,1,-1,,,": "'-1' is below 0",
            "F,F,pcs,buy,1,1e30,,,": "too large",
            "G,G,pcs,make,1,,perhaps,,": "neither true nor false",
            "H,H,pcs,buy,1,,,soon,": "no whole number",
            "I,I,pcs,make,1,2,,,": "a made item has no price",
            "J,J,pcs,make,1,,,,lot actual": "lot actual needs an item tracked",
            "K,K,pcs,buy,1,,yes,,": "only what is made can be a phantom",
        }
        upload = self.bring(caller, "items.csv", (head + "\n".join(rows)).encode())
        told = {r["line"]: r["why"] for r in upload["rows"] if r["status"] == "refused"}
        for line, words in enumerate(rows.values(), start=2):
            self.assertIn(words, told.get(line, "nothing"))
        calendars = "code,name\nDAY,Day\n"
        lists = {
            "shifts": ("calendar,weekday,start,end\n", {"DAY,7,06:00,14:00": "0 is Monday", "DAY,1,26:00,14:00": "no time of day", "NONE,1,06:00,14:00": "there is no calendar NONE"}),
            "exceptions": ("calendar,first,last,start,end\n", {"DAY,2026-05-02,2026-05-01,,": "last day lies before", "DAY,2026-05-02,2026-05-02,06:00,": "an extra shift has", "DAY,soon,2026-05-02,,": "no date"}),
        }  # fmt: skip
        for table, (columns, wrong) in lists.items():
            upload = self.bring(caller, "l.zip", zipped(calendars=calendars, **{table: columns + "\n".join(wrong)}))  # fmt: skip
            why = {r["line"]: r["why"] for r in upload["rows"] if r["table"] == table}
            for line, words in enumerate(wrong.values(), start=2):
                self.assertIn(words, why.get(line, "nothing"))
        self.assertEqual(caller.get("items")["rows"], [])

    def test_files_that_can_not_be_read_are_refused_with_the_reason(self) -> None:
        caller = Caller(make_person())
        bomb = io.BytesIO()
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
            for n in range(5):
                archive.writestr(f"{n}.csv", b"0" * 60_000_000)
        for name, data, words in (
            (
                "items.csv",
                "code,name,unit,source\nÄ,x,pcs,buy".encode("latin-1"),
                "Line 2 is not in UTF-8.",
            ),
            ("bomb.zip", bomb.getvalue(), "It would unpack to 300 MB"),
            ("items.csv", b"", "the column code is missing"),
        ):
            told = self.bring(caller, name, data)
            self.assertIn(words, told.get("detail") or told["rows"][0]["why"])

    def test_formulas_and_merged_cells_of_a_workbook_are_refused(self) -> None:
        caller = Caller(make_person())
        book = Workbook()
        sheet = book.active
        assert sheet is not None
        sheet.title = "items"
        sheet.append(["code", "name", "unit", "source", "price"])
        sheet.append(["A", "A", "pcs", "buy", "=1+1"])
        sheet.merge_cells("A4:B4")
        target = io.BytesIO()
        book.save(target)

        upload = self.bring(caller, "items.xlsx", target.getvalue())

        told = " ".join(r["why"] for r in upload["rows"] if r["status"] == "refused")
        self.assertIn("E2 holds a formula", told)
        self.assertIn("merged cells", told)
