"""The application as it stands on a machine: bodies, heads, proxies, headers, streams, locks."""

import json
import socket
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from http.client import HTTPConnection
from http.server import BaseHTTPRequestHandler, HTTPServer
from typing import Any
from unittest.mock import patch
from uuid import uuid4

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction
from django.test import Client, TestCase, TransactionTestCase, override_settings
from django.utils import timezone
from poietic.catalog.models import Item, KeptFile
from poietic.commanding import holding
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.exchange.models import Upload
from poietic.exchange.tidying import tidy
from poietic.people.models import Happening, OpenSession, Person
from poietic.web_api.gate import BODY_SECONDS, OF_STRANGERS

from ops.cluster import free_port
from ops.fuzz import ask as fuzz
from ops.processes import end
from ops.serving import answers, begin_server
from ops.soak import Client as Asking

from .client import PASSWORD, Caller, make_person, sign_in


class Proxy(BaseHTTPRequestHandler):
    """A proxy that ends TLS, as far as what it says goes: it tells whom it speaks for."""

    port = 0

    def _hand_on(self) -> None:
        link = HTTPConnection("127.0.0.1", self.port)
        size = int(self.headers.get("Content-Length") or 0)
        headers = {k: v for k, v in self.headers.items() if k.lower() != "connection"}
        headers |= {"X-Forwarded-Proto": "https", "X-Forwarded-For": "192.0.2.44"}
        link.request(self.command, self.path, self.rfile.read(size), headers)
        answer = link.getresponse()
        content = answer.read()
        self.send_response(answer.status)
        for name, value in answer.getheaders():
            if name.lower() not in ("transfer-encoding", "connection"):
                self.send_header(name, value)
        self.end_headers()
        self.wfile.write(content)

    do_GET = do_POST = _hand_on  # noqa: N815

    def log_message(self, *arguments: object) -> None:
        """Say nothing."""


