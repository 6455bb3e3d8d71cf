"""A served application and a browser, for tests of a person's work."""

import os
import re
from threading import Thread
from time import sleep
from typing import ClassVar

import uvicorn
from django.core.asgi import get_asgi_application
from django.core.management.base import CommandError
from django.db import connection, connections
from django.db.utils import OperationalError
from django.test import TransactionTestCase
from playwright.sync_api import (
    BrowserContext,
    ConsoleMessage,
    Page,
    Playwright,
    expect,
    sync_playwright,
)
from procrastinate.contrib.django import app
from psycopg.errors import DeadlockDetected

from ops.browser import executable, launch_arguments
from ops.cluster import ROOT, free_port
from server.tests import demo_rows

#: how long, in ms, what should come may take: on a busy machine a file of 1,200 rows takes seconds
PATIENCE = 45_000
PASTE = """(text) => {
    const clipboardData = new DataTransfer();
    clipboardData.setData('text/plain', text);
    const paste = new ClipboardEvent('paste', {clipboardData, bubbles: true, cancelable: true});
    document.activeElement.dispatchEvent(paste);
}"""
expect.set_options(timeout=PATIENCE)

AXE = (ROOT / "web/node_modules/axe-core/axe.min.js").read_text()


class BrowserTest(TransactionTestCase):
    """Serves the application as it is served in use, and drives it in headless Chromium."""

    reset_sequences = True
    address: ClassVar[str]
    play: ClassVar[Playwright]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"  # Playwright keeps a loop in this thread
        port = free_port(19470 + os.getpid() % 400)
        config = uvicorn.Config(
            get_asgi_application(),
            port=port,
            lifespan="off",
            log_level="error",
            timeout_graceful_shutdown=1,
        )
        server = uvicorn.Server(config)
        thread = Thread(target=server.run, daemon=True)
        thread.start()
        cls.address = f"http://127.0.0.1:{port}"
        cls.play = sync_playwright().start()
        cls.browser = cls.play.chromium.launch(
            executable_path=executable(), args=launch_arguments()
        )

        def end() -> None:
            cls.browser.close()
            cls.play.stop()
            server.should_exit = True
            thread.join(10)
            connections.close_all()

        cls.addClassCleanup(end)

    def setUp(self) -> None:
        self.faults: list[str] = []
        self.contexts: list[BrowserContext] = []

    def tearDown(self) -> None:
        for context in self.contexts:
            context.close()
        self.let_requests_end()
        self.assertEqual(self.faults, [], "errors in the browser's console")

    def _fixture_teardown(self) -> None:
        """Empty the tables; where a request of a closed page still reads them, once more when it has ended."""
        for _ in range(5):
            try:
                return super()._fixture_teardown()  # type: ignore[misc, no-any-return]
            except (OperationalError, CommandError, DeadlockDetected) as err:
                # Django's errors have the database's own as their cause
                cause = err if isinstance(err, DeadlockDetected) else err.__cause__
                if not isinstance(cause, DeadlockDetected | OperationalError):
                    raise
                self.let_requests_end()
        raise AssertionError("requests of closed pages go on and on")

    def let_requests_end(self) -> None:
        """Wait until the server works on nothing: emptying the tables would meet its locks."""
        busy = (
            "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() "
            "AND pid <> pg_backend_pid() AND state <> 'idle'"
        )
        for _ in range(PATIENCE // 50):
            with connection.cursor() as cursor:
                cursor.execute(busy)
                if not cursor.fetchone()[0]:
                    return
            sleep(0.05)

    def load_demo(self) -> None:
        """Load the invented works."""
        demo_rows.load_at_once()

    def page(self) -> Page:
        """Open a browser window of its own."""
        context = self.browser.new_context(
            base_url=self.address,
            viewport={"width": 1280, "height": 800},
            reduced_motion="reduce",
            locale="en-GB",
        )
        self.contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(PATIENCE)
        page.on("pageerror", lambda error: self.faults.append(str(error)))
        page.on("console", self.note)
        return page

    def note(self, message: ConsoleMessage) -> None:
        """Note an error of the console; that a preview is refused while one types is none."""
        url = message.location["url"]
        is_refused = url.endswith("/preview") and "with a status of 4" in message.text
        if message.type == "error" and not is_refused:
            self.faults.append(f"{message.text} {url}")

    def signed_in(self, first_name: str) -> Page:
        """Open a window and sign in as one of the demo's persons."""
        page = self.page()
        page.goto("/")
        page.get_by_role("button", name=f"Sign in as {first_name}").click()
        page.get_by_text("● live").wait_for()
        return page

    def press(self, page: Page, *keys: str) -> None:
        """Press keys one after the other."""
        for key in keys:
            page.keyboard.press(key)

    def paste(self, page: Page, text: str) -> None:
        """Paste a text where the focus is."""
        page.evaluate(PASTE, text)

    def post(self, page: Page) -> None:
        """Post what is in hand, once its preview stands, and leave."""
        state = page.get_by_role("status").filter(has_text=re.compile("^preview$"))
        try:
            expect(state).to_be_visible()
        except AssertionError:  # what the form says of it is why
            self.fail(f"no preview: {page.get_by_role('complementary').inner_text()}")
        self.press(page, "Control+Enter")
        posted = page.get_by_role("status").filter(has_text="posted")
        expect(posted).to_be_visible()
        self.press(page, "Escape")
        try:
            expect(posted).to_be_hidden(timeout=5000)
        except AssertionError:  # a busy page may not have heard it: who sees that, presses again
            self.press(page, "Escape")

    def work(self) -> None:
        """Let a worker do the background jobs that wait, in a thread of its own."""

        def run() -> None:
            worker = app.with_connector(app.connector.get_worker_connector())
            worker.run_worker(wait=False, listen_notify=False, install_signal_handlers=False)
            connections.close_all()

        thread = Thread(target=run)
        thread.start()
        thread.join(PATIENCE / 1000)

    def refusal_expected(self) -> None:
        """Forget the console's note of a request that was rightly refused."""
        self.faults[:] = [
            f for f in self.faults if "the server responded with a status of 4" not in f
        ]

    def assert_accessible(self, page: Page, name: str) -> None:
        """Assert that axe-core finds nothing on the page."""
        page.evaluate(AXE)
        found = page.evaluate(
            "axe.run(document, {runOnly: ['wcag2a','wcag2aa','wcag21a','wcag21aa','wcag22aa','best-practice']})"
            ".then(r => r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.html).slice(0, 3).join(' | ')))"
        )
        self.assertEqual(found, [], name)
