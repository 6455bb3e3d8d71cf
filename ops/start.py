"""Set up, load the demo into an empty database, and serve until Ctrl-C; what dies is started again."""

import argparse
import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from uuid import uuid4

from . import cluster, processes
from .django import load_demo, prepare
from .files import hold_alone, read_facts, read_number, write_whole
from .serving import answers, begin_server, begin_worker

RUN = cluster.VAR / "run.json"
REMEMBERED = cluster.VAR / "port"
LOCK = cluster.VAR / "start.lock"
FIRST_PORT = 8470
#: how often the parts are looked after [s]
LOOKED_AFTER = 0.5
#: a part that dies sooner than this is started again more slowly each time, at most so slowly [s]
SOON, SLOWEST = 10, 30


def main() -> None:
    """Serve at one address; a second start says where the first one serves."""
    parser = argparse.ArgumentParser(prog="./poietic start")
    parser.add_argument("--empty", action="store_true", help="don't load the demo")
    parser.add_argument("--port", type=int, help="serve at this port, or the next that is free")
    given = parser.parse_args()
    lock = hold_alone(LOCK)
    if lock is None:
        address = read_facts(RUN).get("address")
        print(f"Poietic already runs at {address}" if address else "Poietic is starting already")
        return
    before = read_facts(RUN)
    processes.end_leftover(before)
    os.environ[processes.MARK] = uuid4().hex
    signal.signal(signal.SIGTERM, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt()))
    try:
        _run(given, ran_database=before.get("runs_database") is True)
    except KeyboardInterrupt:
        sys.exit("Stopped")


def _run(given: argparse.Namespace, *, ran_database: bool) -> None:
    """Serve; the database is stopped in the end if this start, or a killed one before it, began it."""
    runs_database = prepare() or ran_database
    try:
        if not given.empty and (code := load_demo()):
            sys.exit(code)
        _serve(given.port, {"runs_database": runs_database}, is_demo=_refuse_open_doors())
    finally:
        RUN.unlink(missing_ok=True)
        if runs_database:
            cluster.stop()


def _refuse_open_doors() -> bool:
    """Tell whether the works is a demo; one that is to be served to others is refused."""
    with cluster.as_superuser(cluster.DATABASE) as link:
        row = link.execute("SELECT is_demo FROM works_works").fetchone()
    is_demo = bool(row and row[0])
    if is_demo and os.environ.get("POIETIC_HOSTS"):
        sys.exit(
            "This works is a demo: its persons come in without a password, so it is served on this "
            "machine only. Unset POIETIC_HOSTS, or close the demo (Persons, Close the demo)."
        )
    return is_demo


def _serve(wanted: int | None, facts: dict[str, object], *, is_demo: bool) -> None:
    first = wanted or read_number(REMEMBERED) or FIRST_PORT
    port = cluster.free_port(first)
    if wanted and port != wanted:
        print(f"Port {wanted} is taken by somebody else: {port} is used instead")
    write_whole(REMEMBERED, str(port))
    parts = (Part("server", lambda: begin_server(port)), Part("worker", begin_worker))
    address = f"http://127.0.0.1:{port}/"
    facts["address"] = address
    try:
        server, worker = parts
        server.begin()
        _note(parts, facts)
        if not answers(port, server.process):
            sys.exit("The server did not begin to answer; what it said stands above.")
        worker.begin()  # only now: a person waits for the server
        _note(parts, facts)
        if is_demo:
            print(
                "This is a demo with open doors: whoever is at this machine comes in without a password"
            )
        print(f"Poietic serves at {address}  (Ctrl-C stops it)", flush=True)
        while True:
            time.sleep(LOOKED_AFTER)
            if _look_after(parts):
                _note(parts, facts)
    except KeyboardInterrupt:
        print("Stopping")
    finally:
        processes.end(*(p.process for p in parts if p.process))


@dataclass
class Part:
    """A part of the application that is started again when it dies."""

    name: str
    start: Callable[[], "subprocess.Popen[bytes]"]
    process: "subprocess.Popen[bytes] | None" = None
    begun: float = 0.0
    pause: float = 0.0

    def begin(self) -> None:
        """Start it."""
        self.process = self.start()
        self.begun = time.monotonic()

    def begin_again(self) -> bool:
        """Start it again where it died; tell whether it did."""
        assert self.process is not None
        if self.process.poll() is None:
            return False
        lived = time.monotonic() - self.begun
        if lived < self.pause:
            return False
        self.pause = min(max(self.pause, 0.5) * 2, SLOWEST) if lived < SOON else 0.0
        print(f"The {self.name} died: it is started again", flush=True)
        processes.signal_group(self.process.pid, signal.SIGKILL)  # what it had started
        self.begin()
        return True


def _look_after(parts: tuple[Part, ...]) -> bool:
    """Start again what died, the database first; tell whether a part is another one now."""
    if not cluster.is_up():
        print("The database died: it is started again", flush=True)
        cluster.ensure()
        print("The database answers again", flush=True)
    again = [p.begin_again() for p in parts]
    return any(again)


def _note(parts: tuple[Part, ...], facts: dict[str, object]) -> None:
    numbers = [p.process.pid for p in parts if p.process]
    mark = os.environ[processes.MARK]
    write_whole(RUN, json.dumps(facts | {"mark": mark, "processes": numbers}))


if __name__ == "__main__":
    main()
