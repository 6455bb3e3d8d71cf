"""Load, kills, slow and silent clients on a works of its own: what is lost, doubled or failed, in figures."""

import argparse
import asyncio
import contextlib
import http.client
import json
import os
import random
import shutil
import signal
import socket
import statistics
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from uuid import uuid4

ROOT = Path(__file__).resolve().parent.parent
FOLDER = ROOT / "var" / "soak"
PORT = 19570
CLIENTS, LISTENERS, SILENT, SLOW = 8, 200, 20, 10
#: how often each is killed
KILLS = {"server": 5, "database": 5, "worker": 2, "start": 3}
#: items of the long import
IMPORTED = 20_000
ITEM, PLACE = "PAD-3", "STORE"
#: an item told apart by lot, and what is made of it at operation 10
TRACKED, MADE_OF_IT = "BL-200", "PM-200"


def main() -> None:
    """Run all of it, print the figures, and exit 1 if something was lost, doubled or failed."""
    parser = argparse.ArgumentParser(prog="./poietic soak")
    parser.add_argument("--seconds", type=int, default=60, help="how long clients post undisturbed")
    parser.add_argument("--no-kills", action="store_true", help="load only")
    given = parser.parse_args()
    os.environ["POIETIC_VAR"] = str(FOLDER)
    _end_before()
    works = Works()
    works.start()
    try:
        faults = Soak(works).run(given.seconds, kills=not given.no_kills)
    finally:
        works.stop()
    shutil.rmtree(FOLDER, ignore_errors=True)
    print("soak: " + ("; ".join(faults) if faults else "nothing lost, doubled or failed"))
    sys.exit(1 if faults else 0)


def _end_before() -> None:
    """Remove what a soak before this one left."""
    from . import cluster, processes
    from .files import read_facts

    if FOLDER.exists():
        processes.end_leftover(read_facts(FOLDER / "run.json"))
        if cluster.is_up():
            cluster.stop()
        shutil.rmtree(FOLDER)
    FOLDER.mkdir(parents=True)


class Works:
    """`./poietic start` on a folder of its own, begun again whenever it is killed."""

    def __init__(self) -> None:
        self.process: subprocess.Popen[bytes] | None = None
        self.starts: list[float] = []

    def start(self) -> None:
        """Begin, and wait until it serves."""
        begun, began_at = time.monotonic(), time.time()
        self.process = subprocess.Popen(
            [sys.executable, "-m", "ops.start", "--port", str(PORT)],
            cwd=ROOT,
            stdout=(FOLDER / "start.log").open("ab"),
            stderr=subprocess.STDOUT,
            start_new_session=True,
        )
        run = FOLDER / "run.json"  # the one before it stays until this one serves
        while not run.exists() or run.stat().st_mtime < began_at or not self.answers():
            if self.process.poll() is not None or time.monotonic() - begun > 180:
                sys.exit((FOLDER / "start.log").read_text()[-3000:])
            time.sleep(0.1)
        self.starts.append(time.monotonic() - begun)

    def answers(self) -> bool:
        """Tell whether it answers a query."""
        try:
            return Client().ask("GET", "/api/me")[0] == 200
        except (OSError, http.client.HTTPException):
            return False

    def stop(self) -> None:
        """End it as Ctrl-C does."""
        assert self.process is not None
        self.process.send_signal(signal.SIGTERM)
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(30)
        _end_before()

    def groups(self) -> list[int]:
        """Return the process groups of server and worker."""
        return [int(g) for g in json.loads((FOLDER / "run.json").read_text())["processes"]]

    def kill(self, what: str) -> None:
        """Kill a part without a warning."""
        from . import cluster

        if what == "database":
            pid = int((cluster.DATA / "postmaster.pid").read_text().split()[0])
            os.kill(pid, signal.SIGKILL)
        elif what == "start":
            assert self.process is not None
            self.process.kill()
            self.process.wait()
            self.start()
        else:
            group = self.groups()[0 if what == "server" else 1]
            with contextlib.suppress(ProcessLookupError):
                os.killpg(group, signal.SIGKILL)


