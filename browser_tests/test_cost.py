"""The cost accountant at work: a what-if, the next standard, and where an item's money goes."""

import re

from playwright.sync_api import expect
from poietic.costing.queries import standards_in_force
from poietic.ledger.verify import differences

from .live import BrowserTest


class Standards(BrowserTest):
    """On the demo's works."""

    def setUp(self) -> None:
        super().setUp()
        self.load_demo()

    def test_a_what_if_is_written_and_drilled_and_the_next_standard_comes_into_force(self) -> None:
        page = self.signed_in("Sunil")
        page.goto("/cost/standards")
        page.get_by_role("button", name="Write a what-if…").click()
        page.get_by_label("Name").fill("dear aluminium")
        page.get_by_label("of 1", exact=True).fill("AP-20")
        page.get_by_label("or by percent 1").fill("10")
        self.post(page)
        differs = page.get_by_role("table", name="What differs")
        # 0.65 × 2.40 kg over a yield of 0.95
        expect(differs.get_by_role("row", name=re.compile("Mirror cell MA-200"))).to_contain_text("1.64 U")  # fmt: skip
        differs.get_by_role("button", name="Heron 200 telescope").click()
        moved = page.get_by_role("table", name="What moved in HT-200, over all levels")
        expect(moved).to_contain_text("Aluminium plate 20")

        mara = self.signed_in("Mara")
        mara.goto("/define/items/PAD-3")
        mara.get_by_role("button", name="Change…").click()
        mara.get_by_label("Price, EUR per unit").fill("0.52")
        self.post(mara)

        page.get_by_role("button", name="Roll up the next").click()
        job = page.get_by_role("region", name=re.compile("^Roll up the next standard, job"))
        expect(job.get_by_role("status")).to_contain_text("waits")
        self.work()
        expect(job.get_by_role("status")).to_have_text("done")
        page.get_by_role("button", name="Put in force…").click()
        panel = page.get_by_role("region", name="Put a standard in force")
        expect(panel).to_contain_text("54.30")  # 53.40 and nine pads of 0.10
        self.post(page)
        self.assertEqual(str(standards_in_force()["PAD-3"].total), "0.520000")
        self.assertEqual(differences(), [])

        page.goto("/cost/standards?new=999999")  # one that was replaced since it was chosen
        compared = page.get_by_role("region", name="One set against another")
        expect(compared).to_contain_text("items differ")

        page.goto("/define/items/MA-200")
        page.get_by_role("button", name="List prices of MA-200…").click()
        page.get_by_label("EUR 1", exact=True).fill("53.50")
        self.post(page)
        page.keyboard.press("Control+k")
        page.keyboard.type("margin")
        page.keyboard.press("Enter")
        worst = page.get_by_role("table", name="Margins").get_by_role("row").nth(1)
        worst.wait_for()  # right after a posting every open page asks anew
        expect(worst).to_contain_text(
            re.compile("Mirror cell MA-200.*everybody.*53.50.*54.30.*−0.80.*−1.5 %")
        )
        page.get_by_label("Standards of").select_option(label="dear aluminium")
        expect(worst).to_contain_text("55.05")

        page.goto("/define/items/MA-200/cost")
        expect(page.get_by_role("table", name="By element and level")).to_contain_text("dear aluminium")  # fmt: skip
        history = page.get_by_role("table", name="Standards as they came into force")
        expect(history).to_contain_text("price 0.90 U")
        page.get_by_role("button", name="What moves it").click()
        expect(page.get_by_role("table", name="What moves it")).to_contain_text(
            "yield of operation 10"
        )
        page.get_by_role("button", name="Structure").click()
        expect(page.get_by_role("treegrid", name="Structure of MA-200")).to_contain_text(
            "Support pad"
        )
        for path, heading in (
            ("/define/items/MA-200/cost", "Cost of"),
            ("/cost/standards", "Standards"),
            ("/cost/margin", "Margin"),
            ("/define/partners", "Partners"),
            ("/define/reasons", "Reasons"),
            ("/define/work-centers?code=MILL", "Work centers"),
        ):
            page.goto(path)
            page.get_by_role("heading", name=heading).first.wait_for()
            page.get_by_text("● live").wait_for()
            expect(page.get_by_text("Loading")).to_have_count(0)
            self.assert_accessible(page, path)
