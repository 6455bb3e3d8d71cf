"""Orders as UBL 2.1 and invoices read from it: what is written, what matches, what is refused."""

import re
from datetime import date, timedelta
from decimal import Decimal
from typing import Any
from xml.etree import ElementTree as ET

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase
from poietic.buying.models import Invoice
from poietic.buying.ubl.names import CAC, CBC, ROOT
from poietic.ledger.models import Lot

from .test_buying import SOON, BuyingTest
from .ubl_schema import fault

LINE = """
  <cac:{kind}Line>
    <cbc:ID>{n}</cbc:ID>
    <cbc:{counted}Quantity unitCode="C62">{quantity}</cbc:{counted}Quantity>
    <cbc:LineExtensionAmount currencyID="{currency}">{amount}</cbc:LineExtensionAmount>
    <cac:OrderLineReference><cbc:LineID>{line}</cbc:LineID>
      <cac:OrderReference><cbc:ID>{purchase}</cbc:ID></cac:OrderReference></cac:OrderLineReference>
    <cac:Item><cbc:Name>x</cbc:Name>
      <cac:BuyersItemIdentification><cbc:ID>{item}</cbc:ID></cac:BuyersItemIdentification></cac:Item>
  </cac:{kind}Line>"""


def invoice(*lines: dict[str, Any], total: str, kind: str = "Invoice", head: str = "", **more: str) -> bytes:  # fmt: skip
    """Return an invoice as a supplier sends it."""
    said = {"number": "R-1", "dated": "2026-11-20", "currency": "EUR", "supplier": "ALU", "space": f"{ROOT}{kind}-2", "charge": ""} | more  # fmt: skip
    counted = "Invoiced" if kind == "Invoice" else "Credited"
    body = "".join(
        LINE.format(**{"n": n, "line": 1, "item": "AVERAGE", "currency": said["currency"]} | line, kind=kind, counted=counted)
        for n, line in enumerate(lines, 1)
    )  # fmt: skip
    return f"""<?xml version="1.0" encoding="UTF-8"?>{head}
<{kind} xmlns="{said["space"]}" xmlns:cac="{CAC}" xmlns:cbc="{CBC}">
  <cbc:ID>{said["number"]}</cbc:ID><cbc:IssueDate>{said["dated"]}</cbc:IssueDate>
  <cbc:DocumentCurrencyCode>{said["currency"]}</cbc:DocumentCurrencyCode>
  <cac:AccountingSupplierParty><cac:Party>
    <cac:PartyIdentification><cbc:ID>{said["supplier"]}</cbc:ID></cac:PartyIdentification>
    <cac:PartyName><cbc:Name>Example Alloys</cbc:Name></cac:PartyName>
  </cac:Party></cac:AccountingSupplierParty>{said["charge"]}
  <cac:LegalMonetaryTotal><cbc:TaxExclusiveAmount currencyID="EUR">{total}</cbc:TaxExclusiveAmount></cac:LegalMonetaryTotal>{body}
</{kind}>""".encode()


class Reading(BuyingTest):
    """Files that are brought to be read."""

    def read(self, data: bytes, kind: str = "invoices") -> Any:
        file = SimpleUploadedFile("invoice.xml", data, "text/xml")
        answer = self.caller.client.post(f"/api/{kind}/read", {"file": file})
        self.caller.status = answer.status_code
        return answer.json()


