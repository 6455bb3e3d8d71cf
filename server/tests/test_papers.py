"""Labels, papers and what a scanner reads of them; the outside examples of codes."""

import re
from typing import Any
from xml.etree import ElementTree

from biip.gs1_messages import GS1Message
from django.test import SimpleTestCase
from poietic.ledger.models import Lot
from poietic.papers.gs1 import as_encoded, element_string, is_gtin, scanned, why_no_gtin
from poietic.papers.labels import Label, as_pdf, as_svg, encode
from poietic.papers.models import Printed
from stdnum import ean

from .test_picking import PickingTest

GTIN = "6291041500213"


class Codes(SimpleTestCase):
    """Codes are those of the standards."""

    def test_the_check_digit_of_the_gs1_example(self) -> None:
        """GS1 General Specifications: the check digit of 629104150021 is 3."""
        self.assertEqual(ean.calc_check_digit("629104150021"), "3")
        self.assertTrue(is_gtin(GTIN))
        self.assertFalse(is_gtin("6291041500214"))
        self.assertEqual(why_no_gtin("6291041500214"), "the last digit would be 3")

    def test_the_check_value_of_the_code_128_example(self) -> None:
        """ISO/IEC 15417: "PJJ123C" from start A has the check value 54; from start B (104) it is one more."""
        start, *data, check, stop = encode("PJJ123C").encoded
        self.assertEqual((start, stop), (104, 106))
        of_start_a = (103 + sum(n * value for n, value in enumerate(data, 1))) % 103
        self.assertEqual(of_start_a, 54)
        self.assertEqual(check, of_start_a + 1)

    def test_a_gs1_code_begins_with_its_function_character(self) -> None:
        said = as_encoded(element_string(GTIN, lot="AL-26"))
        symbol = encode(said, is_gs1=True).encoded
        self.assertEqual(
            symbol[:2], [105, 102]
        )  # start C, FNC1 (ISO/IEC 15417; GS1 General Specifications 5.4)

    def test_an_element_string_is_what_biip_reads(self) -> None:
        for lot, serial in (("AL-2611", ""), ("", "HT-0007")):
            said = element_string(GTIN, lot=lot, serial=serial)
            read = {e.ai.ai: e.value for e in GS1Message.parse_hri(said).element_strings}
            self.assertEqual(read.get("10", "") + read.get("21", ""), lot + serial)
            for text in (said, as_encoded(said)):
                found = scanned(text)
                assert found
                self.assertEqual((found.gtin, found.lot, found.serial), ("0" + GTIN, lot, serial))

    def test_what_fits_no_element_string_has_none(self) -> None:
        self.assertEqual(element_string(GTIN, lot="a lot with a name far too long for it"), "")
        self.assertIsNone(scanned("STORE"))
        self.assertIsNone(scanned("(nonsense"))

    def test_a_label_is_one_drawing_as_svg_and_as_pdf(self) -> None:
        long = "Borosilicate blank, fine annealed, ground on both sides, 200 by 32 millimetres"
        label = Label(kind="lot", title="BL-200", lines=[long, "lot 7"], code="BL-200 7")
        picture = ElementTree.fromstring(as_svg(label))
        words = "".join(picture.itertext())
        self.assertIn("BL-200", words)
        self.assertIn("…", words)
        bars = [e for e in picture.iter() if e.tag.endswith("rect")]
        self.assertGreater(len(bars), 30)
        pdf = as_pdf([label, label])
        self.assertTrue(pdf.startswith(b"%PDF-"))
        self.assertEqual(len(re.findall(rb"/Type /Page\b", pdf)), 2)
        self.assertEqual(pdf, as_pdf([label, label]))


class Printing(PickingTest):
    """Labels go to the printer, whose output is seen; what is printed is read back."""

    def scan(self, code: str) -> Any:
        return self.caller.get("scan", code=code)

    def test_what_is_printed_is_what_is_scanned_back(self) -> None:
        self.must("define-carrier", code="BOX-1", stands_at="STORE")
        labels = [
            {"kind": "lot", "code": "SOONER", "of": "PAD-L"},
            {"kind": "place", "code": "SHELF"},
            {"kind": "carrier", "code": "BOX-1"},
            {"kind": "item", "code": "AP-20"},
        ]
        self.must("print-labels", labels=labels, copies=2)
        printed = self.caller.get("printer")["rows"]
        self.assertEqual([(p["title"], p["copies"]) for p in printed], [("AP-20", 2), ("BOX-1", 2), ("SHELF", 2), ("PAD-L", 2)])  # fmt: skip
        read = [self.scan(p["content"]) for p in printed]
        self.assertEqual([(r["kind"], r["code"], r["lot"]) for r in read], [("item", "AP-20", ""), ("carrier", "BOX-1", ""), ("place", "SHELF", ""), ("lot", "PAD-L", "SOONER")])  # fmt: skip

    def test_an_item_with_a_gtin_has_element_strings(self) -> None:
        refused = self.caller.do("change-item", {"code": "PAD-L", "gtin": "6291041500214"})
        self.assertIn("the last digit would be 3", str(refused))
        self.must("change-item", code="PAD-L", gtin=GTIN)
        self.must("print-labels", labels=[{"kind": "lot", "code": "SOONER", "of": "PAD-L"}])
        content = Printed.objects.get().content
        self.assertEqual(content, "010629104150021310SOONER")
        for said in (content, "(01)06291041500213(10)SOONER"):
            self.assertEqual((self.scan(said)["code"], self.scan(said)["lot"]), ("PAD-L", "SOONER"))
        self.assertEqual(self.scan(GTIN)["code"], "PAD-L")
        line = next(n for n in self.caller.get(f"picks/{self.pick_list(self.order('1'))[0].pick_list_id}")["lines"] if n["lot"])  # fmt: skip
        self.assertIn(content, line["lot_scans"])
        self.assertIn(GTIN, line["item_scans"])

    def test_files_of_labels_and_papers(self) -> None:
        order = self.order()
        number = self.pick_list(order)[0].pick_list_id
        for path, query, begins in (
            ("labels/lot.svg", {"code": "SOONER", "of": "PAD-L"}, b"<svg"),
            ("labels/place.pdf", {"code": "SHELF"}, b"%PDF-"),
            ("papers/pick-list.pdf", {"code": str(number)}, b"%PDF-"),
            ("papers/traveller.pdf", {"code": str(order)}, b"%PDF-"),
        ):
            with self.subTest(path):
                answer = self.caller.client.get(f"/api/{path}", query)
                self.assertEqual(answer.status_code, 200)
                self.assertTrue(answer.content.startswith(begins))

    def test_what_is_not_there_is_named(self) -> None:
        self.refused("input.not_found", "print-labels", labels=[{"kind": "lot", "code": "X", "of": "PAD-L"}])  # fmt: skip
        self.refused("input.not_found", "print-labels", labels=[{"kind": "medal", "code": "X"}])
        for path, query in (
            ("scan", {"code": "NOWHERE"}),
            ("labels/place.svg", {"code": "X"}),
            ("papers/song.pdf", {"code": "1"}),
            ("papers/pick-list.pdf", {"code": "x"}),
            ("papers/traveller.pdf", {"code": "999999"}),
        ):
            self.assertEqual(self.caller.get(path, **query)["code"], "input.not_found", path)
        self.assertFalse(Printed.objects.exists())
        self.assertTrue(Lot.objects.filter(code="SOONER").exists())
