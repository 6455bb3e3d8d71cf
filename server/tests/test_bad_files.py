"""Files that are damaged, lie or are made to do harm: each a refusal, soon and in little memory."""

import io
import time
import tracemalloc
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase, TestCase
from openpyxl import Workbook, load_workbook
from PIL import Image
from poietic.catalog.models import Item, KeptFile
from poietic.engineering.icalendar_files import NotICalendar, read_holidays
from poietic.exchange.reading import Unreadable, read_file
from poietic.exchange.tables import BY_NAME, RUNS, as_cell, from_cell

from .client import Caller, make_person

HEAD = "code,name,unit,source\n"


def zipped(**files: bytes) -> bytes:
    """Return a zip of CSV files."""
    target = io.BytesIO()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(f"{name}.csv", content)
    return target.getvalue()


def workbook(**cells: Any) -> bytes:
    """Return a workbook with a sheet of items and further cells."""
    book = Workbook()
    sheet = book.active
    sheet.title = "items"
    sheet.append(HEAD.strip().split(","))
    for place, value in cells.items():
        sheet[place] = value
    target = io.BytesIO()
    book.save(target)
    return target.getvalue()


def rewritten(book: bytes, old: bytes, new: bytes) -> bytes:
    """Return a workbook with something in its first sheet put in place of something else."""
    target = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(book)) as source, zipfile.ZipFile(target, "w") as archive:
        for name in source.namelist():
            content = source.read(name)
            if name == "xl/worksheets/sheet1.xml":
                assert old in content, content[-400:]
                content = content.replace(old, new)
            archive.writestr(name, content)
    return target.getvalue()


class Files(SimpleTestCase):
    """What the reader says of each."""

    @contextmanager
    def soon_and_small(self) -> Iterator[None]:
        """Check that what is done inside takes little time and memory (five times the goal: machines differ)."""
        begun = time.process_time()
        tracemalloc.start()
        try:
            yield
            _, peak = tracemalloc.get_traced_memory()
        finally:
            tracemalloc.stop()
        self.assertLess(time.process_time() - begun, 10)
        self.assertLess(peak, 200_000_000)

    def unreadable(self, name: str, data: bytes) -> str:
        """Return why a file is refused as a whole."""
        with self.soon_and_small(), self.assertRaises(Unreadable) as caught:
            read_file(name, data)
        return str(caught.exception)

    def test_archives_that_are_damaged_lie_are_encrypted_or_of_an_unknown_method(self) -> None:
        sound = zipped(items=(HEAD + "A,A,pcs,buy\n" * 500).encode())
        at = sound.index(b"items.csv") + 9
        damaged = sound[:at] + bytes(b ^ 0x55 for b in sound[at : at + 20]) + sound[at + 20 :]
        directory = sound.rindex(b"PK\x01\x02")
        encrypted, strange = bytearray(sound), bytearray(sound)
        encrypted[6] |= 1
        encrypted[directory + 8] |= 1
        strange[8] = strange[directory + 10] = 99
        lying = bytearray(sound)
        lying[directory + 24 : directory + 28] = (7).to_bytes(4, "little")
        for data in (damaged, bytes(encrypted), bytes(strange), bytes(lying)):
            self.assertIn("can't be unpacked", self.unreadable("tables.zip", data))

    def test_much_that_is_small_when_zipped(self) -> None:
        self.assertIn(
            "would unpack to 180 MB", self.unreadable("t.zip", zipped(items=b"\n" * 180_000_000))
        )
        with self.soon_and_small():
            content = read_file("t.zip", zipped(items=HEAD.encode() + b"\n" * 60_000_000))
        self.assertIn("blank lines", content.faults[0].why)

    def test_workbooks_with_cells_where_no_table_reaches(self) -> None:
        book = workbook(A2="X")
        far = rewritten(book, b'r="2"', b'r="20000000"')
        self.assertIn("20000000", self.unreadable("t.xlsx", far))
        wide = rewritten(book, b'r="A2"', b'r="XFD2"')
        self.assertIn("XFD2", self.unreadable("t.xlsx", wide))

    def test_workbooks_with_cells_that_are_no_values(self) -> None:
        book = workbook(A2=1)
        for bad in (b"<v>1e999999999</v>", b"<v>x</v>", b"<v>99999999999</v>"):
            data = rewritten(book, b"<v>1</v>", bad)
            with self.soon_and_small():
                try:
                    content = read_file("t.xlsx", data)
                except Unreadable as err:
                    self.assertIn("can't be read", str(err))
                else:
                    self.assertTrue(content.faults)
        dated = rewritten(book, b'<c r="A2" t="n">', b'<c r="A2" t="d">')
        self.assertIn("can't be read", self.unreadable("t.xlsx", dated))

    def test_calendars_that_mix_dates_and_times_or_lie_out_of_all_time(self) -> None:
        event = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:{}\r\nDTEND{}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        mixed = read_holidays("a.ics", event.format("20261224", ":20261226T120000Z").encode())
        self.assertEqual([(h.first.day, h.last.day) for h in mixed], [(24, 26)])
        for first, end in (
            ("00010101", ";VALUE=DATE:00010102"),
            ("20261224", ";VALUE=DATE:99991231"),
            ("2026", ":x"),
        ):
            with self.assertRaises(NotICalendar):
                read_holidays("a.ics", event.format(first, end).encode())

    def test_what_a_spreadsheet_would_run_is_written_as_text_and_read_back_equal(self) -> None:
        column = BY_NAME["items"].column("name")
        assert column
        for text in ('=HYPERLINK("x")', "+1", "-1", "@SUM(A1)", "'quoted", "'=1", "plain", "a=b"):
            cell = as_cell(column, text)
            self.assertFalse(cell.startswith(RUNS))
            self.assertEqual(from_cell(cell), text)