class Documents(Reading):
    """What goes out and comes in as a file."""

    def test_an_order_is_ubl(self) -> None:
        lines = [{"item": "AVERAGE", "quantity": "2", "unit": "box", "comes_on": "2027-01-15"}, {"item": "AP-20", "quantity": "1.5", "price": "6.505", "comes_on": "2027-01-16"}]  # fmt: skip
        made = self.must("draft-purchase", supplier="ALU", lines=lines, send=True, note="by rail")["made"]  # fmt: skip
        answer = self.caller.client.get(f"/api/purchases/{made['purchase']}/order.xml")
        root = ET.fromstring(answer.content)
        self.assertEqual(root.tag, f"{{{ROOT}Order-2}}Order")
        self.assertEqual(fault("Order", answer.content), "")
        units = [(e.get("unitCode"), e.text) for e in root.iter(f"{{{CBC}}}Quantity")]
        self.assertEqual(units, [("ZZ", "2"), ("KGM", "1.5")])
        amounts = [e.text for e in root.iter(f"{{{CBC}}}LineExtensionAmount")]
        self.assertEqual(amounts, ["297.76", "288.00", "9.76"])
        self.assertEqual({e.get("currencyID") for e in root.iter() if "currencyID" in e.attrib}, {"EUR"})  # fmt: skip
        self.assertEqual(self.caller.client.get("/api/purchases/1/order.xml").status_code, 404)

    def test_an_invoice_is_matched_and_posted_as_it_was_read(self) -> None:
        number = self.buy("AVERAGE", "10", "6.00")
        self.receive(number)
        said = self.read(invoice({"purchase": number, "quantity": 10, "amount": "62.00"}, total="62.00"))  # fmt: skip
        self.assertEqual((said["supplier"], said["faults"]), ("ALU", []))
        line = said["lines"][0]
        self.assertEqual((line["purchase"], line["of_line"], line["item"]), (number, 1, "AVERAGE"))
        self.assertFalse(Invoice.objects.exists(), "reading posts nothing")
        lines = [{"purchase": n["purchase"], "line": n["of_line"], "quantity": n["quantity"], "amount": n["amount"]} for n in said["lines"]]  # fmt: skip
        self.must("post-invoice", supplier=said["supplier"], number=said["number"], dated=said["dated"], lines=lines, total=said["total"])  # fmt: skip
        self.assertEqual((self.state(number), self.value("AVERAGE")), ("closed", 62))

    def test_a_credit_note_and_a_charge_are_read(self) -> None:
        number = self.buy("AVERAGE", "10", "6.00")
        self.receive(number)
        charge = '<cac:AllowanceCharge><cbc:ChargeIndicator>true</cbc:ChargeIndicator><cbc:AllowanceChargeReason>Freight</cbc:AllowanceChargeReason><cbc:Amount currencyID="EUR">4.50</cbc:Amount></cac:AllowanceCharge>'  # fmt: skip
        said = self.read(invoice({"purchase": number, "quantity": 1, "amount": "6"}, total="10.50", charge=charge))  # fmt: skip
        self.assertEqual((said["charges"], said["faults"]), ([{"what": "Freight", "amount": "4.50"}], []))  # fmt: skip
        said = self.read(invoice({"purchase": number, "quantity": 1, "amount": "6"}, total="6", kind="CreditNote"))  # fmt: skip
        self.assertEqual((said["is_credit"], Decimal(said["lines"][0]["quantity"])), (True, 1))

    def test_what_does_not_match_says_why(self) -> None:
        number = self.buy("AVERAGE", "10", "6.00")
        self.receive(number, "4")
        one: dict[str, Any] = {"purchase": number, "quantity": 4, "amount": "24"}
        faults = {
            "there is no order 99 of ours": one | {"purchase": 99},
            f"order {number} has no line 7": one | {"line": 7},
            f"line 1 of order {number} is AVERAGE, not PAD-3": one | {"item": "PAD-3"},
            "5 pcs are asked for, 4 have come and are not invoiced": one | {"quantity": 5},
            "it names no order of ours; choose what it is for by hand": one | {"purchase": ""},
        }
        for why, line in faults.items():
            with self.subTest(why):
                self.assertEqual(self.read(invoice(line, total="24"))["lines"][0]["why_not"], why)
        told = self.read(invoice(one, total="25", supplier="NOBODY"))
        self.assertEqual(told["faults"], ["total: lines and charges add up to 24, it asks for 25"])
        self.must("define-partner", code="OTHER", name="Other")
        told = self.read(invoice(one, total="24", supplier="OTHER"))
        self.assertEqual(told["faults"], [f"line 1: order {number} was sent to Example Alloys"])

    def test_bad_files_are_refused_and_nothing_is_taken(self) -> None:
        line = {"purchase": 1, "quantity": 1, "amount": "1"}
        bomb = '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>'
        cases = {
            "ubl.other_document": invoice(line, total="1", space="urn:example:invoice"),
            "ubl.other_currency": invoice(line, total="1", currency="USD"),
            "ubl.lacking": invoice(line, total="one"),
            "ubl.not_readable": invoice(line, total="1", head=bomb),
        }
        for code, data in cases.items():
            with self.subTest(code):
                said = self.read(data)
                self.assertEqual((self.caller.status, said["code"]), (422, code))
        for data in (b"", b"%PDF-1.4", b"<a><b></a>", b" " * 5_000_001):
            self.assertEqual(self.read(data)["code"], "ubl.not_readable")
        self.assertEqual(self.read(invoice(line, total="1", dated="yesterday"))["code"], "ubl.lacking")  # fmt: skip
        twice = invoice(line, line, total="NaN")
        self.assertEqual(self.read(twice)["code"], "ubl.lacking")
        self.assertFalse(Invoice.objects.exists())


