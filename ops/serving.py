"""The parts of the application that serve: how each is begun, and when it answers."""

import socket
import subprocess
import sys
import time
from contextlib import suppress

from . import cluster

#: how long a server may take until it answers [s]
ANSWERS_WITHIN = 30
SERVER = (
    *("-m", "uvicorn", "poietic.config.asgi:application"),
    *("--http", "poietic.config.protocol:PatientProtocol", "--workers", "2", "--lifespan", "off"),
    *("--timeout-graceful-shutdown", "3", "--log-level", "warning", "--no-server-header"),
    *("--no-proxy-headers", "--host", "127.0.0.1"),
)
WORKER = (str(cluster.ROOT / "server/manage.py"), "work_jobs")


def begin(*arguments: str, settings: dict[str, str] | None = None) -> "subprocess.Popen[bytes]":
    """Begin a part in a group of its own, so that all of it can be ended."""
    return subprocess.Popen(
        [sys.executable, *arguments],
        env=cluster.environment()
        | {"DJANGO_SETTINGS_MODULE": "poietic.config.settings.base"}
        | (settings or {}),
        stdin=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL if arguments == WORKER else None,
        start_new_session=True,
    )


def begin_server(port: int, **settings: str) -> "subprocess.Popen[bytes]":
    """Begin the server at a port."""
    return begin(*SERVER, "--port", str(port), settings=settings)


def begin_worker(**settings: str) -> "subprocess.Popen[bytes]":
    """Begin the worker of background jobs."""
    return begin(*WORKER, settings=settings)


def answers(port: int, server: "subprocess.Popen[bytes] | None") -> bool:
    """Wait until a server answers; tell whether it does."""
    until = time.monotonic() + ANSWERS_WITHIN
    while time.monotonic() < until and server is not None and server.poll() is None:
        with suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
            return True
        time.sleep(0.1)
    return False
