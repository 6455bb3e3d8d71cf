"""A workbook's first sheet is read as texts, to fill an entry; what can't be read is told by row."""

from io import BytesIO
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from openpyxl import Workbook
from poietic.papers.rows import MEDIA_TYPES, as_workbook

from .client import Caller, make_person


class Sheets(TestCase):
    """Whoever is signed in may have a sheet read; nothing of it is kept."""

    def setUp(self) -> None:
        self.caller = Caller(make_person())

    def read(self, data: bytes, name: str = "shift.xlsx") -> Any:
        file = SimpleUploadedFile(name, data, MEDIA_TYPES["xlsx"])
        answer = self.caller.client.post("/api/sheets", {"file": file})
        self.caller.status = answer.status_code
        return answer.json()

    def test_numbers_and_words_as_they_stand_without_empty_rows(self) -> None:
        rows: list[list[Any]] = [[1004, 20, 12, None, None, None, 2.4], [None] * 7, [1006, 20, 6, 1, "SPLIT"]]  # fmt: skip
        said = self.read(as_workbook("shift", ["order", "op", "good"], rows))["rows"]
        self.assertEqual(said[0][:3], ["order", "op", "good"])
        self.assertEqual(said[1][:7], ["1004", "20", "12", "", "", "", "2.4"])
        self.assertEqual([r[:5] for r in said[2:]], [["1006", "20", "6", "1", "SPLIT"]])

    def test_what_can_not_be_read_says_why(self) -> None:
        book = Workbook()
        assert book.active is not None
        book.active.append(["1004", "=1+1"])
        book.active.merge_cells("A2:B2")
        merged = self.bytes_of(book)
        for data, words in (
            (b"no workbook", "can't be unpacked"),
            (merged, "merged cells"),
            (as_workbook("long", ["order"], [[n] for n in range(1_001)]), "more than 1000 rows"),
            (b"x" * 5_000_001, "larger than 5 MB"),
        ):
            said = self.read(data)
            self.assertEqual((self.caller.status, said["code"]), (422, "exchange.unreadable"))
            self.assertIn(words, said["detail"])

    def test_a_formula_is_told_with_its_row(self) -> None:
        book = Workbook()
        assert book.active is not None
        book.active.append(["1004", "=1+1"])
        self.assertIn("Row 1: B1 holds a formula", self.read(self.bytes_of(book))["detail"])

    def test_not_for_strangers(self) -> None:
        self.caller = Caller()
        self.read(b"")
        self.assertEqual(self.caller.status, 401)

    def bytes_of(self, book: Workbook) -> bytes:
        """Return a workbook as a file."""
        target = BytesIO()
        book.save(target)
        return target.getvalue()
