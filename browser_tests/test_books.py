"""The cost accountant at the end of a month: late cost carried on, orders closed, the month closed; why orders varied."""

import re

from django.utils import timezone
from playwright.sync_api import expect
from poietic.ledger.models import LateCost
from poietic.ledger.verify import differences
from poietic.orders.models import Order
from poietic.settling.findings import CHECKS
from poietic.settling.months import next_to_close

from .live import BrowserTest


class MonthEnd(BrowserTest):
    """On the demo's works."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def test_what_came_late_is_carried_on_and_the_month_is_closed(self) -> None:
        page = self.signed_in("Sunil")
        due = next_to_close()
        assert due
        page.goto("/cost/months")
        page.get_by_role("row", name=re.compile("to be closed next")).get_by_role("link").click()
        stands = page.get_by_role("list", name="What stands open")
        stands.get_by_role("link", name=re.compile("late cost waits")).click()

        chain = page.get_by_role("table", name="Chain")
        expect(chain).to_contain_text("delivered to Starhut shop for 4471")
        expect(chain.get_by_role("row", name=re.compile("What comes to rest"))).to_contain_text("36.00")  # fmt: skip
        page.get_by_role("button", name="Carry 36.00 on…").click()
        self.post(page)
        expect(page.get_by_text("Nothing waits")).to_be_visible()
        self.assertEqual(LateCost.objects.filter(carried_by=None).count(), 0)
        page.get_by_role("table", name="Chain").wait_for(state="detached")

        page.goto(f"/cost/months/{due.first}")
        page.get_by_role("button", name="Compare every balance with its postings").click()
        expect(page.get_by_text("Every balance is what the postings say")).to_be_visible()
        expect(page.get_by_text("All late cost is carried on.")).to_be_visible()
        if due.ends_at <= timezone.now():
            page.get_by_role("button", name=f"Close {due}…").click()
            self.post(page)
            expect(page.get_by_text(re.compile("^Closed\\."))).to_be_visible()
        self.assert_accessible(page, page.url)

        for check in CHECKS:  # each sentence leads to a place that there is
            page.goto(check.leads_to)
            expect(page.get_by_role("heading", level=1).first).to_be_visible()
            expect(page.get_by_text("There is nothing at this address")).to_have_count(0)

        page.goto("/cost/books")
        page.get_by_role("link", name="cost of goods sold", exact=True).click()
        expect(page.get_by_role("table", name="Account sheet")).to_contain_text("late cost")
        self.assertEqual(differences(), [])

    def test_why_orders_varied_is_asked_noted_and_many_are_closed(self) -> None:
        page = self.signed_in("Sunil")
        page.get_by_role("link", name="Cost", exact=True).click()
        table = page.get_by_role("table", name="Variances")
        expect(table.get_by_role("row", name=re.compile("Mirror cell MA-200"))).to_be_visible()
        page.get_by_label("Rows").select_option("work center")
        expect(table.get_by_role("row", name=re.compile("MILL"))).to_be_visible()
        self.assert_accessible(page, page.url)
        table.get_by_role("row", name=re.compile("MILL")).get_by_role("button").first.click()
        behind = page.get_by_role("table", name="Orders behind it")
        expect(behind).to_be_visible()
        page.reload()
        behind.get_by_role("button", name=re.compile("^Note on")).first.click()
        page.get_by_label("What was found").fill("the fixture is worn")
        self.post(page)
        expect(behind).to_contain_text("the fixture is worn")
        behind.get_by_role("link").first.click()
        followed = page.get_by_role("region", name="Followed up")
        expect(followed).to_contain_text("the fixture is worn")
        expect(
            page.get_by_role("img", name=re.compile("^Charged and allowed after"))
        ).to_be_visible()

        waiting = Order.objects.filter(state="completed").count()
        page.goto("/cost/closing")
        expect(page.get_by_role("table", name="Orders to close")).to_be_visible()
        page.get_by_role("button", name="Close under a limit…").click()
        page.get_by_label("Most variance").fill("50")
        self.post(page)
        expect(page.get_by_role("table", name="Closed before")).to_be_visible()
        self.assertLess(Order.objects.filter(state="completed").count(), waiting)
        self.assertEqual(differences(), [])

    def test_goods_are_delivered_and_their_margin_is_shown(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/cost/delivered")
        delivered = page.get_by_role("table", name="Delivered")
        expect(delivered.get_by_role("row", name=re.compile("Outing set"))).to_contain_text(
            "444.00"
        )
        page.get_by_role("button", name="Deliver…").click()
        page.get_by_label("Customer", exact=True).select_option("STARHUT")
        page.get_by_label("Their order").fill("4490")
        page.get_by_label("From", exact=True).select_option("STORE")
        page.get_by_label("item 1").fill("EK-2")
        page.get_by_label("quantity 1").fill("2")
        page.get_by_label("EUR each 1").fill("64")
        self.post(page)
        expect(delivered).to_contain_text("4490")
        self.assertEqual(differences(), [])
