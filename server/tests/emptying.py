"""The tables emptied after a test that could not be rolled back."""

from functools import cache

from django.core.management import call_command
from django.db import connection
from django.test import TransactionTestCase

from ops import cluster

#: what the rows of a test may take: more is emptied by making each table's file anew [bytes]
SMALL = 30_000_000


def empty(test: TransactionTestCase) -> None:
    """Empty all tables, and write nothing of Django's own into them again: nothing uses it.

    Few rows are deleted where they are: files for some hundred tables and their indexes cost a second
    or two, and nearly all of them are empty.
    """
    with cluster.as_superuser(str(connection.settings_dict["NAME"])) as keeper:
        full = [str(table) for (table,) in keeper.execute(_which_are_full()).fetchall()]
        sizes = keeper.execute(
            "SELECT sum(pg_relation_size(t::regclass)) FROM unnest(%s::text[]) t", [full]
        )
        if int(str((sizes.fetchone() or [0])[0] or 0)) < SMALL:
            keeper.execute(
                "SET session_replication_role = replica"
            )  # no trigger forbids it or notes it
            keeper.execute("; ".join(f"DELETE FROM {table}" for table in full) or "SELECT")
            return
    call_command(
        "flush", verbosity=0, interactive=False, reset_sequences=False, inhibit_post_migrate=True
    )


@cache
def _which_are_full() -> str:
    """Return the question which tables hold rows: a test changes none of them."""
    tables = (connection.ops.quote_name(t) for t in connection.introspection.django_table_names(only_existing=True))  # fmt: skip
    return " UNION ALL ".join(f"SELECT '{t}' WHERE EXISTS (SELECT FROM {t})" for t in tables)
