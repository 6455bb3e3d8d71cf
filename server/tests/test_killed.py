"""The server killed in the middle of postings: what was answered is there, nothing is half."""

import json
import os
import signal
import subprocess
from http.client import HTTPConnection, HTTPException
from threading import Semaphore, Thread
from typing import Any
from uuid import uuid4

from django.conf import settings
from django.db import connection
from django.test import Client, TransactionTestCase
from poietic.commanding.models import Entry
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting, StockBalance
from poietic.ledger.verify import differences

from ops.cluster import free_port
from ops.serving import answers, begin_server

from .client import make_person, sign_in

RECEIPT = {
    "lines": [{"item": "PAD-3", "quantity": "1", "price": "0.42", "place": "STORE"}],
}


class Killed(TransactionTestCase):
    """`kill -9` of all server processes while two clients post."""

    def setUp(self) -> None:
        mirror_cell.define(Shop())
        browser = Client()
        sign_in(browser, make_person())
        self.session = browser.cookies[settings.SESSION_COOKIE_NAME].value
        self.answered: dict[str, Any] = {}
        self.sent: set[str] = set()
        self.has_answered = Semaphore(0)

    def serve(self, port: int) -> subprocess.Popen[bytes]:
        """Start the server as ./poietic start does, on the test database."""
        server = begin_server(port, POIETIC_DB_NAME=connection.settings_dict["NAME"])
        self.addCleanup(self.kill, server)
        self.assertTrue(answers(port, server))
        return server

    def kill(self, server: subprocess.Popen[bytes]) -> None:
        """Kill the server and its workers."""
        if server.poll() is None:
            os.killpg(server.pid, signal.SIGKILL)
            server.wait()

    def send(self, port: int, key: str) -> Any:
        """Post one receipt of a pad."""
        link = HTTPConnection("127.0.0.1", port, timeout=60)  # a killed one refuses at once
        headers = {
            "Content-Type": "application/json",
            "Cookie": f"sessionid={self.session}; csrftoken={'x' * 32}",
            "X-CSRFToken": "x" * 32,
        }
        self.sent.add(key)
        body = json.dumps({"key": key, "given": RECEIPT})
        link.request("POST", "/api/commands/receive-material", body, headers)
        return json.loads(link.getresponse().read())

    def post_until_it_dies(self, port: int) -> None:
        """Post receipts until the server no longer answers."""
        while True:
            key = uuid4().hex
            try:
                self.answered[key] = self.send(port, key)
                self.has_answered.release()
            except (OSError, HTTPException, json.JSONDecodeError):
                return

    def test_nothing_that_was_answered_is_lost(self) -> None:
        port = free_port(18470)
        server = self.serve(port)
        clients = [Thread(target=self.post_until_it_dies, args=[port]) for _ in range(2)]
        for client in clients:
            client.start()
        for _ in range(20):
            self.assertTrue(self.has_answered.acquire(timeout=60))

        self.kill(server)

        for client in clients:
            client.join()
        for answer in self.answered.values():
            self.assertIn("postings", answer)
        kept = set(Entry.objects.filter(key__in=self.sent).values_list("key", flat=True))
        self.assertLessEqual(set(self.answered), kept)
        self.assertEqual(Posting.objects.count(), len(kept))
        self.assertEqual(StockBalance.objects.get(item__code="PAD-3").quantity, len(kept))
        self.assertEqual(differences(), [])
        self.serve(port)
        key, answer = next(iter(self.answered.items()))
        self.assertEqual(self.send(port, key), answer)
        self.assertEqual(Posting.objects.count(), len(kept))