class Schema(SimpleTestCase):
    """The schema that what is written is held against refuses what is not UBL."""

    def test_a_missing_a_misplaced_and_a_wrong_element_are_told(self) -> None:
        good = invoice({"purchase": 1, "quantity": 1, "amount": "1"}, total="1").decode()
        party = "<cac:AccountingCustomerParty/>"
        good = good.replace("<cac:LegalMonetaryTotal>", f"{party}<cac:LegalMonetaryTotal>")
        good = good.replace("</cac:LegalMonetaryTotal>", '<cbc:PayableAmount currencyID="EUR">1</cbc:PayableAmount></cac:LegalMonetaryTotal>')  # fmt: skip
        self.assertEqual(fault("Invoice", good.encode()), "")
        for wrong in (
            good.replace("<cbc:ID>R-1</cbc:ID>", ""),
            good.replace(party, "").replace("<cac:InvoiceLine>", f"{party}<cac:InvoiceLine>"),
            good.replace('currencyID="EUR">1</cbc:PayableAmount>', ">1</cbc:PayableAmount>"),
            good.replace(">2026-11-20<", ">20.11.2026<"),
        ):
            self.assertNotEqual(wrong, good)
            self.assertNotEqual(fault("Invoice", wrong.encode()), "")


class SimulatedSupplier(Reading):
    """The other side, played by rules and by chance with a seed."""

    def ask(self, number: int, **rules: int) -> Any:
        if rules:
            self.must("set-stand-in", supplier="ALU", **rules)
        return self.caller.get(f"stand-ins/supplier/{number}")

    def sends(self, number: int, paper: str) -> bytes:
        address = f"/api/stand-ins/supplier/{number}/{paper}.xml"
        return bytes(self.caller.client.get(address).content)

    def test_he_confirms_by_his_rules_and_always_the_same(self) -> None:
        number = self.buy("AVERAGE", "20", "6.00")
        line = self.ask(number, late=0, short=0, dearer=0)["lines"][0]
        self.assertEqual((Decimal(line["quantity"]), line["comes_on"]), (20, str(SOON)))
        line = self.ask(number, late=100, days=3, short=100, missing=10)["lines"][0]
        self.assertEqual(Decimal(line["quantity"]), 18)
        self.assertTrue(SOON < date.fromisoformat(line["comes_on"]) <= SOON + timedelta(days=3))
        self.assertEqual(self.ask(number), self.ask(number))
        self.assertEqual(self.caller.get("suppliers/ALU")["stand_in"]["missing"], 10)
        answers = {str(self.ask(number, seed=n)["lines"]) for n in range(20)}
        self.assertGreater(len(answers), 1, "another seed, another chance")
        self.refused("input.invalid", "set-stand-in", supplier="ALU", late=101)
        self.must("confirm-purchase", purchase=number, lines=[line])

    def test_his_despatch_advice_is_read_and_received(self) -> None:
        number = self.buy("COATING", "20", "6.00")
        self.ask(number, late=0, short=100, missing=10)
        data = self.sends(number, "despatch")
        self.assertEqual(fault("DespatchAdvice", data), "")
        said = self.read(data, "despatches")
        self.assertEqual((said["supplier"], said["faults"], said["comes_on"]), ("ALU", [], str(SOON)))  # fmt: skip
        (line,) = said["lines"]
        self.assertEqual((Decimal(line["quantity"]), [lot["supplier_code"] for lot in line["lots"]]), (18, [f"S{number}-1"]))  # fmt: skip
        self.assertEqual((line["purchase"], line["item"]), (number, "COATING"))
        came = {"line": line["line"], "quantity": line["quantity"], "lots": line["lots"]}
        self.must("receive-purchase", purchase=number, lines=[came], despatch_note=said["number"])
        self.assertEqual(Lot.objects.get(supplier_code=f"S{number}-1").item.code, "COATING")
        self.assertEqual(self.read(self.sends(number, "despatch"), "despatches")["lines"], [])

    def test_what_is_announced_and_does_not_match_says_why(self) -> None:
        number = self.buy("COATING", "20", "6.00")
        self.ask(number, late=0, short=0)
        data = self.sends(number, "despatch").decode()
        for was, now, told in (
            (">20<", ">21<", "line 1: 21 pcs are on their way, 20 are still to come"),
            (f">{number}<", ">99<", "line 1: there is no order 99 of ours"),
            (">COATING<", ">PAD-3<", f"line 1: line 1 of order {number} is COATING, not PAD-3"),
            (">ALU<", ">NOBODY<", "supplier: it comes from NOBODY, Nobody, who is no supplier of ours; define him, or choose one"),
            ("</cac:ItemInstance>", "</cac:ItemInstance><cac:ItemInstance><cac:LotIdentification><cbc:LotNumberID>B</cbc:LotNumberID></cac:LotIdentification></cac:ItemInstance>", "line 1: it names several lots and not how much of each; enter them by hand"),
        ):  # fmt: skip
            with self.subTest(told):
                changed = data.replace(was, now).replace("Example Alloys", "Nobody" if "NOBODY" in now else "Example Alloys")  # fmt: skip
                self.assertNotEqual(changed, data)
                self.assertEqual(self.read(changed.encode(), "despatches")["faults"], [told])
        said = self.read(data.replace("<cac:LotIdentification>", "<cbc:SerialID>7</cbc:SerialID><cac:LotIdentification>").encode(), "despatches")  # fmt: skip
        self.assertEqual([(lot["lot"], Decimal(lot["quantity"])) for lot in said["lines"][0]["lots"]], [("7", 1)])  # fmt: skip

    def test_lines_of_one_order_line_are_taken_together(self) -> None:
        number = self.buy("COATING", "20", "6.00")
        self.ask(number, late=0, short=0)
        data = self.sends(number, "despatch").decode()
        one = re.search("<cac:DespatchLine>.*</cac:DespatchLine>", data, re.DOTALL)
        assert one
        first = one[0].replace(">20<", ">12<")
        second = first.replace(">12<", ">8<").replace("-1</cbc:LotNumberID>", "-2</cbc:LotNumberID>")  # fmt: skip
        said = self.read(data.replace(one[0], first + second).encode(), "despatches")
        (line,) = said["lines"]
        self.assertEqual((Decimal(line["quantity"]), [Decimal(lot["quantity"]) for lot in line["lots"]]), (20, [12, 8]))  # fmt: skip
        said = self.read(data.replace(one[0], first + second + second).encode(), "despatches")
        self.assertEqual(said["faults"], ["line 1: 28 pcs are on their way, 20 are still to come"])

    def test_what_is_no_despatch_advice_is_refused(self) -> None:
        number = self.buy("COATING", "20", "6.00")
        data = self.sends(number, "despatch").decode()
        cases = {
            "ubl.other_document": invoice({"purchase": number, "quantity": 1, "amount": "1"}, total="1"),
            "ubl.not_readable": data[:-9].encode(),
            "ubl.lacking": data.replace("IssueDate", "IssueTime").encode(),
        }  # fmt: skip
        for code, wrong in cases.items():
            with self.subTest(code):
                self.assertEqual(self.read(wrong, "despatches")["code"], code)
        soon = re.sub("(?<=EndDate>)[0-9-]+", "soon", data).encode()
        self.assertIn("the day it arrives", self.read(soon, "despatches")["detail"])

    def test_his_invoice_is_read_matched_and_posted(self) -> None:
        number = self.buy("AVERAGE", "20", "6.00")
        self.receive(number, "18")
        self.ask(number, dearer=100, more=8)
        data = self.sends(number, "invoice")
        said = self.read(data)
        self.assertEqual((said["supplier"], said["faults"], said["total"]), ("ALU", [], "116.64"))
        self.assertEqual(fault("Invoice", data), "")
        lines = [{"purchase": n["purchase"], "line": n["of_line"], "quantity": n["quantity"], "amount": n["amount"]} for n in said["lines"]]  # fmt: skip
        self.must("post-invoice", supplier="ALU", number=said["number"], dated=said["dated"], lines=lines)  # fmt: skip
        self.assertEqual(self.read(self.sends(number, "invoice"))["lines"], [])

    def test_he_answers_only_what_was_sent_to_him(self) -> None:
        line = {"item": "AVERAGE", "quantity": "2"}
        draft = int(self.must("draft-purchase", supplier="ALU", lines=[line])["made"]["purchase"])
        self.assertEqual(self.ask(draft)["code"], "purchase.wrong_state")
        self.assertEqual(self.ask(1)["code"], "input.not_found")
