"""The demo's rows, loaded once for a whole run: tests copy them instead of doing a month's work again."""

from collections.abc import Callable
from typing import Any

from django.apps import apps
from django.core.management.color import no_style
from django.db import connection, transaction
from django.db.models import Model
from django.utils import timezone
from poietic.buying.models import Purchase
from poietic.demo import tarn_hollow
from poietic.orders.models import Order
from poietic.selling.models import CustomerOrder

from ops import cluster

SCHEMA = "demo_as_loaded"
#: what people call things by, counted beside their keys
NUMBERS = {
    "orders_number": Order,
    "buying_number": Purchase,
    "selling_number": CustomerOrder,
}
#: what Django keeps there itself in every database
DJANGOS = ("contenttypes", "auth", "sessions", "admin")


def _models() -> list[type[Model]]:
    return [
        m
        for m in apps.get_models(include_auto_created=True)
        if m._meta.managed and m._meta.app_label not in DJANGOS
    ]


def _columns(model: type[Model]) -> str:
    fields = [f for f in model._meta.local_concrete_fields if not f.generated]
    return ", ".join(connection.ops.quote_name(f.column) for f in fields)


def keep() -> None:
    """Load the demo, keep its rows beside the tables, and empty these; numbers go on from there.

    That they do is what tells what a process has kept of one test from what it meets in the next.
    """
    quote = connection.ops.quote_name
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("SELECT to_regnamespace(%s)", [SCHEMA])
        if cursor.fetchone()[0]:
            return
        tarn_hollow.load(timezone.localdate())
        _analyze(
            cursor.execute
        )  # what the database was told of empty tables would make it check for a minute
        cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
        cursor.execute(f"CREATE SCHEMA {SCHEMA}")
        tables = [m._meta.db_table for m in _models()]
        for model in _models():
            table = quote(model._meta.db_table)
            cursor.execute(
                f"CREATE TABLE {SCHEMA}.{table} AS SELECT {_columns(model)} FROM {table}"
            )
        cursor.execute(f"TRUNCATE {', '.join(map(quote, tables))}")
        cursor.execute("SET CONSTRAINTS ALL DEFERRED")


def load() -> None:
    """Fill the empty tables with the demo."""
    keep()
    with transaction.atomic(), connection.cursor() as cursor:
        _fill(cursor.execute)


def load_at_once() -> None:
    """Do the same where nothing is rolled back: no trigger need look at rows that it let pass before."""
    keep()
    with cluster.as_superuser(str(connection.settings_dict["NAME"])) as keeper, keeper.transaction():  # fmt: skip
        keeper.execute("SET LOCAL session_replication_role = replica")
        _fill(keeper.execute)


def _analyze(execute: Callable[[Any], Any]) -> None:
    """Tell the database how full the tables are, as it would find out itself in time."""
    execute("ANALYZE " + ", ".join(connection.ops.quote_name(m._meta.db_table) for m in _models()))


def _fill(execute: Callable[[Any], Any]) -> None:
    quote = connection.ops.quote_name
    for model in _models():
        table, columns = quote(model._meta.db_table), _columns(model)
        execute(f"INSERT INTO {table} ({columns}) SELECT {columns} FROM {SCHEMA}.{table}")
    _analyze(execute)
    for statement in connection.ops.sequence_reset_sql(no_style(), _models()):
        execute(statement)
    for sequence, model in NUMBERS.items():  # a test that migrates to and fro begins them anew
        execute(f"SELECT setval('{sequence}', max(number)) FROM {quote(model._meta.db_table)}")
