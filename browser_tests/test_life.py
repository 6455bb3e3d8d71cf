"""The life of an order in the browser: forgotten, held, changed while it runs, unwound, and what happened to it."""

from datetime import timedelta
from decimal import Decimal

from django.db.models import Sum
from django.utils import timezone
from playwright.sync_api import expect
from poietic.ledger.models import Reservation, TimeLine, WipBalance
from poietic.ledger.verify import differences
from poietic.orders.models import Order, Standing
from poietic.orders.standing import stand_all

from .live import BrowserTest


class Life(BrowserTest):
    """On the demo."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def test_forgotten_orders_are_told_and_unwound_together(self) -> None:
        long_ago = timezone.localdate() - timedelta(days=20)
        Standing.objects.filter(order__number__in=(1013, 1014, 1015, 1016)).update(touched_on=long_ago)  # fmt: skip
        stand_all(timezone.now())
        page = self.signed_in("Jonas")
        expect(page.get_by_text("1015 Rocker base for Heron 200 is forgotten")).to_be_visible()
        self.press(page, "o")
        page.get_by_label("Filter late").fill(">10")
        for number in (1013, 1014, 1015, 1016):
            page.get_by_label(f"Mark order {number}").check()
        page.get_by_role("button", name="Unwind 4").click()
        page.get_by_label("Back to").select_option("nothing")
        expect(page.get_by_role("region", name="Unwind an order")).to_contain_text("1 posting taken back")  # fmt: skip
        self.post(page)

        gone = Order.objects.filter(number__in=(1013, 1014, 1015, 1016))
        self.assertEqual(set(gone.values_list("state", flat=True)), {"cancelled"})
        self.assertFalse(Reservation.objects.filter(cost_object__in=gone.values("pk")).exists())
        held = WipBalance.objects.filter(cost_object__in=gone.values("pk"))
        self.assertEqual({w.amount for w in held} - {Decimal(0)}, set())
        self.assertEqual(differences(), [])

    def test_an_order_stands_still_goes_on_is_made_larger_and_its_past_is_told(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/orders/1005")
        page.get_by_role("button", name="Hold").click()
        page.get_by_label("Why").select_option("DRAWING")
        page.get_by_label("Note").fill("thread of the set")
        self.post(page)
        expect(page.get_by_text("Waits for a drawing: thread of the set.")).to_be_visible()
        expect(page.get_by_role("button", name="Report")).to_have_count(0)
        page.keyboard.press("Alt+r")
        self.post(page)
        expect(page.get_by_role("button", name="Report")).to_be_visible()
        page.get_by_role("button", name="Change", exact=True).click()
        page.get_by_label("Quantity").fill("24")
        self.post(page)
        expect(page.get_by_text("24 pcs · released")).to_be_visible()

        page.get_by_role("link", name="What happened").click()
        past = page.get_by_role("table", name="What happened")
        for words in ("quantity: 30 → 24", "on hold: – → Waits for a drawing", "thread of the set", "Release an order"):  # fmt: skip
            expect(past).to_contain_text(words)
        page.get_by_role("button", name="Write a note").click()
        page.get_by_label("Note", exact=True).fill("The drawing has come")
        self.post(page)
        page.reload()
        expect(past).to_contain_text("The drawing has come")
        page.get_by_label("Filter what happened").fill("drawing has")
        expect(past.get_by_role("row")).to_have_count(2)

    def test_an_order_is_unwound_to_its_release_or_told_what_stands_in_the_way(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/orders/1006")
        page.get_by_role("button", name="Unwind").click()
        panel = page.get_by_role("region", name="Unwind an order")
        expect(panel).to_contain_text("RB-200 at Main store: 5 pcs wanted, 2 pcs there.")
        expect(panel).to_contain_text("Elsewhere: 3 pcs at On the way to Assembly shop.")
        self.refusal_expected()
        self.press(page, "Escape")
        page.goto("/orders/1004")
        page.get_by_role("button", name="Unwind").click()
        expect(panel).to_contain_text("started → released")
        self.post(page)
        expect(page.get_by_text("20 pcs · released")).to_be_visible()
        order = Order.objects.get(number=1004)
        self.assertEqual(sum(i.used for i in order.inputs.all()), 0)
        self.assertEqual(differences(), [])

    def test_a_shift_is_entered_as_a_sheet_and_its_faulty_rows_stay_for_putting_right(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/make")
        page.get_by_role("link", name="Shift entry").click()
        page.get_by_label("order of row 1", exact=True).focus()
        for cell in ("1004", "20", "2"):
            page.keyboard.type(cell)
            page.keyboard.press("ArrowRight")
        page.get_by_label("order of row 2", exact=True).focus()
        self.paste(page, "1017\t10\t1\t\t\t\t0,8\tlotte\t\t\t\tsecond spindle\n1004\t99\t1")
        expect(page.get_by_text("There is no operation 99 of order 1004")).to_be_visible()
        expect(page.get_by_label("What all of it does")).to_contain_text("order 1004 received")
        page.reload()
        expect(page.get_by_label("note of row 2")).to_have_value("second spindle")

        page.get_by_role("button", name="Post 2 rows").click()
        expect(page.get_by_text("2 rows posted as 3 postings.")).to_be_visible()
        received = Order.objects.get(number=1004).received
        worked = TimeLine.objects.filter(posting__cost_object__order__number=1017)
        self.assertEqual(received, 2)
        lotte = worked.get(kind="run labour")
        self.assertEqual((lotte.quantity, str(lotte.person)), (Decimal("0.8"), "Lotte Birk"))
        expect(page.get_by_label("op of row 1", exact=True)).to_have_value("99")

        page.get_by_label("op of row 1", exact=True).fill("20")
        page.get_by_role("button", name="Post 1 row").click()
        expect(page.get_by_label("order of row 1", exact=True)).to_have_value("")
        self.assertEqual(Order.objects.get(number=1004).received, 3)
        self.assertEqual(differences(), [])

    def test_what_is_half_made_is_split_off_and_comes_back(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/orders/1006")
        wip = WipBalance.objects.filter(cost_object__number=1006).aggregate(sum=Sum("amount"))[
            "sum"
        ]
        page.get_by_role("button", name="Split", exact=True).click()
        page.get_by_label("New order makes").fill("4")
        page.get_by_label("Taken out after").fill("10")
        expect(page.get_by_text("order 1006 operation 10 good")).to_be_visible()
        self.post(page)
        other = Order.objects.get(split_from__number=1006)
        expect(page.get_by_role("heading", name=f"{other.number} Rocker base")).to_be_visible()
        expect(page.get_by_text("5 good")).to_be_visible()
        page.get_by_role("link", name="1006", exact=True).click()
        expect(page.get_by_text(f"split off it {other.number}")).to_be_visible()

        page.keyboard.press("Control+k")
        page.keyboard.type("make two orders one")
        page.keyboard.press("Enter")
        page.get_by_label("Order", exact=True).fill(str(other.number))
        page.get_by_label("With order").fill("1006")
        self.post(page)
        expect(page.get_by_text(f"split off it {other.number}")).to_be_hidden()
        now = WipBalance.objects.filter(cost_object__number=1006).aggregate(sum=Sum("amount"))[
            "sum"
        ]
        self.assertEqual((now, Order.objects.get(number=1006).quantity), (wip, 12))
        self.assertEqual(differences(), [])

    def test_an_operation_is_done_elsewhere_for_this_order_only(self) -> None:
        """By keyboard: from the operation's menu to the preview, and the hours are reported where they are worked."""
        page = self.signed_in("Jonas")
        page.goto("/orders/1005")
        page.get_by_role("button", name="Operation 10, for this order only").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("menuitem", name="Start it")).to_be_focused()
        for name in ("Finish it", "Add a component", "Other hours or yield", "Another work center"):
            page.keyboard.press("ArrowDown")
            expect(page.get_by_role("menuitem", name=name)).to_be_focused()
        page.keyboard.press("Enter")
        page.get_by_label("Work center", exact=True).select_option("MILL")
        page.get_by_label("Why").fill("lathe is down until Monday")
        panel = page.get_by_role("region", name="Move an operation to another work center")
        # 30 sets of 0.1 h on a machine at 40.00 instead of 27.00
        expect(panel).to_contain_text("0 → 39")
        self.post(page)

        material = page.get_by_role("table", name="Material and time")
        expect(material).to_contain_text("at MILL instead of LATHE")
        page.keyboard.press("Alt+r")
        self.post(page)
        page.goto("/orders/1005/timeline")
        past = page.get_by_role("table", name="What happened")
        expect(past).to_contain_text("lathe is down until Monday")
        expect(past).to_contain_text("operation 10 work center: LATHE → MILL")
        reported = TimeLine.objects.filter(posting__cost_object__number=1005, kind="run machine")
        self.assertEqual({t.amount / t.quantity for t in reported}, {Decimal(40)})
        self.assertEqual(differences(), [])
