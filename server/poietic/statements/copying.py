"""Very many rows at once: PostgreSQL's binary COPY, straight out of arrays."""

from collections.abc import Mapping
from datetime import date

import numpy as np
from django.db import connection
from django.db.models import Model
from numpy.typing import NDArray

from .prepared import column_of

#: before the first row, and after the last (PostgreSQL, COPY, "Binary Format")
HEAD, TAIL = b"PGCOPY\n\xff\r\n\x00" + bytes(8), b"\xff\xff"
#: days are counted from there
EPOCH = date(2000, 1, 1).toordinal()
Column = NDArray[np.generic] | str


def days_of(dates: list[date]) -> NDArray[np.int32]:
    """Return days as the database counts them."""
    return np.array([d.toordinal() - EPOCH for d in dates], dtype=np.int32)


def copy_rows(model: type[Model], columns: Mapping[str, Column], count: int) -> None:
    """Append rows whose columns are arrays of whole numbers, or one text for all of them.

    Parameters
    ----------
    columns : by field: int64 for bigint, int32 for integer and date (as `days_of`), or a text
    count : of rows

    Notes
    -----
    Each row is as long as the others, so that all of them are one structured array.
    """
    kinds: list[tuple[str, str]] = [("fields", ">i2")]
    for name, column in columns.items():
        kind = f"S{max(1, len(column))}" if isinstance(column, str) else f">i{column.itemsize}"
        kinds += [(f"length {name}", ">i4")]
        if not (isinstance(column, str) and not column):
            kinds += [(name, kind)]
    rows = np.zeros(count, dtype=kinds)
    rows["fields"] = len(columns)
    for name, column in columns.items():
        rows[f"length {name}"] = len(column) if isinstance(column, str) else column.itemsize
        if not isinstance(column, str):
            rows[name] = column
        elif column:
            rows[name] = column.encode("ascii")
    quote = connection.ops.quote_name
    named = ", ".join(quote(column_of(model, name)) for name in columns)
    with connection.cursor() as cursor:
        statement = f"COPY {quote(model._meta.db_table)} ({named}) FROM STDIN (FORMAT BINARY)"
        with cursor.copy(statement) as copy:
            copy.write(HEAD + rows.tobytes() + TAIL)
