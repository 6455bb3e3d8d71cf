"""A served demo in a database of its own, for pictures and for what may go wrong; dropped afterwards."""

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager

from . import cluster, processes
from .django import manage
from .serving import answers, begin_server

FIRST_PORT = 18970


@contextmanager
def scratch_database(name: str) -> Iterator[None]:
    """Make a database with the demo in it, that all commands of this process use; drop it in the end."""
    with cluster.as_superuser() as administration:
        administration.execute(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)")
        administration.execute(f"CREATE DATABASE {name} OWNER {cluster.OWNER}")
    before = os.environ.get("POIETIC_DB_NAME")
    os.environ["POIETIC_DB_NAME"] = name
    try:
        if manage("migrate", "-v", "0", role=cluster.OWNER) or manage("load_demo"):
            sys.exit("The demo could not be loaded.")
        yield
    finally:
        if before is None:
            del os.environ["POIETIC_DB_NAME"]
        else:
            os.environ["POIETIC_DB_NAME"] = before
        with cluster.as_superuser() as administration:
            administration.execute(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)")


@contextmanager
def served_demo(name: str) -> Iterator[str]:
    """Serve such a database and yield the address."""
    with scratch_database(name):
        port = cluster.free_port(FIRST_PORT)
        server = begin_server(port)
        try:
            if not answers(port, server):
                sys.exit("The server did not begin to answer.")
            yield f"http://127.0.0.1:{port}"
        finally:
            processes.end(server)