class Client:
    """One person's HTTP client."""

    def __init__(self, name: str = "", address: str = f"http://127.0.0.1:{PORT}") -> None:
        self.cookies: dict[str, str] = {}
        self.token = ""
        self._host = address.removeprefix("http://")
        if name:
            self.ask("GET", "/api/me")
            status, _ = self.ask("POST", "/api/demo/sign-in", {"name": name})
            assert status == 200, status

    def ask(
        self, method: str, path: str, body: object = None, raw: tuple[bytes, str] | None = None
    ) -> tuple[int, dict[str, object]]:
        """Return the status and the JSON of an answer."""
        link = http.client.HTTPConnection(self._host, timeout=60)
        headers = {"Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items())}
        headers["X-CSRFToken"] = self.token
        data = None
        if raw:
            data, headers["Content-Type"] = raw
        elif body is not None:
            data, headers["Content-Type"] = json.dumps(body).encode(), "application/json"
        try:
            link.request(method, path, data, headers)
            answer = link.getresponse()
            content = answer.read()
        finally:
            link.close()
        for cookie in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = cookie.partition(";")[0].partition("=")
            self.cookies[name] = value
        said = json.loads(content)
        if isinstance(said, dict):
            self.token = str(said.get("csrf") or self.token)
        if answer.status >= 500 and answer.status != 503:
            raise AssertionError(f"{method} {path}: {answer.status} {said}")
        if answer.status == 503 and not answer.headers.get("Retry-After"):
            raise AssertionError(f"{method} {path}: 503 without Retry-After")
        return answer.status, said if isinstance(said, dict) else {}


@dataclass
class Figures:
    """What was seen, from all threads."""

    statuses: Counter[str] = field(default_factory=Counter)
    post_times: list[float] = field(default_factory=list)
    read_times: list[float] = field(default_factory=list)
    answered: dict[str, int] = field(default_factory=dict)
    answered_at: dict[int, float] = field(default_factory=dict)
    arrived: dict[int, list[float]] = field(default_factory=dict)
    faults: list[str] = field(default_factory=list)


class Soak:
    """The whole of it."""

    def __init__(self, works: Works) -> None:
        self.works = works
        self.figures = Figures()
        self.over = threading.Event()
        self.names = ("piet", "jonas")

    def run(self, seconds: int, *, kills: bool) -> list[str]:
        """Load; then kills and a long import beside the load; then what is there is counted."""
        self.order = self._share_lots()
        people = [Client(self.names[n % 2]) for n in range(CLIENTS)]
        listening = Listeners(Client("jonas"), self.figures)
        listening.start()
        threads = [threading.Thread(target=self._post, args=[p]) for p in people]
        threads.append(threading.Thread(target=self._read, args=[Client("vera")]))
        for thread in threads:
            thread.start()
        with self._phase("8 clients and 200 listeners"):
            time.sleep(seconds)
            self._count_sessions()
        with self._phase("slow and half-sent requests"):
            self._slow()
        with self._phase(f"an import of {IMPORTED:,} changed items"):
            self._import()
        listening.stop()
        self._deliveries()
        if kills:
            self._kills()
        self.over.set()
        for thread in threads:
            thread.join(60)
        self._verify()
        return self.figures.faults

    # --- what clients do

    def _share_lots(self) -> int:
        """Have a tracked item valued by layers, and make an order that uses it; return its number."""
        accountant, controller = Client("sunil"), Client("jonas")
        given: dict[str, object] = {"item": TRACKED, "valuation": "FIFO layers"}
        status, said = accountant.ask("POST", "/api/commands/change-valuation", {"key": uuid4().hex, "given": given})  # fmt: skip
        assert status == 200, said
        due = (datetime.now(UTC) + timedelta(days=200)).date().isoformat()
        given = {"item": MADE_OF_IT, "quantity": "9000", "due": due, "supply_place": PLACE, "receipt_place": PLACE}  # fmt: skip
        status, said = controller.ask("POST", "/api/commands/plan-order", {"key": uuid4().hex, "given": given})  # fmt: skip
        assert status == 200, said
        made = said["made"]
        assert isinstance(made, dict)
        order = int(made["order"])
        status, said = controller.ask("POST", "/api/commands/release-order", {"key": uuid4().hex, "given": {"order": order}})  # fmt: skip
        assert status == 200, said
        return order

    def _something(self) -> tuple[str, dict[str, object]]:
        """Return a posting: a receipt of one piece, of one of five shared lots, or an issue from one."""
        lot = {"lot": f"SHARED-{random.randrange(5)}", "quantity": "1"}
        line: dict[str, object] = {"item": TRACKED, "quantity": "1", "lots": [lot]}
        kind = random.random()
        if kind < 0.2:
            return "issue-material", {"order": self.order, "lines": [line | {"operation": 10}]}
        if kind < 0.6:
            price = f"{random.randrange(5000, 7000) / 100:.2f}"
            return "receive-material", {"lines": [line | {"price": price, "place": PLACE}]}
        line = {"item": ITEM, "quantity": "1", "price": "0.42", "place": PLACE}
        return "receive-material", {"lines": [line]}

    def _post(self, client: Client) -> None:
        """Post until the end; what got no answer is sent again under its key."""
        while not self.over.is_set():
            key = uuid4().hex
            name, given = self._something()
            begun = time.monotonic()
            while not self.over.is_set() or key in self.figures.answered:
                try:
                    status, said = client.ask(
                        "POST", f"/api/commands/{name}", {"key": key, "given": given}
                    )
                except (OSError, http.client.HTTPException, json.JSONDecodeError):
                    self.figures.statuses["no answer"] += 1
                    time.sleep(0.2)
                    continue
                except AssertionError as err:
                    self.figures.faults.append(str(err)[:300])
                    return
                self.figures.statuses[f"post {status}"] += 1
                if status == 200:
                    change = int(str(said["change"]))
                    self.figures.answered[key] = change
                    self.figures.answered_at[change] = time.monotonic()
                    self.figures.post_times.append(time.monotonic() - begun)
                    break
                if said.get("code") == "stock.not_enough":
                    break
                if status not in (409, 503):
                    self.figures.faults.append(f"{name}: {status} {said}"[:300])
                    return
                time.sleep(0.3)
            time.sleep(random.uniform(0, 0.05))

    def _read(self, client: Client) -> None:
        """Read what people read until the end."""
        while not self.over.is_set():
            for path in ("/api/me", "/api/today", "/api/orders"):
                begun = time.monotonic()
                try:
                    status, _ = client.ask("GET", path)
                except (OSError, http.client.HTTPException, json.JSONDecodeError):
                    self.figures.statuses["no answer"] += 1
                    time.sleep(0.2)
                    continue
                except AssertionError as err:
                    self.figures.faults.append(str(err)[:300])
                    continue
                self.figures.statuses[f"read {status}"] += 1
                self.figures.read_times.append(time.monotonic() - begun)
            time.sleep(0.1)

    @contextlib.contextmanager
    def _phase(self, words: str) -> Iterator[None]:
        """Tell what happened while something went on."""
        posts, reads = len(self.figures.post_times), len(self.figures.read_times)
        yield
        print(
            f"{words}: {_times('postings', self.figures.post_times[posts:])}, "
            f"{_times('reads', self.figures.read_times[reads:])}",
            flush=True,
        )

    def _count_sessions(self) -> None:
        from . import cluster

        with cluster.as_superuser() as link:
            row = link.execute(
                "SELECT count(*) FROM pg_stat_activity WHERE datname = %s", [cluster.DATABASE]
            ).fetchone()
        count = int(str(row and row[0]))
        print(f"database sessions with {LISTENERS} pages open: {count} (goal: under 40)")
        if count >= 40:
            self.figures.faults.append(f"{count} database sessions")

    def _slow(self) -> None:
        """Send half of a head and half of a body, and see that both are ended."""
        half = [
            b"GET /api/me HTTP/1.1\r\nHost: 127.0.0.1\r\n",
            b"POST /api/sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
            b"Content-Length: 5000\r\n\r\n{",
        ]
        links = []
        for n in range(SLOW):
            link = socket.create_connection(("127.0.0.1", PORT), 5)
            link.sendall(half[n % 2])
            links.append(link)
        begun = time.monotonic()
        for link in links:
            link.settimeout(45)
            try:
                while link.recv(4096):
                    pass
            except TimeoutError:
                self.figures.faults.append("a half-sent request stays open")
            except OSError:
                pass
            link.close()
        print(f"half-sent requests ended after {time.monotonic() - begun:.0f} s at most")

    def _import(self) -> None:
        """Change many items in the background, among them the one that is received."""
        client = Client("ines")
        for name in ("made", "changed"):
            rows = "".join(f"S-{n},Soak {name} {n},pcs,buy,1\n" for n in range(IMPORTED))
            rows += f"{ITEM},Support pad {name},pcs,buy,0.42\n"
            text = f"code,name,unit,source,price\n{rows}".encode()
            boundary = uuid4().hex
            body = (
                (
                    f'--{boundary}\r\nContent-Disposition: form-data; name="file"; filename="items.csv"\r\n'
                    "Content-Type: text/csv\r\n\r\n"
                ).encode()
                + text
                + f"\r\n--{boundary}--\r\n".encode()
            )
            kind = f"multipart/form-data; boundary={boundary}"
            status, said = client.ask("POST", "/api/uploads", raw=(body, kind))
            assert status == 200, said
            begun = time.monotonic()
            _, job = client.ask(
                "POST", "/api/jobs/import-tables", {"given": {"upload": said["upload"]}}
            )
            while job.get("state") in ("waiting", "running", "lost"):
                time.sleep(0.5)
                _, job = client.ask("GET", f"/api/jobs/{job['number']}")
            print(f"{IMPORTED:,} items {name} in {time.monotonic() - begun:.1f} s: {job['state']}")
            if job["state"] != "done":
                self.figures.faults.append(f"the import: {job['state']} {job.get('problem')}")

    def _deliveries(self) -> None:
        late = [
            max(0.0, at - self.figures.answered_at[change])
            for change, times in self.figures.arrived.items()
            if change in self.figures.answered_at
            for at in times
        ]
        if not late:
            self.figures.faults.append("no page was told of anything")
            return
        p95 = statistics.quantiles(late, n=20)[-1] * 1000
        told = len(late) / max(1, len(self.figures.arrived))
        print(
            f"changes told to {told:.0f} reading pages each, 95 of 100 within {p95:.0f} ms "
            "after the answer (goal: under 50 ms)"
        )

    # --- what is done to it

    def _kills(self) -> None:
        order = [what for what, count in KILLS.items() for _ in range(count)]
        random.Random(7).shuffle(order)
        back: dict[str, list[float]] = {}
        for what in order:
            time.sleep(random.uniform(0.5, 2))
            begun = time.monotonic()
            done = len(self.figures.answered)
            self.works.kill(what)
            while len(self.figures.answered) < done + 3:
                if time.monotonic() - begun > 90:
                    self.figures.faults.append(
                        f"nothing was posted for 90 s after the {what} was killed"
                    )
                    break
                time.sleep(0.05)
            back.setdefault(what, []).append(time.monotonic() - begun)
        for what, times in back.items():
            words = ", ".join(f"{t:.1f}" for t in times)
            print(f"{what} killed {len(times)} times: posting again after {words} s")
        again = ", ".join(f"{t:.1f}" for t in self.works.starts[1:])
        print(f"started again after a kill within {again} s (goal: 10 s)")

    def _verify(self) -> None:
        """Count what was answered against what is kept, and compare all balances with their postings."""
        from . import cluster
        from .django import manage

        keys = list(self.figures.answered)
        with cluster.as_superuser(cluster.DATABASE) as link:
            kept = dict(
                link.execute(
                    "SELECT key, count(*) FROM commanding_entry WHERE key = ANY(%s) GROUP BY key",
                    [keys],
                ).fetchall()
            )
            row = link.execute(
                "SELECT count(*) FROM ledger_posting p JOIN commanding_entry e ON e.id = p.entry_id "
                "WHERE e.key = ANY(%s)",
                [keys],
            ).fetchone()
        lost = len(set(keys) - set(kept))
        doubled = int(str(row and row[0])) - len(kept)
        print(f"{len(keys):,} postings answered, {lost} lost, {doubled} doubled")
        print(f"answers: {dict(sorted(self.figures.statuses.items()))}")
        if lost or doubled:
            self.figures.faults.append(f"{lost} lost, {doubled} doubled")
        if manage("verify_ledger"):
            self.figures.faults.append("balances differ from their postings")


class Listeners(threading.Thread):
    """Open pages: most read what they are told, some don't."""

    def __init__(self, client: Client, figures: Figures) -> None:
        super().__init__(daemon=True)
        self.client, self.figures = client, figures
        self._loop = asyncio.new_event_loop()

    def run(self) -> None:
        """Keep them open until stopped."""
        self._loop.run_until_complete(self._all())

    def stop(self) -> None:
        """Close them."""
        for task in asyncio.all_tasks(self._loop):
            self._loop.call_soon_threadsafe(task.cancel)
        self.join(10)

    async def _all(self) -> None:
        pages = [self._page(is_silent=n < SILENT) for n in range(LISTENERS)]
        with contextlib.suppress(asyncio.CancelledError):
            await asyncio.gather(*pages)

    async def _page(self, *, is_silent: bool) -> None:
        cookies = "; ".join(f"{k}={v}" for k, v in self.client.cookies.items())
        head = f"GET /api/events HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: {cookies}\r\n\r\n"
        reader, writer = await asyncio.open_connection("127.0.0.1", PORT)
        writer.write(head.encode())
        if is_silent:
            await asyncio.sleep(3600)
        while line := await reader.readline():
            if b'"change"' in line:
                at = time.monotonic()
                change = json.loads(line[line.index(b"{") :])["change"]
                self.figures.arrived.setdefault(change, []).append(at)


def _times(words: str, times: list[float]) -> str:
    if len(times) < 2:
        return f"no {words}"
    p95 = statistics.quantiles(times, n=20)[-1]
    return f"{len(times):,} {words}, median {statistics.median(times) * 1000:.0f} ms, 95 of 100 within {p95 * 1000:.0f} ms, at most {max(times):.1f} s"


if __name__ == "__main__":
    main()
