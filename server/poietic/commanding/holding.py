"""Waiting for others: how long, for whom, and how many may wait at once."""

from collections.abc import Iterator
from contextlib import contextmanager
from threading import BoundedSemaphore

from django.apps import apps
from django.contrib.auth.models import AbstractBaseUser
from django.db import connection
from django.db.utils import OperationalError

from .errors import Busy

#: of the connections of a server process, those that commands may take: reads never run out of them
AT_ONCE = 8
TURN_SECONDS = 8.0
#: what a transaction that carries out a command is called; other names are of the tools
MARK = "poietic: "
_turns = BoundedSemaphore(AT_ONCE)

HOLDERS = """
SELECT a.application_name, a.xact_start FROM pg_stat_activity a
WHERE a.datname = current_database() AND a.pid <> pg_backend_pid()
  AND a.application_name LIKE %s AND a.xact_start IS NOT NULL
ORDER BY
  EXISTS (SELECT FROM pg_locks l WHERE l.pid = a.pid AND l.granted AND l.relation = to_regclass(nullif(%s, ''))) DESC,
  a.wait_event_type IS NOT DISTINCT FROM 'Lock', a.xact_start
LIMIT 1
"""


def let_go() -> None:
    """Give the connection to the database back before waiting for something else."""
    if not connection.in_atomic_block:
        connection.close()


@contextmanager
def turn() -> Iterator[None]:
    """Let a command begin when few enough are at work; who waits keeps no connection meanwhile."""
    if not _turns.acquire(blocking=False):
        let_go()
        if not _turns.acquire(timeout=TURN_SECONDS):
            raise Busy("many things at once", "Too many commands wait for each other")
    try:
        yield
    finally:
        _turns.release()


def say_who(title: str, person: AbstractBaseUser | None, waits: str, key: str = "") -> int:
    """Name the transaction for those who wait for it, bound how long it waits, and wait for its key.

    Returns the number of the change that it will make.
    """
    name = f"{MARK}{title} by {person or 'the system'}".encode()[:60].decode(errors="ignore")
    with connection.cursor() as cursor:
        cursor.execute(
            "WITH said AS MATERIALIZED (SELECT set_config('application_name', %s, true), "
            "set_config('lock_timeout', %s, true)) "
            "SELECT CASE WHEN %s <> '' THEN pg_advisory_xact_lock(hashtextextended(%s, 0)) END, "
            "nextval('commanding_change') FROM said",
            [name, waits, key, key],
        )
        change: int = cursor.fetchone()[1]
        return change


def who_holds(err: OperationalError) -> Busy:
    """Return who holds what a command waited for in vain, what it is, and since when.

    The transaction that waited is over; whoever now holds locks on the same table, and waits for
    nobody, is named: the one that began first.
    """
    said = getattr(err.__cause__, "diag", None)
    context = (said and said.context) or ""
    table = context.partition('relation "')[2].partition('"')[0]
    with connection.cursor() as cursor:
        cursor.execute(HOLDERS, [f"{MARK}%", table])
        row = cursor.fetchone()
    models = (m for m in apps.get_models() if m._meta.db_table == table)
    what = next((f"the {m._meta.verbose_name_plural}" for m in models), "the same things")
    if row is None:
        return Busy(what, "Whoever it was is done by now")
    return Busy(what, f"{row[0].removeprefix(MARK)} goes on since {row[1]:%H:%M:%S} UTC")
