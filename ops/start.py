"""Set up, load the demo into an empty database, and serve until Ctrl-C."""

import argparse
import fcntl
import json
import os
import signal
import subprocess
import sys
from contextlib import suppress
from pathlib import Path

from . import cluster
from .django import manage, prepare

RUN = cluster.VAR / "run.json"


def main() -> None:
    """Serve at one address; a second start says where the first one serves."""
    parser = argparse.ArgumentParser(prog="./poietic start")
    parser.add_argument("--empty", action="store_true", help="don't load the demo")
    parser.add_argument("--port", type=int, help="serve at this port")
    given = parser.parse_args()
    lock = (cluster.VAR / "start.lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        address = json.loads(RUN.read_text()).get("address") if RUN.exists() else None
        print(f"Poietic already runs at {address}" if address else "Poietic is starting already")
        return
    _stop_leftover()
    signal.signal(signal.SIGTERM, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt()))
    try:
        _run(given)
    except KeyboardInterrupt:
        sys.exit("Stopped")


def _run(given: argparse.Namespace) -> None:
    started = prepare()
    try:
        if not given.empty and (code := manage("load_demo", "--if-empty")):
            sys.exit(code)
        _serve(given.port)
    finally:
        RUN.unlink(missing_ok=True)
        if started:
            cluster.stop()


def _serve(port: int | None) -> None:
    remembered = cluster.VAR / "port"
    port = port or cluster.free_port(int(remembered.read_text()) if remembered.exists() else 8470)
    remembered.write_text(str(port))
    server, worker = begin(port)
    address = f"http://127.0.0.1:{port}/"
    RUN.write_text(json.dumps({"groups": [server.pid, worker.pid], "address": address}))
    print(f"Poietic serves at {address}  (Ctrl-C stops it)", flush=True)
    code = 0
    try:
        code = server.wait()
    except KeyboardInterrupt:
        print("Stopping")
    end(server, worker)
    sys.exit(code)


def begin(port: int) -> tuple[subprocess.Popen[bytes], subprocess.Popen[bytes]]:
    """Begin serving, and the worker of background jobs."""
    server = _begin(
        *("-m", "uvicorn", "poietic.config.asgi:application"),
        *("--host", "127.0.0.1", "--port", str(port), "--workers", "2", "--lifespan", "off"),
        *("--timeout-graceful-shutdown", "3", "--log-level", "warning"),
    )
    worker = _begin(
        *(str(cluster.ROOT / "server/manage.py"), "procrastinate", "worker"),
        *("--concurrency", "1", "--shutdown-graceful-timeout", "3"),
    )
    return server, worker


def end(*processes: subprocess.Popen[bytes]) -> None:
    """End processes with all that they started."""
    for process in processes:
        _end(process.pid)
    for process in processes:
        with suppress(subprocess.TimeoutExpired):
            process.wait(10)
        _end(process.pid, signal.SIGKILL)


def _begin(*arguments: str) -> subprocess.Popen[bytes]:
    """Start a part of the application in a group of its own, so that all of it can be ended."""
    return subprocess.Popen(
        [sys.executable, *arguments],
        env=cluster.environment() | {"DJANGO_SETTINGS_MODULE": "poietic.config.settings.base"},
        stderr=None if "uvicorn" in arguments else subprocess.DEVNULL,
        start_new_session=True,
    )


def _stop_leftover() -> None:
    """End server processes that outlived a killed start."""
    if not RUN.exists():
        return
    groups = json.loads(RUN.read_text())["groups"]
    for process in Path("/proc").glob("[0-9]*"):
        with suppress(OSError, ValueError):
            fields = (process / "stat").read_text().rpartition(")")[2].split()
            if int(fields[2]) in groups and process.stat().st_uid == os.getuid():
                os.kill(int(process.name), signal.SIGKILL)


def _end(group: int, how: signal.Signals = signal.SIGTERM) -> None:
    with suppress(ProcessLookupError):
        os.killpg(group, how)


if __name__ == "__main__":
    main()
