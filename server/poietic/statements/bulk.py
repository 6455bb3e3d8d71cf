"""Many rows in one statement: a column is an array, whatever the number of rows."""

from collections.abc import Iterable, Sequence
from decimal import Decimal
from functools import cache

from django.db import connection
from django.db.models import Model

from .prepared import column_of, planned_once

Row = Sequence[object]


def insert_rows(model: type[Model], fields: tuple[str, ...], rows: Sequence[Row]) -> list[int]:
    """Append rows and return their keys, in the order of the rows."""
    if not rows:
        return []
    with planned_once() as cursor:
        cursor.execute(_insertion(model, fields), _arrays(rows))
        return [row[0] for row in cursor.fetchall()]


def update_rows(model: type[Model], fields: tuple[str, ...], rows: Sequence[Row]) -> None:
    """Change rows that are there; the first field is the key."""
    if not rows:
        return
    with planned_once() as cursor:
        cursor.execute(_change(model, fields), _arrays(rows))


def upsert_rows(
    model: type[Model], key: tuple[str, ...], fields: tuple[str, ...], rows: Iterable[Row]
) -> None:
    """Change rows told apart by `key`, which come first, and make those that are not there."""
    listed = list(rows)
    if not listed:
        return
    with planned_once() as cursor:
        cursor.execute(_upsertion(model, key, fields), _arrays(listed))


def _arrays(rows: Sequence[Row]) -> list[list[object]]:
    return [_of_one_type(column) for column in zip(*rows, strict=True)]


def _of_one_type(column: Row) -> list[object]:
    """Return a column whose whole numbers are decimals where others are: an array has one type."""
    if any(isinstance(v, Decimal) for v in column):
        return [Decimal(v) if isinstance(v, int) else v for v in column]
    return list(column)


@cache
def _insertion(model: type[Model], fields: tuple[str, ...]) -> str:
    table, columns, arrays = _parts(model, fields)
    key = connection.ops.quote_name(column_of(model, "pk"))
    return (
        f"INSERT INTO {table} ({', '.join(columns)}) SELECT {', '.join(columns)} "
        f"FROM unnest({', '.join(arrays)}) WITH ORDINALITY AS given({', '.join(columns)}, n) "
        f"ORDER BY n RETURNING {key}"
    )


@cache
def _change(model: type[Model], fields: tuple[str, ...]) -> str:
    table, columns, arrays = _parts(model, fields)
    key, *changed = columns
    return (
        f"UPDATE {table} SET {', '.join(f'{c} = given.{c}' for c in changed)} "
        f"FROM unnest({', '.join(arrays)}) AS given({', '.join(columns)}) "
        f"WHERE {table}.{key} = given.{key}"
    )


@cache
def _upsertion(model: type[Model], key: tuple[str, ...], fields: tuple[str, ...]) -> str:
    table, columns, arrays = _parts(model, key + fields)
    keys, changed = columns[: len(key)], columns[len(key) :]
    return (
        f"INSERT INTO {table} ({', '.join(columns)}) SELECT * FROM unnest({', '.join(arrays)}) "
        f"ON CONFLICT ({', '.join(keys)}) DO UPDATE SET "
        f"{', '.join(f'{c} = excluded.{c}' for c in changed)}"
    )


def _parts(model: type[Model], fields: tuple[str, ...]) -> tuple[str, list[str], list[str]]:
    """Return the table, its columns of some fields, and a place for an array of each."""
    quote = connection.ops.quote_name
    found = [model._meta.get_field(name) for name in fields]
    types = [str(f.db_type(connection)).split("(")[0] for f in found]
    columns = [quote(column_of(model, name)) for name in fields]
    return quote(model._meta.db_table), columns, [f"%s::{kind}[]" for kind in types]
