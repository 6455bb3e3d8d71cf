"""Stores and release in the browser: what the controller and the storekeeper do every morning."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect
from poietic.ledger.models import Lot
from poietic.ledger.verify import differences
from poietic.orders.models import Order
from poietic.stores.models import Count, Transfer

from .live import BrowserTest

#: what sticks out of a page to the right, but for what scrolls inside a table or a list
STICKS_OUT = """() => {
  const wide = [];
  for (const e of document.querySelectorAll('body *')) {
    const box = e.getBoundingClientRect();
    if (!box.width || box.right <= innerWidth + 1) continue;
    let parent = e.parentElement, scrolls = false;
    while (parent && !scrolls) {
      scrolls = parent.tagName !== 'MAIN' && !parent.querySelector('h1')
        && ['auto', 'scroll', 'hidden', 'clip'].includes(getComputedStyle(parent).overflowX)
        && parent.getBoundingClientRect().right <= innerWidth + 1;
      parent = parent.parentElement;
    }
    if (!scrolls) wide.push(`${e.tagName} to ${Math.round(box.right)}: ${e.textContent.slice(0, 30)}`);
  }
  return wide.slice(0, 5);
}"""
EVERYWHERE = (
    *("/", "/account", "/define", "/define/items/MA-200", "/define/items/MA-200/edit"),
    *("/define/items/MA-200/cost", "/define/items/SP-200/compare?old=A&new=B"),
    *("/define/work-centers", "/define/calendars", "/define/partners", "/define/places"),
    *("/define/reasons", "/define/persons", "/define/lacks", "/define/exchange"),
    *("/release", "/release/stock", "/release/stock/OC-1", "/release/stock/OC-1/OC-A17"),
    *("/release/transfers", "/release/counts", "/release/counts/1", "/release/lists"),
    *(
        "/release/lists/ASSY",
        "/make",
        "/make/shift",
        "/orders/1004",
        "/orders/1007",
        "/orders/1002/bridge",
    ),
    *(
        "/release/picks",
        "/release/picks/1",
        "/release/carriers",
        "/release/printer",
        "/scanner?list=1",
    ),
    *("/orders/1017", "/orders/1018/tree", "/orders/table"),
    *("/orders/1002/as-built", "/postings/9", "/cost", "/cost/standards", "/cost/margins"),
)


class Morning(BrowserTest):
    """On the demo."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def test_what_could_be_released_is_marked_and_released_in_one_act(self) -> None:
        page = self.signed_in("Jonas")
        page.get_by_role("link", name="Release").click()
        table = page.get_by_role("table", name="Orders to release")
        expect(table).to_contain_text("Material comes in time 1")
        expect(table).to_contain_text("PL-18: 13.125 m² short, none is to come")
        table.get_by_label("All: Nothing stops them").check()
        table.get_by_label("Order 1011").check()
        expect(page.get_by_text("3 marked")).to_be_visible()
        page.get_by_role("button", name="Release 3").click()
        panel = page.get_by_role("region", name="Release orders")
        expect(panel).to_contain_text("hours released")
        expect(panel).to_contain_text("short: 8 pcs needed, 0 free at Main store")
        self.post(page)

        self.assertEqual(set(Order.objects.filter(number__in=(1010, 1011)).values_list("state", flat=True)), {"released"})  # fmt: skip
        expect(table).not_to_contain_text("Nothing stops them")
        page.goto("/release/lists/ASSY")
        expect(page.get_by_role("table", name="What comes next")).to_contain_text("1011")
        self.assertEqual(differences(), [])

    def test_an_order_is_planned_with_foresight_made_firm_and_a_table_is_pasted(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/release")
        page.get_by_role("button", name="Plan an order").click()
        panel = page.get_by_role("region", name="Plan an order")
        panel.get_by_label("Item").fill("MA-200")
        panel.get_by_label("Quantity").fill("12")
        due = (timezone.localdate() + timedelta(days=60)).isoformat()
        panel.get_by_label("Due", exact=True).fill(due)
        expect(panel).to_contain_text("costs 640.84 EUR by the standard")
        expect(panel).to_contain_text(re.compile(r"CS-01\s*12 pcs short, there"))
        self.post(page)
        expect(page.get_by_role("table", name="Material it will need")).to_contain_text("CS-01")
        expect(page.get_by_role("region", name="Can be built now")).to_contain_text("limits it")
        page.get_by_role("button", name="Make firm").click()
        self.post(page)
        expect(page.get_by_role("button", name="Leave to planning")).to_be_visible()

        page.get_by_role("button", name="Plan a table").click()
        text = page.get_by_label("One order a line")
        text.fill(f"MA-200\t3\t{due}\t340/1\nCS-01\tfew\t{due}")
        expect(page.get_by_text("Line 2: few is no quantity.")).to_be_visible()
        expect(page.get_by_role("button", name="Plan 1 order")).to_be_disabled()
        text.fill(f"MA-200\t3\t{due}\t340/1\nCS-01\t6\t{due}")
        self.post(page)
        self.assertEqual(Order.objects.filter(due=due).count(), 3)

    def test_a_lot_of_blanks_sizes_an_order_of_mirrors(self) -> None:
        """By yields of 0.96, 0.94 and 0.98 ten blanks become 8.84 mirrors, and five 4.42."""
        lot = Lot.objects.get(item__code="BL-200", stockbalance__quantity=10).code
        page = self.signed_in("Jonas")
        page.goto("/release")
        page.get_by_role("button", name="Plan an order").click()
        panel = page.get_by_role("region", name="Plan an order")
        panel.get_by_label("Item", exact=True).fill("PM-200")
        panel.get_by_label("Due", exact=True).fill((timezone.localdate() + timedelta(days=60)).isoformat())  # fmt: skip
        panel.get_by_label("From a lot of").fill("BL-200")
        panel.get_by_label("Which lot").fill(lot)
        expect(panel).to_contain_text(f"10 pcs of lot {lot} are enough for 8")
        panel.get_by_label("Of it").fill("5")
        expect(panel).to_contain_text(f"5 pcs of lot {lot} are enough for 4")
        self.post(page)

        order = Order.objects.latest("pk")
        self.assertEqual((int(order.quantity), order.lot and order.lot.code), (4, lot))
        expect(page.get_by_text(f"from lot {lot}")).to_be_visible()

    def test_a_transfer_arrives_with_something_missing(self) -> None:
        page = self.signed_in("Piet")
        page.goto("/release/transfers")
        page.get_by_role("button", name="Receive").click()
        panel = page.get_by_role("region", name="Receive a transfer")
        panel.get_by_label("SC-05 arrived").fill("280")
        panel.get_by_label("SC-05 missing").fill("20")
        expect(panel).to_contain_text("say why some of it is missing")
        panel.get_by_label("Cause").select_option("COUNTED")
        self.post(page)
        self.refusal_expected()

        expect(page.get_by_role("table", name="Transfers")).to_contain_text("arrived")
        self.assertFalse(Transfer.objects.get().is_on_the_way)
        page.goto("/release/stock/SC-05")
        expect(page.get_by_role("table", name="Where it lies")).to_contain_text("Shop store")
        expect(page.get_by_role("img", name="Projected stock of SC-05")).to_be_visible()
        self.assertEqual(differences(), [])

    def test_a_place_is_counted_blind_counted_again_and_posted_on_a_phone(self) -> None:
        page = self.signed_in("Piet")
        page.set_viewport_size({"width": 390, "height": 844})
        page.goto("/release/counts")
        page.get_by_role("link", name="1", exact=True).click()
        lines = page.get_by_role("table", name="Lines of the count")
        expect(lines).to_contain_text("to count")
        expect(lines).not_to_contain_text("400")
        for counted in ("380", "381"):
            page.get_by_role("button", name="Enter what was counted").click()
            page.get_by_label("SC-05").fill(counted)
            self.post(page)
        expect(lines).to_contain_text("−19")
        page.get_by_role("button", name="Post", exact=True).click()
        page.get_by_label("Cause").select_option("COUNTED")
        self.post(page)

        self.assertEqual(Count.objects.get().state, "posted")
        self.assertEqual(differences(), [])

    def test_nothing_sticks_out_of_any_page_at_320_pixels(self) -> None:
        page = self.signed_in("Mara")
        page.set_viewport_size({"width": 320, "height": 640})
        for path in EVERYWHERE:
            page.goto(path)
            page.get_by_role("heading", level=1).first.wait_for(state="attached")
            expect(page.get_by_text("Loading", exact=True)).to_have_count(0)
            self.assertEqual(page.evaluate(STICKS_OUT), [], path)
