"""A person's work from begin to end, in the real interface."""

import re
from threading import Event, Thread

from django.db import connection, transaction
from playwright.sync_api import expect
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting
from poietic.ledger.verify import differences
from poietic.orders.models import Order
from poietic.people.models import Person
from poietic.web_api.errors import problem
from poietic.web_api.http_errors import Unavailable

from .live import BrowserTest


class OrderStory(BrowserTest):
    """From release to the closed bridge, and two people at once."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def test_from_release_to_the_closed_bridge_by_keyboard_alone(self) -> None:
        page = self.signed_in("Mara")
        self.press(page, "Control+k")
        page.keyboard.type("1007")
        self.press(page, "Enter")
        expect(page.get_by_role("heading", name="1007 Rocker base")).to_be_visible()
        page.get_by_role("button", name="Release", exact=True).wait_for()

        self.press(page, "Alt+r")
        self.post(page)
        expect(page.get_by_text("16 pcs · released")).to_be_visible()

        self.press(page, "Alt+i")  # panels and bearings, filled in with what is still needed
        expect(page.get_by_text("PL-18").first).to_be_visible()
        page.keyboard.type("10.5")  # all that is there
        self.post(page)
        expect(page.get_by_text("16 pcs · started")).to_be_visible()

        self.press(page, "Alt+r")
        expect(page.get_by_label("Good")).to_be_focused()
        page.keyboard.type("15")
        self.press(page, "Tab")
        self.press(page, "Enter")  # Add scrap
        self.press(page, "Shift+Tab", "Shift+Tab")
        expect(page.get_by_label("Scrap quantity 1")).to_be_focused()
        page.keyboard.type("1")
        self.post(page)
        expect(page.get_by_text("15 good, 1 scrap")).to_be_visible()

        self.press(page, "Alt+r")
        expect(page.get_by_label("Receive")).to_have_attribute("placeholder", "all that is good")
        expect(page.get_by_role("table", name="What changes")).to_contain_text("0 → 15")
        self.post(page)
        expect(page.get_by_text("received 15 of 16")).to_be_visible()

        self.press(page, "Alt+c")
        expect(page.get_by_text("finished 1 short")).to_be_visible()
        self.post(page)
        self.press(page, "Alt+b")
        expect(page.get_by_role("table", name="Cost bridge")).to_contain_text("= WIP ✓")
        self.press(page, "Alt+b")
        page.get_by_role("button", name="Close", exact=True).wait_for()
        self.press(page, "Alt+c")
        self.post(page)
        expect(page.get_by_text("16 pcs · closed")).to_be_visible()

        self.assertEqual(Order.objects.get(number=1007).state, "closed")
        self.assertEqual(differences(), [])

    def test_a_page_says_that_the_database_is_away_and_goes_on_by_itself(self) -> None:
        page = self.signed_in("Jonas")
        away = problem(Unavailable())
        page.route(
            "**/api/orders/1006",
            lambda route: route.fulfill(
                status=503, content_type=str(away["Content-Type"]), body=away.content
            ),
        )
        page.goto("/orders/1006")
        expect(page.get_by_role("alert").first).to_contain_text("can't answer at this moment")
        page.unroute("**/api/orders/1006")
        expect(page.get_by_role("heading", name="1006 Rocker base")).to_be_visible()
        expect(page.get_by_role("alert").filter(has_text="can't answer")).to_have_count(0)
        self.faults = [f for f in self.faults if "503" not in f]

    def test_a_preview_waits_for_its_turn_and_comes_by_itself(self) -> None:
        holds, may_end = Event(), Event()

        def hold() -> None:
            with transaction.atomic():
                list(Order.objects.select_for_update().filter(number=1006))
                holds.set()
                may_end.wait(20)
            connection.close()

        page = self.signed_in("Jonas")
        page.goto("/orders/1006")
        page.get_by_role("button", name="Report", exact=True).wait_for()
        holder = Thread(target=hold)
        holder.start()
        holds.wait(10)
        self.press(page, "Alt+r")
        expect(page.get_by_role("status").filter(has_text=re.compile("^waiting$"))).to_be_visible()
        expect(page.get_by_role("alert")).to_have_count(0)
        may_end.set()
        holder.join()
        expect(page.get_by_role("status").filter(has_text=re.compile("^preview$"))).to_be_visible()

    def test_an_operator_reports_and_sees_no_money(self) -> None:
        page = self.signed_in("Lotte")
        expect(page.get_by_role("link", name="Cost", exact=True)).to_have_count(0)
        page.goto("/orders/1006")
        page.get_by_role("button", name="Report", exact=True).wait_for()
        expect(page.get_by_role("region", name="Money")).to_have_count(0)
        self.press(page, "Alt+r")
        shown = page.get_by_role("region", name="Report")
        expect(shown.get_by_role("table", name="Stock")).to_be_visible()
        expect(shown.get_by_role("table", name="Postings")).to_have_count(0)
        self.post(page)
        expect(page.get_by_text("received 11 of 12")).to_be_visible()

    def test_what_the_preview_showed_is_what_was_posted(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/orders/1006")
        page.get_by_role("button", name="Report", exact=True).wait_for()
        self.press(page, "Alt+r")
        shown = page.get_by_role("region", name="Report")
        expect(shown.get_by_role("table", name="Postings")).to_be_visible()
        tables = ("What changes", "Stock", "Work in process", "Postings")
        before = [shown.get_by_role("table", name=t).inner_text() for t in tables]

        page.get_by_role("button", name="Report 6 good and receive").click()
        expect(page.get_by_role("status").filter(has_text="posted")).to_be_visible()

        after = [shown.get_by_role("table", name=t).inner_text() for t in tables]
        self.assertEqual(after, before)
        expect(page.get_by_text("received 11 of 12")).to_be_visible()
        shown.get_by_role("button", name="Take back").click()
        taking = page.get_by_role("region", name="Take back a posting")
        expect(taking.get_by_role("table", name="Postings")).to_be_visible()
        taking.get_by_role("button", name="Take back posting").click()
        expect(page.get_by_text("received 5 of 12")).to_be_visible()

    def test_a_correction_offers_again_what_the_act_received_and_completed(self) -> None:
        page = self.signed_in("Lotte")
        page.goto("/orders/1006")
        page.get_by_role("button", name="Report", exact=True).wait_for()
        self.press(page, "Alt+r")
        page.get_by_label("Good").fill("4")
        self.post(page)
        expect(page.get_by_text("received 9 of 12")).to_be_visible()
        posting = Posting.objects.filter(cost_object__number=1006, kind="report").latest("pk")
        page.goto("/orders/1006")
        page.get_by_role("button", name=re.compile("^Correct")).first.click()
        panel = page.get_by_role("region", name=re.compile("^Correct"))
        expect(panel.get_by_label("Good")).to_have_value("4")
        expect(panel.get_by_label("Receive")).to_have_value("4")
        panel.get_by_label("Good").fill("3")
        panel.get_by_label("Receive").fill("3")
        expect(panel.get_by_role("table", name="What changes")).to_contain_text("9 → 8")
        panel.get_by_role("button", name="Correct to 3 good, receive 3").click()
        expect(page.get_by_text("received 8 of 12")).to_be_visible()
        self.assertTrue(Posting.objects.filter(reverses=posting).exists())
        self.assertEqual(differences(), [])

    def test_the_second_person_sees_the_first_ones_posting_and_is_told_of_it(self) -> None:
        lotte, piet = self.signed_in("Lotte"), self.signed_in("Jonas")
        for page in (lotte, piet):
            page.goto("/orders/1006")
            expect(page.get_by_text("5 good, 6 due")).to_be_visible()
            page.get_by_role("button", name="Report", exact=True).wait_for()
        self.press(piet, "Alt+r")
        expect(piet.get_by_role("table", name="Postings")).to_be_visible()

        self.press(lotte, "Alt+r")
        lotte.get_by_label("Good").fill("2")
        lotte.get_by_role("button", name="Report 2 good and receive").click()

        expect(piet.get_by_text("7 good, 4 due")).to_be_visible()  # without reload
        expect(piet.get_by_text("Lotte Birk: report.")).to_be_visible()
        piet.get_by_role("button", name="Report 6 good and receive").click()
        refusal = piet.get_by_role("alert").filter(has_text="would have worked on 13 pieces")
        expect(
            refusal.or_(piet.get_by_text("Something changed since you looked")).first
        ).to_be_visible()
        self.refusal_expected()
        self.assertEqual(Order.objects.get(number=1006).received, 7)

    def test_a_page_that_lost_its_stream_catches_up_with_what_it_missed(self) -> None:
        jonas = self.signed_in("Jonas")
        jonas.goto("/orders/1006")
        expect(jonas.get_by_text("5 good, 6 due")).to_be_visible()
        expect(jonas.get_by_text("● live")).to_be_visible()
        jonas.route("**/api/events", lambda route: route.abort())
        jonas.reload()
        expect(jonas.get_by_text("○ connecting")).to_be_visible()
        expect(jonas.get_by_text("5 good, 6 due")).to_be_visible()

        Shop(Person.objects.get(name="lotte")).do("report", order=1006, operation=20, good="2")

        expect(jonas.get_by_text("5 good, 6 due")).to_be_visible()  # nobody told it
        jonas.unroute("**/api/events")
        expect(jonas.get_by_text("● live")).to_be_visible()
        expect(jonas.get_by_text("7 good, 4 due")).to_be_visible()  # without reload
        self.faults = [f for f in self.faults if "ERR_FAILED" not in f]

    def test_every_question_about_an_order_takes_at_most_three_keystrokes(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/orders/1004")
        page.get_by_role("heading", name="1004 Mirror cell").wait_for()
        # what stops it, and who waits for it: on the page, no keystroke
        expect(page.get_by_text("Short of 20 pcs of CS-01")).to_be_visible()
        expect(page.get_by_role("table", name="Wanted by")).to_contain_text("customer order 322/1")
        # what it cost against allowed: on the page; why: one keystroke, its inputs two more
        expect(page.get_by_label("Money")).to_contain_text("101.87 U")
        self.press(page, "Alt+b")
        expect(page.get_by_role("table", name="Cost bridge")).to_contain_text("Setup")
        self.press(page, "Alt+b")
        page.get_by_role("heading", name=re.compile("^1004 Mirror cell")).wait_for()
        self.press(page, "Alt+x")  # its costliest component
        expect(page.get_by_role("heading", name="Aluminium plate 20 AP-20")).to_be_visible()

    def test_a_refusal_says_what_why_and_what_to_do(self) -> None:
        page = self.signed_in("Jonas")
        page.goto("/orders/1008")
        expect(page.get_by_text("FD-80 has no approved structure.")).to_be_visible()
        page.get_by_role("button", name="Release", exact=True).wait_for()
        self.press(page, "Alt+r")
        refusal = page.get_by_role("alert")
        expect(refusal).to_contain_text("Order 1008 can't be released yet.")
        expect(page.get_by_role("button", name="Release order 1008")).to_be_disabled()
        page.get_by_role("link", name="Draft and approve a structure of FD-80.").click()
        expect(page.get_by_role("heading", name="Draft of Focuser drawtube")).to_be_visible()
        self.refusal_expected()

    def test_what_is_missing_is_said_at_its_entry_and_nothing_is_asked_before_all_is_there(
        self,
    ) -> None:
        page = self.signed_in("Jonas")
        asked: list[str] = []
        page.on("request", lambda r: asked.append(r.url) if r.url.endswith("/preview") else None)
        page.goto("/release")
        page.get_by_role("button", name="Plan an order…").click()
        page.get_by_label("Item").fill("MA-200")
        page.get_by_label("Quantity").fill("4,")
        page.get_by_label("Item").focus()
        self.press(page, "Control+Enter")
        panel = page.get_by_role("region", name="Plan an order")
        expect(panel.get_by_role("alert")).to_have_text(
            ["Enter a number such as 12.5.", "Choose a day."]
        )
        expect(page.get_by_label("Quantity")).to_have_attribute("aria-invalid", "true")
        expect(page.get_by_label("Quantity")).to_be_focused()
        self.assert_accessible(page, "what is wrong with an entry")
        self.assertEqual(asked, [])

        page.get_by_label("Quantity").fill("4,5")
        expect(panel.get_by_role("alert")).to_have_count(1)
        page.get_by_label("Due", exact=True).fill("2027-01-15")
        page.get_by_label("Components from").select_option("STORE")
        page.get_by_label("Output to").select_option("STORE")

        # whole now: the server is asked, and refuses what only it knows
        expect(panel.get_by_role("alert")).to_contain_text("4.5")
        page.get_by_label("Quantity").fill("4")
        expect(panel.get_by_role("button", name="Plan 4 of MA-200")).to_be_enabled()
        expect(panel.get_by_role("alert")).to_have_count(0)
        self.assertGreater(len(asked), 1)

    def test_a_structure_is_edited_approved_and_its_standard_frozen(self) -> None:
        page = self.signed_in("Mara")
        page.goto("/define/items/FD-80/edit")
        page.get_by_label("Quantity of SB-06").fill("0.25")
        page.get_by_role("button", name="Add operation 20").click()
        page.get_by_label("Name of operation 20").fill("Deburr")
        page.get_by_label("Work center of operation 20").select_option("ASSY")
        page.get_by_label("Run labour hours of operation 20").fill("0.05")
        page.get_by_role("button", name="Save the draft").click()
        page.get_by_role("region", name="Draft a structure").get_by_role(
            "button", name="Draft a structure"
        ).click()
        expect(page.get_by_role("status").filter(has_text="posted")).to_be_visible()
        page.get_by_role("button", name="Approve the draft").click()
        self.post(page)
        page.goto("/define/items/FD-80")
        page.get_by_role("button", name="Freeze the standard").click()
        self.post(page)
        # by hand: 0.25 m × 25.00 + 0.3 h × (27 + 24) + 0.05 h × 32 = 23.15
        tree = page.get_by_role("treegrid", name="Structure of FD-80")
        expect(tree.get_by_role("row").nth(1)).to_contain_text("23.15")

    def test_what_is_opened_stays_with_its_operation_when_one_is_removed(self) -> None:
        page = self.signed_in("Mara")
        page.goto("/define/items/RB-200/edit")
        page.get_by_label("Name of operation 10").wait_for()
        page.get_by_role("button", name="More of operation 20").click()
        opened = page.get_by_role("button", name="More of operation 20")
        expect(opened).to_have_attribute("aria-expanded", "true")
        page.get_by_role("button", name="Add operation").click()
        page.get_by_role("button", name="Remove operation 10").click()
        expect(page.get_by_label("Name of operation 10")).to_have_count(0)
        expect(opened).to_have_attribute("aria-expanded", "true")
        page.get_by_role("button", name="Remove operation 20").click()
        expect(
            page.get_by_role("button", name=re.compile("^More of operation"))
        ).not_to_have_attribute("aria-expanded", "true")


class Views(BrowserTest):
    """Every view is accessible and says what belongs there."""

    def test_axe_finds_nothing_on_any_view(self) -> None:
        self.load_demo()
        page = self.page()
        page.goto("/")
        page.get_by_role("heading", name="Sign in").wait_for()
        self.assert_accessible(page, "sign in")
        page.get_by_role("button", name="Sign in as Mara").click()
        page.get_by_text("● live").wait_for()
        for path, heading in (
            ("/", "Today"),
            ("/define/items/MA-200", "Mirror cell"),
            ("/define/items/AP-20", "Aluminium plate"),
            ("/define/items/MA-200/edit", "Draft of"),
            ("/define/work-centers", "Work centers"),
            ("/orders/1004", "1004"),
            ("/orders/1008", "1008"),
            ("/orders/1002/bridge", "Cost bridge"),
            ("/postings/9", "Posting 9"),
            ("/release", "Ready to release"),
            ("/release/stock", "Stock"),
            ("/release/stock/CS-01", "Collimation set"),
            ("/release/stock/OC-1/OC-A17", "Optical cement"),
            ("/release/transfers", "Transfers"),
            ("/release/counts/1", "Count"),
            ("/release/lists", "Lists and load"),
            ("/release/lists/ASSY", "Assembly"),
            ("/release/picks", "Pick lists"),
            ("/release/picks/1", "Pick for 1017"),
            ("/release/carriers", "Carriers"),
            ("/release/printer", "Label printer"),
            ("/scanner?list=1", "Simulated scanner"),
            ("/orders/1017", "1017"),
            ("/orders/1018/tree", "Tree of order"),
            ("/orders/table", "Orders"),
            ("/make/shift", "Shift entry"),
        ):
            page.goto(path)
            page.get_by_role("heading", name=heading).first.wait_for()
            page.get_by_text("● live").wait_for()
            self.assert_accessible(page, path)
        page.goto("/orders/1006")
        page.get_by_role("button", name="Report", exact=True).wait_for()
        page.keyboard.press("Alt+r")
        page.get_by_role("table", name="Postings").wait_for()
        self.assert_accessible(page, "report")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Light or dark").click()
        self.assert_accessible(page, "dark")
        page.keyboard.press("?")
        page.get_by_role("dialog", name="Keys").wait_for()
        self.assert_accessible(page, "keys")
        page.keyboard.press("Escape")
        page.keyboard.press("Control+k")
        page.get_by_placeholder("Order number").fill("spider")
        self.assert_accessible(page, "do anything")

    def test_an_empty_shop_leads_through_the_simplest_thing_first(self) -> None:
        page = self.page()
        page.goto("/")
        page.get_by_role("heading", name="The first person").wait_for()
        self.assert_accessible(page, "first person")
        page.get_by_label("Full name").fill("Ada Example")
        page.get_by_label("Sign-in name").fill("ada")
        page.get_by_label("Password").fill("a long enough one")
        page.get_by_role("button", name="Begin").click()
        expect(page.get_by_text("The shop is empty.")).to_be_visible()
        self.assert_accessible(page, "first steps")

        def carry_out(button: str, act: str, **entries: str) -> None:
            page.get_by_role("button", name="Today").or_(
                page.get_by_role("link", name="Today")
            ).click()
            page.get_by_role("button", name=button).click()
            panel = page.locator("aside")
            for label, value in entries.items():
                entry = panel.get_by_label(label.replace("_", " "), exact=False).first
                if entry.evaluate("e => e.tagName") == "SELECT":
                    entry.select_option(value)
                else:
                    entry.fill(value)
            panel.get_by_role("button", name=act).click()
            expect(panel.get_by_role("status").first).to_contain_text("posted")
            panel.get_by_role("button", name="Done").click()

        carry_out("Define a place", "Define place STORE")
        carry_out(
            "Define a component", "Define item BOARD", Code="BOARD", Name="Board", Price="4.00"
        )
        carry_out(
            "Receive material", "Receive 1 line", Item_1="BOARD", Quantity_1="10", Price_1="4.00"
        )
        carry_out(
            "Define a work center", "Define work center BENCH",
            Code="BENCH", Name="Bench", Machine="0", Labour="30",
        )  # fmt: skip
        carry_out("Define what is made", "Define item SHELF", Code="SHELF", Name="Shelf")
        page.get_by_role("link", name="Today").click()
        page.get_by_role("link", name="Draft the structure of SHELF").click()
        page.get_by_label("Name of operation 10").fill("Assemble")
        page.get_by_label("Run labour hours of operation 10").fill("0.5")
        page.get_by_role("button", name="Add a component to 10").click()
        page.get_by_label("component 1 of operation 10", exact=True).fill("BOARD")
        page.get_by_label("Quantity of BOARD").fill("2")
        page.get_by_role("button", name="Save the draft").click()
        panel = page.locator("aside")
        panel.get_by_role("button", name="Draft a structure").click()
        expect(panel.get_by_role("status").first).to_contain_text("posted")
        page.get_by_role("button", name="Approve the draft").click()
        panel.get_by_role("button", name="Approve structure of SHELF").click()
        expect(panel.get_by_role("status").first).to_contain_text("posted")
        page.goto("/define/items/SHELF")
        page.get_by_role("button", name="Freeze the standard").click()
        panel.get_by_role("button", name="Freeze the standard").click()
        expect(panel.get_by_role("status").first).to_contain_text("posted")
        # by hand: 2 × 4.00 + 0.5 h × 30.00
        expect(page.get_by_role("treegrid").get_by_role("row").nth(1)).to_contain_text("23.00")
        panel.get_by_role("button", name="Done").click()
        page.get_by_role("button", name="Plan an order").click()
        panel.get_by_label("Quantity").fill("2")
        panel.get_by_label("Due", exact=True).fill("2030-01-31")
        panel.get_by_label("Components from").select_option("STORE")
        panel.get_by_label("Output to").select_option("STORE")
        panel.get_by_role("button", name="Plan 2 of SHELF").click()
        expect(page.get_by_text("2 pcs · planned")).to_be_visible()
        self.assertEqual(Order.objects.get().state, "planned")
