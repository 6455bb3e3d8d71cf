"""Selling and planning in the browser: an order is entered, planned, accepted, delivered in part."""

import re

from playwright.sync_api import expect
from poietic.ledger.verify import differences
from poietic.orders.models import Order
from poietic.planning.models import PlanRun, Proposal
from poietic.selling.models import CustomerLine, CustomerOrder

from .live import BrowserTest


class Planning(BrowserTest):
    """On the demo."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def test_what_a_customer_orders_is_planned_accepted_and_asks_who_gets_what(self) -> None:
        page = self.signed_in("Jonas")
        page.get_by_role("link", name="Sell", exact=True).click()
        expect(page.get_by_role("table", name="Customers' orders")).to_contain_text(
            "Ormsby Star Society"
        )
        self.assert_accessible(page, "sell")
        page.get_by_role("button", name="Enter an order").click()
        page.get_by_label("Customer", exact=True).select_option("ORMSBY")
        page.get_by_label("Their number").fill("4500")
        page.get_by_label("item 1").focus()
        self.paste(page, "HT-200\t3\t15.03.2027")
        terms = page.get_by_role("note", name="Terms of HT-200")
        expect(terms).to_contain_text("1,020.00 EUR each, 3,060.00 EUR leaves")
        expect(terms).to_contain_text("at the earliest: ")
        self.post(page)
        expect(page.get_by_role("heading", name="Ormsby Star Society")).to_be_visible()
        expect(page.get_by_role("table", name="Lines")).to_contain_text(
            "1,020.00"
        )  # by its own list
        self.assert_accessible(page, "customer order")
        order = CustomerOrder.objects.latest("pk")
        page.get_by_role("button", name="Change line 1").click()
        page.get_by_label("Promised on").fill("2027-03-18")
        self.post(page)
        expect(page.get_by_role("table", name="Lines")).to_contain_text("Thu 18 Mar")

        page.get_by_role("link", name="HT-200").click()
        expect(page.get_by_role("table", name="Supply and demand by date")).to_contain_text(
            f"customer order {order.number}"
        )
        # what is not planned yet lacks something
        expect(page.get_by_role("table", name="Demands and what covers them")).to_contain_text(
            "nothing covers it"
        )
        page.get_by_role("button", name="Run the plan").click()
        job = page.get_by_role("region", name=re.compile("^Run the plan, job"))
        expect(job.get_by_role("status")).to_contain_text("waits")
        self.work()
        expect(job.get_by_role("status")).to_have_text("done")
        expect(page.get_by_role("table", name="Demands and what covers them")).not_to_contain_text(
            "nothing covers it"
        )
        self.assert_accessible(page, "plan of an item")
        covered = page.get_by_role("table", name="Demands and what covers them")
        own = covered.get_by_role("row").filter(has_text=str(order.number))
        own.get_by_role("link", name="what it waits for").click()
        waits = page.get_by_role("table", name="What it waits for")
        expect(waits).to_contain_text(f"customer order {order.number}")
        expect(waits).to_contain_text("Optical tube assembly 200")
        self.assert_accessible(page, "what is waited for")
        page.go_back()
        own.get_by_role("link", name="who waits for it").click()
        expect(page.get_by_role("table", name="Who waits for it")).to_contain_text("HT-200")
        page.get_by_label("Working days later").fill("200")
        expect(page.get_by_role("status").filter(has_text="delivered too late")).to_be_visible()
        page.go_back()
        page.get_by_label("Quantity of HT-200 to promise").fill("7")
        expect(page.get_by_role("list", name="What decides it")).to_contain_text(
            "7 pcs Heron 200 telescope"
        )
        due = Proposal.objects.filter(
            run=PlanRun.objects.filter(is_what_if=False)[0], item__code="HT-200"
        ).latest("due")
        self.assertEqual((str(due.due), int(due.quantity)), ("2027-03-18", 3))
        page.get_by_role("button", name="Accept 3 for Thu 18 Mar").click()
        self.post(page)
        made = Order.objects.latest("pk")
        self.assertEqual(
            (made.item.code, int(made.quantity), str(made.due)), ("HT-200", 3, "2027-03-18")
        )
        page.reload()
        expect(page.get_by_role("table", name="Supply and demand by date")).to_contain_text(
            str(made.number)
        )
        self.assertEqual(CustomerLine.objects.get(order=order).open, 3)
        self.assertEqual(differences(), [])

    def test_a_forecast_is_read_from_a_file_planned_by_what_changed_and_its_proposal_moved(
        self,
    ) -> None:
        page = self.signed_in("Jonas")
        page.goto("/sell/forecasts")
        page.get_by_role("button", name="Enter a forecast").click()
        file = "works;quantity;item;from;to\nHill;7;HT-150;2027-03-01;2027-03-01\n"
        page.get_by_label("read a file").set_input_files(
            {"name": "hill.csv", "mimeType": "text/csv", "buffer": file.encode()}
        )
        expect(page.get_by_label("item 1")).to_have_value("HT-150")
        self.post(page)

        page.goto("/plan/items/HT-150")
        page.get_by_role("button", name="Plan what changed").click()
        job = page.get_by_role("region", name=re.compile("^Plan what changed, job"))
        expect(job.get_by_role("status")).to_contain_text("waits")
        self.work()
        expect(job.get_by_role("status")).to_have_text("done")
        mark = page.get_by_role("button", name=re.compile("^Proposal of 7 for Mon 1 Mar"))
        self.assert_accessible(page, "proposals that can be moved")
        mark.focus()
        for _ in range(3):
            page.keyboard.press("ArrowLeft")
        expect(page.get_by_role("button", name=re.compile("^Proposal of 7 for Fri 26 Feb"))).to_be_focused()  # fmt: skip
        self.press(page, "ArrowUp", "PageUp", "ArrowDown", "Enter")
        expect(page.get_by_label("Due", exact=True)).to_have_value("2027-02-26")
        expect(page.get_by_label("Quantity", exact=True)).to_have_value("17")
        page.keyboard.press("Escape")

        box = mark.bounding_box()
        assert box is not None
        middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        # a hand that trembles leaves the size
        for down, least in ((2, 7), (box["height"] / 2 - 1, 1)):
            page.mouse.move(*middle)
            page.mouse.down()
            page.mouse.move(middle[0] - 60, middle[1] + down, steps=4)
            page.mouse.up()
            moved = page.get_by_label("Due", exact=True).input_value()
            self.assertLess(moved, "2027-03-01")
            expect(page.get_by_label("Quantity", exact=True)).to_have_value(str(least))
            if least == 7:
                page.keyboard.press("Escape")
        self.post(page)
        made = Order.objects.latest("pk")
        self.assertEqual((made.item.code, int(made.quantity), str(made.due)), ("HT-150", 1, moved))
        self.assertEqual(differences(), [])

    def test_many_proposals_are_accepted_at_once_and_a_what_if_is_compared(self) -> None:
        page = self.signed_in("Jonas")
        page.get_by_role("link", name="Plan", exact=True).click()
        expect(page.get_by_role("table", name="Orders to move")).to_be_visible()
        self.assert_accessible(page, "plan")
        page.get_by_role("link", name="demand 200 %").click()
        expect(page.get_by_role("table", name="What moves")).to_contain_text("Heron 200 telescope")
        self.assert_accessible(page, "what-if")
        page.get_by_role("button", name="to make").click()
        page.get_by_label("Filter proposals").fill("finder")
        rows = page.get_by_role("table", name="What is proposed").get_by_role("checkbox")
        expect(page.get_by_role("table", name="What is proposed")).not_to_contain_text("Heron")
        expect(rows.nth(1)).to_be_visible()
        page.get_by_label("All of these").check()
        before = Order.objects.count()
        page.get_by_role("button", name="Accept").click()
        self.post(page)
        page.get_by_role("button", name="decided").click()
        expect(page.get_by_role("table", name="What is proposed")).to_contain_text(
            f"order {Order.objects.latest('pk').number}"
        )
        self.assertGreater(Order.objects.count(), before)
        self.assertEqual(differences(), [])

    def test_an_offer_is_accepted_and_made_and_what_is_missing_is_bought_by_supplier(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/sell?which=offers")
        page.get_by_role("table", name="Customers' orders").get_by_role("link").first.click()
        lines = page.get_by_role("table", name="Lines")
        expect(lines).to_contain_text("own structure S1, approved")
        lines.get_by_role("button", name="Change again…").click()
        self.post(page)
        lines.get_by_role("link", name="Edit").click()
        expect(page.get_by_label("Quantity of FN-30")).to_have_value("2")
        self.assert_accessible(page, "structure of a line")
        page.get_by_label("Quantity of FN-30").fill("3")
        page.keyboard.press("Control+s")
        self.post(page)
        page.get_by_role("button", name="Approve for the line…").click()
        expect(page.get_by_role("complementary")).to_contain_text("of its price")
        self.post(page)
        page.goto("/define/items/HT-200?rev=S1")
        expect(page.get_by_text("is made for one customer’s line only")).to_be_visible()
        rows = page.get_by_role("treegrid").get_by_role("row")
        expect(rows.filter(has_text="Finder 8 × 30")).to_contain_text("3")
        page.get_by_role("link", name="Against A").click()
        expect(page.get_by_role("heading", name="rev A against rev S1")).to_be_visible()

        page.goto(f"/sell/{CustomerOrder.objects.get(state='offer').number}")
        page.get_by_role("button", name="Accept and make").click()
        expect(page.get_by_role("complementary")).to_contain_text("HT-200 12 pcs due")
        self.post(page)
        made = Order.objects.get(item__code="HT-200", quantity=12)
        assert made.revision
        self.assertEqual(made.revision.letter, "S1")
        lines.get_by_role("link", name=str(made.number)).click()
        expect(page.get_by_role("heading", name="Heron 200 telescope")).to_be_visible()
        page.get_by_role("link", name="who waits for it").click()
        expect(page.get_by_role("table", name="Who waits for it")).to_contain_text("Nordsky")

        page.get_by_role("link", name="Plan", exact=True).click()
        expect(page.get_by_role("table", name="Load by week")).to_contain_text("Assembly")
        self.assert_accessible(page, "whole plan")
        page.get_by_role("link", name="by supplier").click()
        bought = page.get_by_role("region", name="Marrow Metals")
        expect(bought).to_contain_text("Aluminium sheet")
        self.assert_accessible(page, "purchases by supplier")
        bought.get_by_role("button", name="Draft all").click()
        self.post(page)
        expect(bought).to_be_hidden()
        self.assertEqual(differences(), [])