class Served(TransactionTestCase):
    """Over sockets."""

    def setUp(self) -> None:
        with override_settings(
            PASSWORD_HASHERS=["django.contrib.auth.hashers.Argon2PasswordHasher"]
        ):
            self.person = make_person("ada")  # the server knows none of the tests' quick hashes
        browser = Client()
        sign_in(browser, self.person)
        self.session = browser.cookies[settings.SESSION_COOKIE_NAME].value

    def serve(self, **more: str) -> int:
        """Serve the test database, and return the port."""
        port = free_port(19_300)
        name = str(connection.settings_dict["NAME"])
        server = begin_server(port, POIETIC_DB_NAME=name, **more)
        self.addCleanup(end, server)
        self.assertTrue(answers(port, server))
        return port

    def send(self, port: int, *, size: int = 0, cookie: bool = False, path: str = "/api/sign-in", kind: str = "application/json") -> tuple[int, Any]:  # fmt: skip
        """Send a body of a size, in pieces, and return the answer."""
        head = f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: {kind}\r\nContent-Length: {size}\r\n"
        head += f"Cookie: sessionid={self.session}\r\n" if cookie else ""
        with socket.create_connection(("127.0.0.1", port), 20) as link:
            link.sendall(head.encode() + b"\r\n")
            try:
                for sent in range(0, size, 50_000):
                    link.sendall(b" " * min(50_000, size - sent))
            except OSError:
                pass  # refused before the end of it
            content = b""
            while part := link.recv(65536):
                content += part
                if b"\r\n\r\n" in content and content.rstrip().endswith(b"}"):
                    break
        self.assertIn(b"{", content)
        return int(content.split()[1]), json.loads(content[content.index(b"{") :])

    def test_bodies_have_a_size_by_who_sends_them_and_to_where(self) -> None:
        port = self.serve()
        self.assertEqual(self.send(port, size=OF_STRANGERS + 1)[1]["code"], "request.too_large")
        self.assertNotEqual(self.send(port, size=OF_STRANGERS - 1000)[0], 413)
        self.assertEqual(self.send(port, size=1_000_000, cookie=True)[0], 400)
        self.assertEqual(
            self.send(port, size=200_000_000, cookie=True, path="/api/uploads")[0], 413
        )

    def test_what_never_arrives_whole_is_ended(self) -> None:
        port = self.serve()
        with socket.create_connection(("127.0.0.1", port), 20) as head:
            head.sendall(b"GET /api/me HTTP/1.1\r\nHost: x\r\n")
            head.settimeout(20)
            self.assertEqual(head.recv(100), b"")
        self.assertLess(BODY_SECONDS, 60)

    def test_behind_a_proxy_cookies_are_secure_and_addresses_are_those_it_names(self) -> None:
        port = self.serve(
            POIETIC_HTTPS="1",
            POIETIC_PROXIES="127.0.0.1",
            POIETIC_ORIGINS="https://works.example",
            POIETIC_HOSTS="works.example",
        )
        proxy = HTTPServer(("127.0.0.1", 0), type("To", (Proxy,), {"port": port}))
        threading.Thread(target=proxy.serve_forever, daemon=True).start()
        self.addCleanup(proxy.shutdown)
        link = HTTPConnection("127.0.0.1", proxy.server_port)
        headers = {"Host": "works.example"}
        link.request("GET", "/api/me", headers=headers)
        answer = link.getresponse()
        token = json.loads(answer.read())["csrf"]
        cookie = str(answer.headers["Set-Cookie"])
        self.assertIn("Secure", cookie)
        self.assertIn("HttpOnly", cookie)
        self.assertIn("max-age=31536000", str(answer.headers["Strict-Transport-Security"]))
        headers |= {"Cookie": cookie.partition(";")[0], "X-CSRFToken": token, "Content-Type": "application/json", "Origin": "https://works.example", "Referer": "https://works.example/"}  # fmt: skip
        link = HTTPConnection("127.0.0.1", proxy.server_port)
        body = json.dumps({"name": "ada", "password": PASSWORD})
        link.request("POST", "/api/sign-in", body, headers)
        answer = link.getresponse()
        self.assertEqual(answer.status, 200, answer.read())
        self.assertIn("Secure", str(answer.headers.get_all("Set-Cookie")))
        self.assertEqual(Happening.objects.get(kind="signed in").address, "192.0.2.44")
        headers["Origin"] = "https://elsewhere.example"
        link = HTTPConnection("127.0.0.1", proxy.server_port)
        link.request("POST", "/api/sign-in", body, headers)
        self.assertEqual(link.getresponse().status, 403)

    def test_pages_hold_no_connection_and_end_with_their_session(self) -> None:
        port = self.serve()
        with ThreadPoolExecutor(40) as pool:
            pages = list(pool.map(self.listening, [port] * 40))
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()"
            )
            self.assertLess(cursor.fetchone()[0], 30, "two pools of twelve, two that listen, ours")
        Caller(make_person("ida")).must("end-sessions", {"name": "ada"})
        for page in pages:
            page.settimeout(10)
            while page.recv(4096):
                pass
            page.close()

    def listening(self, port: int) -> socket.socket:
        """Return a page that listens; one that is told to come again does, as a browser does."""
        for _ in range(20):
            page = socket.create_connection(("127.0.0.1", port), 60)
            page.sendall(
                f"GET /api/events HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: sessionid={self.session}\r\n\r\n".encode()
            )
            said = b""
            while b"ready" not in said and (part := page.recv(4096)):
                said += part
                if b"service.unavailable" in said:
                    break
            if b"ready" in said:
                return page
            page.close()
            self.assertIn(b" 503 ", said)
        raise AssertionError("it was told to come again twenty times")

    def test_random_requests_make_nothing_fail(self) -> None:
        """A short run of what ./poietic fuzz does at length."""
        mirror_cell.define(Shop())
        port = self.serve()
        client = Asking()
        client.cookies["sessionid"] = self.session
        link = HTTPConnection("127.0.0.1", port)
        link.request("GET", "/api/me", headers={"Cookie": f"sessionid={self.session}"})
        answer = link.getresponse()
        client.token = json.loads(answer.read())["csrf"]
        client.cookies["csrftoken"] = (
            str(answer.headers["Set-Cookie"]).partition(";")[0].partition("=")[2]
        )
        self.assertEqual(fuzz(f"http://127.0.0.1:{port}", client, 1, phases="fuzzing"), 0)


class Headers(TestCase):
    """What pages and answers carry."""

    def test_bodies_of_a_kind_that_is_not_taken_are_refused_however_they_come(self) -> None:
        for kind in (
            "multipart/form-data; boundary=x",
            "text/plain",
            "application/x-www-form-urlencoded",
        ):
            answer = Client().generic("POST", "/api/sign-in", b"--x--", kind, CONTENT_LENGTH="")
            self.assertEqual(answer.status_code, 415, kind)

    def test_pages_run_only_our_own_scripts_and_answers_are_not_stored(self) -> None:
        page = Client().get("/")
        policy = page["Content-Security-Policy"]
        self.assertIn("script-src 'self';", policy)
        self.assertIn("frame-ancestors 'none'", policy)
        self.assertNotIn(b"<script>", page.content)
        answer = Client().get("/api/me")
        self.assertEqual(answer["Cache-Control"], "no-store")
        self.assertTrue(answer.cookies["csrftoken"]["httponly"])