class Brought(TestCase):
    """What the interface says of them."""

    def setUp(self) -> None:
        self.caller = Caller(make_person())

    def bring(self, path: str, name: str, data: bytes) -> Any:
        """Bring a file."""
        answer = self.caller.client.post(f"/api/{path}", {"file": SimpleUploadedFile(name, data)})
        self.caller.status = answer.status_code
        return answer.json()

    def test_a_formula_for_a_name_travels_as_text(self) -> None:
        self.caller.must(
            "define-item", {"code": "A", "name": '=HYPERLINK("x")', "unit": "pcs", "source": "buy"}
        )
        book = self.caller.client.get("/api/export/xlsx").content
        sheet = load_workbook(io.BytesIO(book))["items"]
        self.assertEqual([c.data_type for c in sheet[2]][:2], ["s", "s"])
        said = self.bring("uploads", "all.xlsx", book)
        self.assertEqual((said["same"], said["refused"]), (sum(1 for _ in said["rows"]), 0))

    def test_pictures_are_known_by_their_content(self) -> None:
        sound = io.BytesIO()
        Image.new("RGB", (4, 4)).save(sound, "PNG")
        for name, data, status in (
            ("a.png", sound.getvalue(), 200),
            ("a.webp", b"RIFF\x24\x00\x00\x00WAVEfmt ", 422),
            ("a.png", sound.getvalue()[:40], 422),
            ("a.pdf", b"%PDF-1.7 ...", 200),
            ("a.exe", b"MZ", 422),
        ):
            said = self.bring("files", name, data)
            self.assertEqual(self.caller.status, status, said)

    def test_a_document_that_is_missing_on_disk_is_told(self) -> None:
        self.caller.must("define-item", {"code": "A", "name": "A", "unit": "pcs", "source": "buy"})
        kept = self.bring("files", "a.pdf", b"%PDF-1.7")["file"]
        self.caller.must("attach-document", {"item": "A", "file": kept})
        file = KeptFile.objects.get(pk=kept).file
        file.storage.delete(file.name)
        said = self.caller.get("items/A/documents/a.pdf")
        self.assertEqual((self.caller.status, said["code"]), (404, "input.not_found"))

    def test_what_the_preview_calls_fine_is_imported(self) -> None:
        """One set of rules: each of these was fine in the preview once, and failed or passed after."""
        self.caller.must(
            "define-item", {"code": "OFF", "name": "Off", "unit": "pcs", "source": "buy"}
        )
        self.caller.must(
            "change-item", {"code": "OFF", "is_active": False, "inactive_reason": "gone"}
        )
        self.caller.must(
            "define-work-center",
            {"code": "SAW", "name": "Saw", "machine_rate": "1", "labour_rate": "1"},
        )
        items = HEAD + "{},A,pcs,buy\n"
        operation = "item,number,name,work_center,alternate_centers\nM,10,Cut,SAW,{}\n"
        component = "item,operation,component,quantity,alternates\nM,10,{},1,{}\n"
        made = "code,name,unit,source\nM,M,pcs,make\nB,B,pcs,buy\n"
        rates = "work_center,labour_rate,layer,element,amount,percent,of\nSAW,1,Base,machine,1,,\nSAW,1,{},machine,,0.1,{}\n"
        cases: list[tuple[dict[str, str], bool]] = [
            ({"items": items.format("M6×20")}, True),
            ({"items": items.format("Ä")}, True),
            ({"items": items.format("A/B")}, False),
            ({"items": HEAD + "X,X" + "x" * 130 + ",pcs,buy\n"}, False),
            ({"items": "code,name,unit,source,price_per\nX,X,pcs,buy,kg\n"}, False),
            ({"items": "code,name,unit,source,tracking\nX,X,pcs,buy,lot\n"}, False),
            ({"items": "code,name,unit,source,number_rule\nX,X,pcs,buy,{when}\n"}, False),
            ({"calendars": "code,name,zone\nC,C,Europe\n"}, False),
            ({"work_centers": "code,name,machines\nW,W,0\n"}, False),
            ({"work_centers": "code,name,efficiency\nW,W,999\n"}, False),
            ({"rates": rates.format("Top", "Base")}, True),
            ({"rates": rates.format("Top", "Roof")}, False),
            (
                {
                    "items": made,
                    "operations": operation.format(""),
                    "components": component.format("B", ""),
                },
                True,
            ),
            (
                {
                    "items": made,
                    "operations": operation.format(""),
                    "components": component.format("OFF", ""),
                },
                False,
            ),
            (
                {"items": made, "operations": operation.format('"[""LATHE""]"'), "components": ""},
                False,
            ),
            (
                {
                    "items": made,
                    "operations": operation.format(""),
                    "components": component.format(
                        "B", '"[{""item"": ""NONE"", ""ratio"": ""1""}]"'
                    ),
                },
                False,
            ),
            (
                {
                    "items": made,
                    "operations": 'item,number,name,work_center,steps\nM,10,Cut,SAW,"[1]"\n',
                },
                False,
            ),
        ]
        for n, (tables, is_fine) in enumerate(cases):
            with self.subTest(case=n, tables=tables):
                data = zipped(**{t: c.encode() for t, c in tables.items() if c})
                said = self.bring("uploads", "t.zip", data)
                self.assertEqual(said["refused"] == 0, is_fine, said["rows"])
                done = self.caller.preview("import-tables", {"upload": said["upload"]})
                self.assertEqual(self.caller.status == 200, is_fine, done)
        self.assertFalse(Item.objects.filter(code="M").exists())
