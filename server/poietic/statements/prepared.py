"""Questions that are asked with every posting: their SQL is made once, only the values change.

The ORM takes longer to put a statement with joins together than the database to answer it.
"""

from collections.abc import Callable, Iterable
from functools import cache
from typing import Any, Generic, TypeVar, cast

from django.db import connection
from django.db.backends.utils import CursorWrapper
from django.db.models import Model, QuerySet
from django.db.models.query import ModelIterable, get_related_populators
from psycopg import Cursor

R = TypeVar("R")


def planned_once() -> CursorWrapper:
    """Return a cursor whose statements the database plans once for each connection."""
    connection.ensure_connection()
    return connection._prepare_cursor(Cursor(connection.connection))  # type: ignore[no-any-return, attr-defined]


#: stand for the value in the statement that is made once: a number, a text
UNKNOWN, UNKNOWN_TEXT = -(2**31) + 7, "\x1fthe value"


def array_of(numbers: Iterable[object]) -> str:
    """Return whole numbers as the text of an array, whose type the statement says."""
    return "{" + ",".join(map(str, numbers)) + "}"


def lock_keys(model: type[Model], field: str, values: Iterable[int]) -> list[int]:
    """Lock the rows of some values of a whole-number field, in the order of their keys, and return these."""
    with planned_once() as cursor:
        cursor.execute(_locking(model, field), [array_of(values)])
        return [row[0] for row in cursor.fetchall()]


@cache
def _locking(model: type[Model], field: str) -> str:
    quote, meta = connection.ops.quote_name, model._meta
    key, column = quote(column_of(model, "pk")), quote(column_of(model, field))
    return (
        f"SELECT {key} FROM {quote(meta.db_table)} WHERE {column} = ANY(%s::bigint[]) "
        f"ORDER BY {key} FOR NO KEY UPDATE"
    )


def column_of(model: type[Model], field: str) -> str:
    """Return the column of a field; of the key as "pk"."""
    found = model._meta.pk if field == "pk" else model._meta.get_field(field)
    column: str | None = getattr(found, "column", None)
    assert column is not None, f"{field} is no column of {model.__name__}"
    return column


class Prepared(Generic[R]):
    """A query set of one value, a number or a text, or of several numbers through `any_of`.

    Its rows are objects, or tuples where it asks for a list of values.
    """

    def __init__(self, ask: "Callable[[Any], QuerySet[Any, R]]") -> None:
        self._ask = ask
        self._made: tuple[str, list[object], Callable[[tuple[Any, ...]], R]] | None = None

    def of(self, value: int | str) -> list[R]:
        """Return the rows for one value."""
        unknown = UNKNOWN if isinstance(value, int) else UNKNOWN_TEXT
        return self._rows(unknown, value, unknown)

    def of_any(self, values: Iterable[int]) -> list[R]:
        """Return the rows for any of several values."""
        return self._rows(f"{{{UNKNOWN}}}", array_of(values), [UNKNOWN])

    def _rows(self, unknown: object, value: object, asked: object) -> list[R]:
        if self._made is None:
            self._made = self._make(asked)
        sql, params, build = self._made
        with planned_once() as cursor:
            given: list[Any] = [value if p == unknown else p for p in params]
            cursor.execute(sql, given)
            return [build(row) for row in cursor.fetchall()]

    def _make(self, asked: object) -> tuple[str, list[object], Callable[[tuple[Any, ...]], R]]:
        rows = self._ask(asked)
        compiler = rows.query.get_compiler(connection=connection)
        sql, params = compiler.as_sql()
        select, info = compiler.select, compiler.klass_info
        converters = compiler.get_converters([s[0] for s in select])

        def converted(row: tuple[Any, ...]) -> tuple[Any, ...]:
            return tuple(next(iter(compiler.apply_converters([row], converters))))

        if rows._iterable_class is not ModelIterable:
            told = converted if converters else tuple
            return sql, list(params), cast("Callable[[tuple[Any, ...]], R]", told)
        first, end = info["select_fields"][0], info["select_fields"][-1] + 1
        names = [f[0].target.attname for f in select[first:end]]
        annotated = dict(compiler.annotation_col_map or {})
        related = get_related_populators(info, select, connection.alias)  # type: ignore[call-arg]

        def build(row: tuple[Any, ...]) -> R:
            if converters:
                row = converted(row)
            made = info["model"].from_db(connection.alias, names, row[first:end])
            for populator in related:
                populator.populate(row, made)
            for name, at in annotated.items():
                setattr(made, name, row[at])
            return cast(R, made)

        return sql, list(params), build