class Roles(TestCase):
    """What the roles of the database may do."""

    def test_neither_the_owner_nor_the_one_that_serves_is_a_superuser(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("SELECT rolsuper, rolcreaterole, rolbypassrls FROM pg_roles WHERE rolname = ANY(%s)", [["poietic_keeper", "poietic_app"]])  # fmt: skip
            self.assertEqual(set(cursor.fetchall()), {(False, False, False)})
            cursor.execute("SELECT DISTINCT tableowner FROM pg_tables WHERE schemaname = 'public'")
            self.assertEqual(cursor.fetchall(), [("poietic_keeper",)])
            for table in ("ledger_stockline", "commanding_entry", "people_happening"):
                for right in ("UPDATE", "DELETE", "TRUNCATE"):
                    cursor.execute(
                        "SELECT has_table_privilege('poietic_app', %s, %s)", [table, right]
                    )
                    self.assertEqual(cursor.fetchone(), (False,), (table, right))


class Waiting(TransactionTestCase):
    """Commands that wait for others."""

    def test_who_holds_what_since_when_is_told_and_reads_go_on(self) -> None:
        shop = Shop()
        mirror_cell.define(shop)
        caller = Caller(make_person())
        holds, may_end = threading.Event(), threading.Event()

        def hold() -> None:
            with transaction.atomic():
                holding.say_who("Import tables", Person.objects.get(name="ines"), "1s")
                list(Item.objects.select_for_update().filter(code="PAD-3"))
                holds.set()
                may_end.wait(20)
            connection.close()

        holder = threading.Thread(target=hold)
        holder.start()
        holds.wait(10)
        try:
            with patch("poietic.commanding.run.POSTING_WAITS", "300ms"):
                said = caller.do("change-item", {"code": "PAD-3", "name": "Pad"})
            self.assertEqual((caller.status, said["code"]), (409, "command.busy"))
            self.assertIn("items", said["title"])
            self.assertIn("Import tables by Ines Example", said["detail"])
            with patch("poietic.commanding.run.PREVIEW_WAITS", "200ms"):
                said = caller.preview("change-item", {"code": "PAD-3", "name": "Pad"})
            self.assertEqual((caller.status, said["code"]), (409, "command.busy"))
            begun = time.monotonic()
            caller.get("items/PAD-3")
            self.assertEqual(caller.status, 200)
            self.assertLess(time.monotonic() - begun, 2)
        finally:
            may_end.set()
            holder.join()
        caller.must("change-item", {"code": "PAD-3", "name": "Pad"})

    def test_only_so_many_commands_are_at_work_at_once(self) -> None:
        caller = Caller(make_person())
        with patch.object(holding, "TURN_SECONDS", 0.2):
            for _ in range(holding.AT_ONCE):
                holding._turns.acquire()
            try:
                given = {"code": "R", "name": "R"}
                answer = caller.client.post("/api/commands/define-reason", {"key": uuid4().hex, "given": given}, content_type="application/json")  # fmt: skip
                self.assertEqual((answer.status_code, answer.json()["code"]), (409, "command.busy"))
                self.assertTrue(answer["Retry-After"])
                caller.get("items")
                self.assertEqual(caller.status, 200)
            finally:
                for _ in range(holding.AT_ONCE):
                    holding._turns.release()


class Tidying(TestCase):
    """What a night job removes, and what it leaves."""

    def test_what_is_past_its_time_goes_and_the_rest_stays(self) -> None:
        caller = Caller(make_person())
        caller.must("define-item", {"code": "A", "name": "A", "unit": "pcs", "source": "buy"})
        files = [
            caller.client.post(
                "/api/files", {"file": SimpleUploadedFile(f"{n}.pdf", b"%PDF-1.7")}
            ).json()["file"]
            for n in range(3)
        ]
        caller.must("attach-document", {"item": "A", "file": files[0]})
        old = timezone.now() - timedelta(days=8)
        KeptFile.objects.filter(pk__in=files[:2]).update(brought_at=old)
        text = b"code,name,unit,source\nB,B,pcs,buy\n"
        for days in (40, 1):
            caller.client.post("/api/uploads", {"file": SimpleUploadedFile("items.csv", text)})
            Upload.objects.filter(pk=Upload.objects.latest("pk").pk).update(uploaded_at=timezone.now() - timedelta(days=days))  # fmt: skip
        removed = tidy(timezone.now())
        self.assertEqual((removed["uploads"], removed["files"]), (1, 1))
        self.assertEqual(set(KeptFile.objects.values_list("pk", flat=True)), {files[0], files[2]})
        self.assertEqual(OpenSession.objects.count(), 1)

    def test_a_person_s_uploads_have_a_quota(self) -> None:
        caller = Caller(make_person())
        with patch("poietic.exchange.api.MOST_OF_A_PERSON", 60):
            text = b"code,name,unit,source\nB,B,pcs,buy\n"
            answers_of = [caller.client.post("/api/uploads", {"file": SimpleUploadedFile("items.csv", text)}).status_code for _ in range(2)]  # fmt: skip
        self.assertEqual(answers_of, [200, 422])
