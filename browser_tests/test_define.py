"""The engineer's work: reading a deep structure, editing by keyboard and paste, revisions, files."""

import io
import re
import zipfile

from playwright.sync_api import expect
from poietic.demo import drawings
from poietic.engineering.models import Revision
from poietic.ledger.verify import differences

from .live import BrowserTest

PASTED = "code\tquantity\tunit\tallowance\nSB-06\t120\tmm\t2\nSC-08\t6\n"


class Define(BrowserTest):
    """Ines, the engineer, at her bench."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()
        self.ines = self.signed_in("Ines")

    def test_three_questions_about_a_four_level_product_take_a_key_each(self) -> None:
        page = self.ines
        page.goto("/define/items/HT-200")
        tree = page.get_by_role("treegrid", name="Structure of HT-200")
        expect(tree).to_contain_text("Heron 200 telescope")

        page.keyboard.press("Alt+x")  # the costliest component, under the operation that uses it
        focused = tree.locator("[role=row]:focus")
        expect(focused).to_contain_text("Primary mirror 200, grade A")
        page.keyboard.press("ArrowLeft")
        expect(tree.locator("[role=row]:focus")).to_contain_text("20Seat mirror in cell")
        page.keyboard.press("Alt+x")
        page.keyboard.press("Enter")  # how its cost came about
        expect(page.get_by_role("dialog", name="Cost of PM-200-A")).to_contain_text(
            "OT-200 per unit"
        )
        page.keyboard.press("Escape")
        page.keyboard.press("Alt+p")  # the item at a glance
        expect(page.get_by_role("dialog", name="Primary mirror")).to_contain_text("Used inOT-200")
        page.keyboard.press("Escape")

        page.goto("/define/items/SP-200")
        expect(page.get_by_role("table", name="Revisions")).to_contain_text("approved")
        page.keyboard.press("Alt+v")  # what its last revision changed
        changed = page.get_by_role("table", name="Rev A against rev B")
        expect(changed).to_contain_text("Socket screw M4")
        expect(changed.get_by_role("row", name=re.compile("Spider vane"))).to_contain_text(
            "4pcs3pcs"
        )

    def test_lines_are_pasted_undone_checked_saved_reviewed_and_approved(self) -> None:
        page = self.ines
        page.goto("/define/items/CS-01/edit")
        page.get_by_role("button", name="Add a component to 10").click()
        entry = page.get_by_label("component 2 of operation 10", exact=True)
        entry.focus()
        self.paste(page, PASTED)
        expect(page.get_by_role("status").filter(has_text="twice")).to_contain_text(
            "component:SB-06: It stands twice at operation 10."
        )
        page.get_by_role("button", name="Remove SB-06").first.click()
        expect(page.get_by_text("Nothing stands against approving it.")).to_be_visible()
        page.get_by_role("button", name="Remove SC-08").click()
        expect(page.get_by_label("Quantity of SC-08")).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(page.get_by_label("Quantity of SC-08")).to_have_value("6")

        page.keyboard.press("Control+s")
        self.post(page)
        page.goto("/define/items/CS-01")
        page.get_by_role("button", name="Submit…").click()
        self.post(page)
        page.get_by_role("button", name="Approve the draft…").click()
        self.post(page)
        expect(page.get_by_role("table", name="Revisions")).to_contain_text("retired")
        rows = page.get_by_role("treegrid").get_by_role("row")
        expect(rows.filter(has_text="Steel bar M6")).to_contain_text("120mm")
        self.assertEqual(Revision.objects.get(item__code="CS-01", letter="B").state, "approved")

    def test_a_component_is_replaced_everywhere_and_a_day_is_closed(self) -> None:
        page = self.ines
        page.goto("/define/items/SC-05")
        page.get_by_role("button", name="Replace SC-05 everywhere…").click()
        page.get_by_label("Replaced by").fill("SC-08")
        page.get_by_label("From").fill("2030-01-31")
        panel = page.get_by_role("region", name="Replace a component everywhere")
        expect(panel.get_by_role("table", name="What changes")).to_contain_text("RB-200 rev B")
        self.post(page)
        page.goto("/define/items/RB-200?rev=B")
        expect(page.get_by_role("treegrid")).to_contain_text("SC-08")

        page.goto("/define/calendars?code=TWO")
        page.get_by_role("grid").locator("td:focus, td[tabindex='0']").first.focus()
        page.keyboard.press("Shift+ArrowRight")
        page.get_by_role("button", name="Close these days…").click()
        page.get_by_label("Why").fill("stocktaking")
        self.post(page)
        expect(page.get_by_role("gridcell", name=re.compile("closed, stocktaking"))).to_have_count(
            2
        )
        for path, heading in (
            ("/define/calendars", "Calendars"),
            ("/define/items/SP-200/compare?old=A&new=B", "rev A against rev B"),
            ("/define/lacks", "What would stop"),
            ("/define/exchange", "Import and export"),
            ("/define/items/OT-200", "Optical tube"),
        ):
            page.goto(path)
            page.get_by_role("heading", name=heading).first.wait_for()
            page.get_by_text("● live").wait_for()
            expect(page.get_by_text("Loading")).to_have_count(0)
            self.assert_accessible(page, path)

    def test_what_an_operation_asks_for_is_written_seen_and_kept(self) -> None:
        page = self.ines
        page.goto("/define/items/HT-150")
        page.get_by_role("treegrid").get_by_role("row").nth(2).wait_for()
        page.keyboard.press("Control+f")
        page.keyboard.type("packing kit")
        page.keyboard.press("Enter")
        focused = page.get_by_role("treegrid").locator("[role=row]:focus")
        expect(focused).to_contain_text("phantom")
        page.keyboard.press("ArrowDown")
        expect(focused).to_contain_text("Fold carton and inserts")
        page.keyboard.press("F2")  # the row is edited where it is defined
        expect(page.get_by_label("Name of operation 10")).to_be_focused()
        self.assertIn("/define/items/PK-20/edit", page.url)

        page.goto("/define/items/PM-200/edit")
        page.get_by_role("button", name="More of operation 40").click()
        page.get_by_role("button", name="Add an instruction step to 40").click()
        page.get_by_label("Kind of step 1 of operation 40").select_option("measurement")
        page.get_by_label("Text of step 1 of operation 40").fill("Reflectivity")
        check = page.get_by_role("status").filter(has_text="Reflectivity has no limit")
        expect(check).to_be_visible()
        page.get_by_label("lower limit of step 1 of operation 40").fill("88")
        page.get_by_label("Unit of step 1 of operation 40").fill("%")
        page.get_by_label("at EUR of operation 40").fill("29.00")
        page.get_by_label("Share of grade 1").fill("60")
        expect(page.get_by_text("The shares of the grades add up to 0.9.")).to_be_visible()
        page.get_by_label("Share of grade 2").fill("40")
        expect(page.get_by_text("Nothing stands against approving it.")).to_be_visible()
        page.keyboard.press("Control+s")
        self.post(page)
        page.goto("/define/items/PM-200?rev=B")
        rows = page.get_by_role("treegrid").get_by_role("row")
        expect(rows.filter(has_text="Aluminize")).to_contain_text("by TESSAL at 29.00")
        expect(rows.filter(has_text="grade A")).to_contain_text("60 % of the output")

        drawing = drawings.picture("polish", "Polish", 3, 8).read()
        page.get_by_label("Bring a drawing or picture").set_input_files(
            {"name": "polish.png", "mimeType": "image/png", "buffer": drawing}
        )
        self.post(page)
        expect(page.get_by_role("region", name="Documents")).to_contain_text("polish.png")

    def test_a_file_is_previewed_row_by_row_and_imported_whole(self) -> None:
        page = self.ines
        page.goto("/define/exchange")
        bad = b"code,name,unit,source,price\nNEW-1,New one,pcs,buy,cheap\n"
        page.get_by_label("Bring a file").set_input_files(
            {"name": "items.csv", "mimeType": "text/csv", "buffer": bad}
        )
        expect(page.get_by_role("table", name="Rows of the file")).to_contain_text(
            "'cheap' is no number"
        )
        expect(page.get_by_role("button", name=re.compile("^Import"))).to_be_disabled()

        many = io.BytesIO()
        with zipfile.ZipFile(many, "w") as archive:
            rows = "".join(f"NEW-{n},New part {n},pcs,buy,1.5\n" for n in range(1200))
            archive.writestr("items.csv", "code,name,unit,source,price\n" + rows)
        page.get_by_label("Bring a file").set_input_files(
            {"name": "many.zip", "mimeType": "application/zip", "buffer": many.getvalue()}
        )
        expect(page.get_by_text("1,200 new")).to_be_visible()
        page.get_by_role("button", name="Import 1,200 rows").click()
        job = page.get_by_role("region", name=re.compile("^Import tables, job"))
        expect(job.get_by_role("status")).to_have_text("waits for the worker")
        self.work()
        expect(job.get_by_role("status")).to_have_text("done")
        expect(job).to_contain_text("1200")

        page.goto("/define/items/NEW-1199")
        expect(page.get_by_role("heading", name="New part 1199")).to_be_visible()
        queue = page.get_by_role("navigation", name="Items")
        expect(queue.get_by_role("status")).to_have_text(re.compile("^1,?2\\d\\d$"))
        queue.get_by_label("Filter items").fill("part 1199")
        expect(queue.get_by_role("status")).to_have_text(re.compile("^1 of 1,?2\\d\\d$"))
        expect(queue.get_by_role("link", name=re.compile("NEW-1199"))).to_be_visible()
        self.assertEqual(differences(), [])
