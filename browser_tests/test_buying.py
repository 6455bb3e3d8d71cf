"""Buying in the browser: what is missing is bought, comes, is invoiced; units go to a supplier and come back."""

import re
from decimal import Decimal

from playwright.sync_api import expect
from poietic.buying.models import Delivery, Invoice, Purchase, PurchaseLine
from poietic.ledger.verify import differences
from poietic.orders.models import OrderOperation

from server.tests.test_ubl import invoice

from .live import BrowserTest


class Buying(BrowserTest):
    """On the demo."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def test_what_is_missing_is_bought_confirmed_received_and_invoiced(self) -> None:
        page = self.signed_in("Jonas")
        page.get_by_role("link", name="Buy", exact=True).click()
        missing = page.get_by_role("table", name="What is missing")
        self.assert_accessible(page, "buy")
        for item in ("BR-12", "EB-02"):
            missing.get_by_label(f"Buy {item}").check()
        page.get_by_role("button", name="Buy 2").click()
        expect(page.get_by_role("region", name="Buy what is missing")).to_contain_text("line 1")
        self.post(page)
        expect(page.get_by_role("heading", name="Marrow Metals")).to_be_visible()
        expect(page.get_by_role("table", name="Lines")).to_contain_text("BR-12")
        self.assert_accessible(page, "purchase order")
        page.get_by_role("button", name="Send to the supplier").click()
        self.post(page)
        page.get_by_role("button", name="Confirm").click()
        page.get_by_label("Their number").fill("M-5001")
        page.get_by_label("Price of line 1").fill("5.60")
        self.post(page)
        expect(page.get_by_text("as M-5001")).to_be_visible()
        page.get_by_role("button", name="Receive").click()
        page.get_by_label("Came of line 2").fill("0")
        page.get_by_label("Despatch note").fill("LS 12")
        self.post(page)
        expect(page.get_by_role("table", name="Lines")).to_contain_text("with LS 12")
        expect(page.get_by_text("partly received")).to_be_visible()
        page.reload()
        page.get_by_role("button", name="Finish with what came").click()
        self.post(page)
        page.get_by_role("button", name="Invoice").click()
        page.get_by_label("Their number").fill("R 77")
        page.get_by_label("Dated").fill("2026-11-28")
        page.get_by_label("Amount of").first.fill("24.40")
        panel = page.get_by_role("region", name="Post a supplier's invoice")
        expect(panel).to_contain_text("2.00 more")
        self.post(page)
        expect(page.get_by_role("table", name="Invoices")).to_contain_text("R 77")
        purchase = Purchase.objects.latest("pk")
        self.assertEqual((purchase.state, Invoice.objects.latest("pk").total), ("closed", Decimal("24.40")))  # fmt: skip
        self.assertFalse(Delivery.objects.filter(line__purchase=purchase, is_open=True).exists())
        page.get_by_role("link", name="Invoices", exact=True).click()
        page.get_by_label("Take back R 77").click()
        page.get_by_label("Why").fill("twice")
        self.post(page)
        page.get_by_role("link", name="Received, not invoiced").click()
        expect(page.get_by_role("table", name="Received, not invoiced")).to_contain_text("BR-12")
        self.assertEqual(differences(), [])

    def test_units_come_back_from_a_supplier_with_a_loss(self) -> None:
        page = self.signed_in("Piet")
        page.goto("/buy")
        out = page.get_by_role("table", name="Out at suppliers")
        out.get_by_role("row", name="Tube blank").get_by_role("link").first.click()
        work = page.get_by_role("table", name="Work outside")
        expect(work).to_contain_text("Corrin Vale Coatings")
        page.get_by_role("button", name="Back from").click()
        page.get_by_label("Came of line 1").fill("4")
        page.get_by_role("button", name="Add a loss").click()
        page.get_by_label("lost 1").fill("1")
        panel = page.get_by_role("region", name="Receive against a purchase order")
        expect(panel).to_contain_text("operation 30 scrap")
        self.post(page)
        expect(work).to_contain_text("received")
        done = OrderOperation.objects.get(order__item__code="TB-150", number=30, order__state="started")  # fmt: skip
        self.assertEqual((done.good, done.scrap, done.sent), (9, 3, 12))
        self.assertEqual(differences(), [])

    def test_an_invoice_is_read_from_the_file_that_the_supplier_sent(self) -> None:
        line = PurchaseLine.objects.get(item__code="BL-200", purchase__supplier__code="KETTER")
        data = invoice({"purchase": line.purchase.number, "item": "BL-200", "quantity": 22, "amount": "1300.20"}, total="1300.20", supplier="KETTER", number="K-771")  # fmt: skip
        page = self.signed_in("Mara")
        page.goto("/buy/invoices")
        page.get_by_role("button", name="Enter an invoice").click()
        file = page.get_by_label("Read a UBL 2.1 file")
        file.set_input_files({"name": "x.xml", "mimeType": "text/xml", "buffer": b"<!DOCTYPE a><a/>"})  # fmt: skip
        expect(page.get_by_role("alert")).to_contain_text("document type")
        self.refusal_expected()
        file.set_input_files({"name": "k.xml", "mimeType": "text/xml", "buffer": data})
        panel = page.get_by_role("region", name="Post a supplier's invoice")
        expect(panel).to_contain_text("13.20 more")
        self.post(page)
        expect(page.get_by_role("table", name="Invoices")).to_contain_text("K-771")
        self.assertEqual(differences(), [])

    def test_an_operation_is_sent_out_with_components_and_back_by_the_supplier_s_own_paper(
        self,
    ) -> None:
        page = self.signed_in("Jonas")
        order = OrderOperation.objects.get(order__number=1017, number=10).order
        page.goto(f"/orders/{order.number}")
        page.get_by_role("button", name="Operation 10, for this order only").click()
        page.get_by_role("menuitem", name="Send it out to a supplier…").click()
        page.get_by_label("Supplier", exact=True).select_option("ORLOCK")
        page.get_by_label("Price of a piece").fill("31.50")
        page.get_by_label("Days out").fill("4")
        page.get_by_label("Why").fill("the mill is full")
        panel = page.get_by_role("region", name="Have a supplier do an operation")
        expect(panel).to_contain_text("method variance when all is received")
        self.post(page)
        work = page.get_by_role("table", name="Work outside")
        expect(work).to_contain_text("Orlock Precision Milling")
        page.get_by_role("button", name="Order operation 10 of Orlock").click()
        self.post(page)
        page.get_by_role("button", name="Send units to Orlock").click()
        page.get_by_role("textbox", name="Units").fill("16")
        page.get_by_label("Marks").fill("blanks 1 to 16")
        page.get_by_role("button", name="Add a component").click()
        page.get_by_role("textbox", name="component 1").fill("AP-20")
        page.get_by_role("textbox", name="quantity 1").fill("20")
        self.post(page)
        expect(work).to_contain_text("16")
        expect(work.get_by_role("link", name="waybill")).to_be_visible()
        page.get_by_role("link", name=str(PurchaseLine.objects.get(order=order).purchase.number)).first.click()  # fmt: skip
        page.get_by_role("button", name="Receive").click()
        page.get_by_role("button", name="Ask the simulated supplier what he sends").click()
        expect(page.get_by_label("Despatch note")).to_have_value(re.compile("^S-"))
        page.get_by_label("Came of line 1").fill("10")
        self.post(page)
        expect(page.get_by_text("partly received")).to_be_visible()
        page.get_by_role("link", name="Orlock Precision Milling").click()
        expect(page.get_by_role("table", name="Out at suppliers")).to_contain_text("1017")
        expect(page.get_by_role("table", name="Components at the supplier")).to_contain_text(
            "AP-20"
        )
        self.assert_accessible(page, "supplier")
        self.assertEqual(differences(), [])
