"""Retake the pictures in docs/screenshots from a freshly loaded demo, or some to another folder."""

import sys
import time
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

from . import cluster
from .browser import executable, launch_arguments
from .scratch import served_demo

DATABASE = "poietic_shots"
FOLDER = cluster.ROOT / "docs" / "screenshots"


def main() -> None:
    """Take every picture, or those named; `--to DIR` puts them elsewhere."""
    names = [a for a in sys.argv[1:] if not a.startswith("--")]
    folder = FOLDER
    if "--to" in sys.argv:
        folder = Path(names.pop(0))
    folder.mkdir(parents=True, exist_ok=True)
    started = cluster.ensure()
    with served_demo(DATABASE) as address, sync_playwright() as play:
        browser = play.chromium.launch(executable_path=executable(), args=launch_arguments())
        for name, (person, act) in SHOTS.items():
            if not names or name in names:
                _take(browser, address, folder / f"{name}.png", person, act)
                print(folder / f"{name}.png")
        browser.close()
    if started:
        cluster.stop()


def _take(
    browser: Browser, address: str, path: Path, person: str, act: Callable[[Page], object]
) -> None:
    context = browser.new_context(
        base_url=address,
        viewport={"width": 1280, "height": 800},
        reduced_motion="reduce",
        locale="en-GB",
        color_scheme="dark" if path.stem.endswith("dark") else "light",
    )
    page = context.new_page()
    page.goto("/")
    page.get_by_role("button", name=f"Sign in as {person}").click()
    page.get_by_text("● live").wait_for()
    act(page)
    time.sleep(2)
    page.screenshot(path=path)
    context.close()


def _go(path: str) -> Callable[[Page], object]:
    return lambda page: page.goto(path)


def _report(page: Page) -> None:
    page.goto("/orders/1006")
    page.get_by_role("button", name="Report", exact=True).wait_for()
    page.keyboard.press("Alt+r")
    page.get_by_label("Good").wait_for()
    page.get_by_role("table", name="Stock").wait_for()  # the postings are not for all to see


def _tree(page: Page) -> None:
    page.goto("/define/items/OT-200")
    page.get_by_role("treegrid").wait_for()
    page.get_by_role("button", name="Costliest component").click()


def _edit(page: Page) -> None:
    page.goto("/define/items/PM-200/edit")
    page.get_by_text("Nothing stands against approving it.").wait_for()
    page.get_by_role("button", name="More of operation 30").click()


def _bridge(page: Page) -> None:
    page.goto("/orders/1002/bridge")
    page.get_by_role("button", name="Yield").click()


def _what_if(page: Page) -> None:
    page.goto("/cost/standards")
    page.get_by_role("button", name="Write a what-if…").click()
    page.get_by_label("Name").fill("dear aluminium, lot of 10")
    for line, (what, of, to, by) in enumerate(
        (("price", "A*", "", "12"), ("labour rate", "ASSY", "41.50", ""), ("standard lot", "MA-200", "10", "")),
        start=1,
    ):  # fmt: skip
        if line > 1:
            page.get_by_role("button", name="Add a change").click()
        page.get_by_label(f"what {line}").select_option(what)
        page.get_by_label(f"of {line}", exact=True).fill(of)
        page.get_by_label(f"to {line}", exact=True).fill(to)
        page.get_by_label(f"or by percent {line}").fill(by)
    page.get_by_role("status").filter(has_text="preview").last.wait_for()
    time.sleep(0.6)
    page.keyboard.press("Control+Enter")
    page.get_by_role("status").filter(has_text="posted").wait_for()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Heron 200 telescope").click()
    page.get_by_role("table", name="What moved in HT-200, over all levels").wait_for()


def _ready(page: Page) -> None:
    page.goto("/release")
    page.get_by_label("All: Nothing stops them").check()
    page.get_by_label("Order 1011").check()
    page.get_by_role("button", name="Release 3").click()
    page.get_by_role("status").filter(has_text="preview").last.wait_for()


def _work_list(page: Page) -> None:
    page.goto("/release/lists/ASSY?by=slack")
    page.get_by_role("img", name="Load of ASSY by day").wait_for()


def _pick(page: Page) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto("/release/picks/1")
    entry = page.get_by_label("Scan", exact=True)
    entry.fill("STORE")
    entry.press("Enter")
    page.get_by_text("☑ place").wait_for()


def _month(page: Page) -> None:
    page.goto("/cost/months")
    page.get_by_text("to be closed next").wait_for()
    page.get_by_role("row").filter(has_text="to be closed next").get_by_role("link").click()
    page.get_by_role("button", name="Compare every balance with its postings").click()
    page.get_by_text("Every balance is what the postings say").wait_for()


SHOTS: dict[str, tuple[str, Callable[[Page], object]]] = {
    "today": ("Jonas", lambda page: None),
    "order": ("Jonas", _go("/orders/1004")),
    "ready": ("Jonas", _ready),
    "work-list": ("Jonas", _work_list),
    "order-tree": ("Jonas", _go("/orders/1018/tree")),
    "orders-table": ("Jonas", _go("/orders/table")),
    "pick": ("Piet", _pick),
    "stock-item": ("Piet", _go("/release/stock/CS-01")),
    "report": ("Jonas", _report),
    "history": ("Sunil", _go("/define/items/MA-200/history")),
    "cost-bridge": ("Sunil", _bridge),
    "structure-edit": ("Ines", _edit),
    "structure-deep": ("Ines", _tree),
    "buy": ("Jonas", _go("/buy")),
    "standards": ("Sunil", _what_if),
    "across": ("Sunil", _go("/cost/across")),
    "late-cost": ("Sunil", _go("/cost/late")),
    "month": ("Sunil", _month),
    "plan": ("Jonas", _go("/plan/items/HT-200")),
}


if __name__ == "__main__":
    main()
