"""Material on its way in the browser: a crate picked with a scanner on a phone, short, through a lost connection."""

import re
from datetime import timedelta
from decimal import Decimal

from django.utils import timezone
from playwright.sync_api import Page, expect
from poietic.ledger.models import Reservation, StockBalance
from poietic.ledger.verify import differences
from poietic.orders.models import Order, OrderInput
from poietic.papers.models import Printed
from poietic.people.models import SavedView
from poietic.picking.models import PickLine

from .live import BrowserTest


class Walking(BrowserTest):
    """On the demo."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def release_a_crate(self, page: Page) -> int:
        """Release the material of one crate for the first operation of 1011, and list it; return the list."""
        page.goto("/orders/1011")
        page.get_by_role("button", name="Release a part").click()
        panel = page.get_by_role("region", name="Release a part of an order")
        panel.get_by_label("Quantity").fill("1")
        panel.get_by_label("In", exact=True).fill("crate")
        panel.get_by_label("To operation").fill("10")
        expect(panel).to_contain_text("10.106 kg released for operation 10")
        self.post(page)
        expect(page.get_by_role("table", name="Released, picked, staged, issued")).to_contain_text("Part 1: 1 crate")  # fmt: skip
        page.get_by_role("button", name="Make a pick list").click()
        self.post(page)
        page.get_by_role("heading", name="Pick for 1011").wait_for()
        return int(page.url.rsplit("/", 1)[1])

    def on_a_phone(self, number: int) -> Page:
        """Open a pick list as the storekeeper does, on a screen of 390 by 844."""
        page = self.signed_in("Piet")
        page.set_viewport_size({"width": 390, "height": 844})
        page.goto(f"/release/picks/{number}")
        page.get_by_label("Scan", exact=True).wait_for()
        return page

    def taken(self) -> list[tuple[str, Decimal]]:
        lines = PickLine.objects.filter(order__number=1011).order_by("pk")
        return [(n.place.code, n.picked) for n in lines.select_related("place")]

    def test_a_crate_is_picked_with_the_scanner_short_once_staged_and_issued(self) -> None:
        number = self.release_a_crate(self.signed_in("Jonas"))
        phone = self.on_a_phone(number)
        scanner = phone.context.new_page()
        scanner.goto(f"/scanner?list={number}")
        scanner.get_by_role("button", name="STORE Main store").click()
        expect(phone.get_by_text("☑ place ☐ item")).to_be_visible()
        scanner.get_by_role("button", name="AP-20").click()
        expect(phone.get_by_text("☑ place ☑ item")).to_be_visible()

        phone.get_by_role("button", name="Short…").click()
        phone.get_by_label("Taken of AP-20, kg").fill("6")
        phone.get_by_role("button", name="At another place").click()
        expect(phone.get_by_role("region", name="Take next")).to_contain_text("Shelf B")
        scanner.reload()
        for code in ("SHELF-B", "AP-20", "MILL-IN"):
            scanner.get_by_role("button", name=code).first.click()
        expect(phone.get_by_role("region", name="Picked")).to_contain_text("1 short, below")
        expect(phone.get_by_role("table", name="Pick list")).to_contain_text("4.106kg4.106")
        self.assertEqual(self.taken(), [("STORE", Decimal(6)), ("SHELF-B", Decimal("4.106"))])

        phone.get_by_role("button", name="Issue to 1011").click()
        self.post(phone)
        used = OrderInput.objects.get(order__number=1011, item__code="AP-20")
        self.assertEqual(used.used, Decimal("10.106"))
        self.assertFalse(
            StockBalance.objects.filter(place__code="MILL-IN", quantity__gt=0).exists()
        )
        self.assertEqual(differences(), [])

    def test_scans_wait_for_the_connection_and_arrive_once(self) -> None:
        number = self.release_a_crate(self.signed_in("Jonas"))
        phone = self.on_a_phone(number)
        phone.context.set_offline(True)
        phone.get_by_label("Scan", exact=True).press("Enter")
        expect(phone.get_by_text("1 scan waits for the connection")).to_be_visible()
        expect(phone.get_by_role("table", name="Pick list")).to_contain_text("waits")
        phone.context.set_offline(False)
        expect(phone.get_by_text("1 scan waits for the connection")).to_have_count(0)
        expect(phone.get_by_role("table", name="Pick list")).to_contain_text("10.106kg10.106")

        self.assertEqual(self.taken(), [("STORE", Decimal("10.106"))])
        kept = Reservation.objects.get(cost_object__number=1011, item__code="AP-20")
        self.assertEqual((kept.place.code, kept.quantity), ("MILL-IN", Decimal("10.106")))
        self.faults[:] = [f for f in self.faults if "ERR_INTERNET_DISCONNECTED" not in f and "ERR_FAILED" not in f]  # fmt: skip

    def test_more_than_listed_asks_why_and_what_was_taken_is_put_back(self) -> None:
        number = self.release_a_crate(self.signed_in("Jonas"))
        phone = self.on_a_phone(number)
        phone.get_by_label("Taken of AP-20, kg").fill("11")
        phone.get_by_role("button", name="Taken").click()
        expect(phone.get_by_role("alert")).to_contain_text("more than the list says")
        phone.get_by_role("button", name="It is more: Wasted at the cut").click()
        expect(phone.get_by_role("region", name="Picked")).to_be_visible()
        self.refusal_expected()
        phone.get_by_role("button", name="Put back AP-20").click()
        phone.get_by_label("Quantity").fill("1")
        self.post(phone)
        expect(phone.get_by_role("region", name="Take next")).to_contain_text("Main store")
        self.assertEqual(self.taken(), [("STORE", Decimal(10))])
        self.assertEqual(differences(), [])

    def test_a_carrier_is_picked_on_and_moved_with_all_that_lies_on_it(self) -> None:
        page = self.signed_in("Piet")
        page.goto("/release/picks/1")
        entry = page.get_by_label("Scan", exact=True)
        for code in ("STORE", "AP-20", "BOX-1"):  # a scanner types, and ends with Enter
            entry.fill(code)
            entry.press("Enter")
        expect(page.get_by_role("table", name="Pick list")).to_contain_text("10.106kg10.106")
        page.goto("/release/carriers")
        table = page.get_by_role("table", name="Carriers")
        expect(table).to_contain_text("Aluminium plate 20")
        entry = page.get_by_label("Scan a carrier, then where it goes")
        for code, said in (("MILL-IN", "Scan a carrier first."), ("BOX-1", "Grey box 1: scan where it goes."), ("MILL-IN", "BOX-1 stands at Beside the mill.")):  # fmt: skip
            entry.fill(code)
            entry.press("Enter")
            expect(page.get_by_text(said)).to_be_visible()
        expect(table.get_by_role("row", name=re.compile("BOX-1"))).to_contain_text(
            "Beside the mill"
        )
        page.goto("/orders/1017")
        parts = page.get_by_role("table", name="Released, picked, staged, issued")
        expect(parts.get_by_role("row", name=re.compile("AP-20")).first).to_contain_text(re.compile("10.106.*10.106.*10.106"))  # fmt: skip

    def test_labels_are_printed_and_scanned_back(self) -> None:
        page = self.signed_in("Piet")
        page.goto("/release/stock/OC-1/OC-A17")
        page.get_by_role("button", name="Label").click()
        self.post(page)
        self.assertEqual(Printed.objects.latest("pk").content, "OC-1 OC-A17")
        walk = page.context.new_page()
        walk.goto("/release/picks/1")
        walk.get_by_label("Scan", exact=True).wait_for()
        page.goto("/release/printer")
        page.get_by_role("button", name="scan it: OC-1 OC-A17").click()
        expect(walk.get_by_text("OC-1 OC-A17 is not wanted here.")).to_be_visible()
        page.get_by_role("button", name="scan it: SHELF-B").click()
        expect(walk.get_by_text("To Shelf B. Scan the place and the item first.")).to_be_visible()


class Trees(BrowserTest):
    """A telescope with all that is made for it, and the table of all orders."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def test_a_telescope_s_whole_tree_of_orders_is_made_in_one_act(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/release")
        page.get_by_role("button", name="Plan with components").click()
        panel = page.get_by_role("region", name="Plan an order with its components")
        panel.get_by_label("Item").fill("HT-150")
        panel.get_by_label("Quantity").fill("2")
        panel.get_by_label("Due").fill((timezone.localdate() + timedelta(days=70)).isoformat())
        table = panel.get_by_role("table", name="Made components")
        expect(table).to_contain_text("OT-150")
        panel.get_by_label("How MC-150 comes").select_option("within the order")
        expect(panel).to_contain_text("made within it: MC-150")
        self.post(page)

        top = Order.objects.filter(item__code="HT-150").latest("pk")
        tree = Order.objects.filter(top=top)
        self.assertIn("OT-150", set(tree.values_list("item__code", flat=True)))
        self.assertFalse(tree.filter(item__code="MC-150").exists())
        for child in tree:
            assert child.made_for is not None
            self.assertLess(child.due, child.made_for.due)
        page.get_by_role("link", name="Tree of orders").click()
        shown = page.get_by_role("table", name="Tree of orders")
        for item in ("HT-150", "OT-150", "AP-20"):
            expect(shown).to_contain_text(item)
        page.get_by_role("button", name="Change all").click()
        page.get_by_label("Quantity").fill("3")
        self.post(page)
        self.assertEqual(set(Order.objects.filter(top=top, item__code="OT-150").values_list("quantity", flat=True)), {Decimal(3)})  # fmt: skip

    def test_the_wide_table_is_chosen_sorted_marked_and_saved_by_keyboard(self) -> None:
        page = self.signed_in("Jonas")
        self.press(page, "o")
        table = page.get_by_role("table", name="Orders")
        expect(table.get_by_role("link", name="1004")).to_be_visible()
        page.get_by_label("Filter late").focus()
        page.keyboard.type(">10")
        expect(page.get_by_role("status").filter(has_text="4 of")).to_be_visible()
        expect(table.get_by_role("link", name="1004")).to_have_count(0)
        expect(page.get_by_label("Filter late")).to_be_focused()
        page.get_by_role("button", name="late").click()
        page.get_by_role("button", name="late").click()
        expect(table.get_by_role("link").first).to_have_text("1013")
        page.get_by_label("Mark order 1013").check()
        page.get_by_label("Mark order 1015").check()
        expect(page.get_by_text("2 marked")).to_be_visible()
        page.get_by_role("button", name="Save this view").click()
        page.get_by_role("textbox", name="Name", exact=True).fill("Forgotten")
        self.post(page)

        self.assertEqual(SavedView.objects.get().name, "Forgotten")
        page.goto("/orders/table")
        page.get_by_role("link", name="Forgotten").click()
        expect(table.get_by_role("link").first).to_have_text("1013")
        with page.expect_download() as found:
            page.get_by_role("link", name="CSV").click()
        lines = found.value.path().read_text().splitlines()
        self.assertEqual(len(lines), 5)
        page.get_by_label("Filter late").fill("soon")
        expect(page.get_by_role("alert")).to_contain_text("'soon' is no number")
        self.refusal_expected()
