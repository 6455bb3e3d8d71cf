"""Sets of standards written and read as wholes: there may be a hundred thousand in one."""

import gc
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from datetime import datetime
from decimal import Decimal
from typing import Any, NamedTuple

from django.db import connection
from poietic_core.cost.arrays import ArraySet, Packed, assembled, pack, packed
from poietic_core.cost.rollup import Missing, Rolling
from poietic_core.cost.screen import merged
from poietic_core.cost.sets import beside
from psycopg import Cursor

from ..catalog.models import Item
from ..commanding.registry import Context
from ..web_api.kept import Kept
from .basis import basis_to_json, cost_to_json
from .frozen import costed_structures
from .models import CostSet, SetArrays, Standard

STORE = """
COPY costing_standard (cost_set_id, rolled_in_id, item_id, total, cost, basis, made_with) FROM STDIN
"""
STORE_ARRAYS = "COPY costing_setarrays (cost_set_id, data) FROM STDIN (FORMAT BINARY)"
KEEP = """
INSERT INTO costing_standard (cost_set_id, rolled_in_id, item_id, total, cost, basis, made_with)
SELECT %s, rolled_in_id, item_id, total, cost, basis, made_with FROM costing_standard
WHERE cost_set_id = %s AND item_id <> ALL(%s)
"""


@contextmanager
def without_collector() -> Iterator[None]:
    """Keep the collector of cycles out: it would walk millions of objects again and again, for none."""
    gc.disable()
    try:
        yield
    finally:
        gc.enable()


def totals_of(cost_set: CostSet | None, items: Iterable[Item] | None = None) -> dict[int, Decimal]:
    """Return the standards of a set by item key [money/unit]; of all items where none are named."""
    rows = Standard.objects.filter(cost_set=cost_set)
    if items is not None:
        rows = rows.filter(item__in=list(items))
    return dict(rows.values_list("item_id", "total"))


#: a row of the table, by column
Values = tuple[int | str | Decimal, ...]


class Row(NamedTuple):
    """A standard as it is written."""

    code: str
    total: Decimal
    cost: str
    #: empty where it has none of its own
    basis: str
    made_with: str


def store_rolled(
    context: Context, cost_set: CostSet, rolling: Rolling, before: CostSet | None
) -> list[Missing]:
    """Roll up and write a new set, and return what keeps items from a standard.

    A piece at a time, so that nothing is held that is written; what wasn't rolled stays as it
    was in the set before.
    """
    keys = dict(Item.objects.values_list("code", "pk"))
    parts: list[Packed] = []
    bought: dict[str, Decimal] = {}
    written: list[int] = []
    with connection.cursor() as cursor, _writing(cursor.cursor) as write:
        for codes in rolling.pieces():
            rolling.bases.clear()
            rolling.roll(codes)
            rows = list(_rows(rolling, codes))
            write([(cost_set.pk, cost_set.pk, keys[row.code], *row[1:]) for row in rows])
            written += [keys[row.code] for row in rows]
            bought |= {row.code: row.total for row in rows if not (row.basis or row.made_with)}
            made = list(rolling.bases)
            parts.append(packed(rolling.bases, rolling.at, rolling.materials.packed(made)))
            context.progress("rolling up the standards", len(written), len(rolling.items))
    with connection.cursor() as cursor:
        kept = 0
        if before:
            cursor.execute(KEEP, [cost_set.pk, before.pk, written])
            kept = cursor.rowcount
    arrays = assembled(rolling.at, bought, parts)
    if before and kept:
        arrays = merged(arrays_of(before), arrays)
    with connection.cursor() as cursor, cursor.copy(STORE_ARRAYS) as copy:
        copy.set_types(["int8", "bytea"])
        copy.write_row((cost_set.pk, arrays.to_bytes()))
    return rolling.missing


@contextmanager
def _writing(cursor: Cursor[Any]) -> Iterator[Callable[[list[Values]], None]]:
    """Give what writes rows from a thread of its own: the database takes them in, and checks them, meanwhile."""

    def copy(rows: list[Values]) -> None:
        with cursor.copy(STORE) as taking:
            for row in rows:
                taking.write_row(row)

    def settle() -> None:
        with connection.wrap_database_errors:  # what went wrong is told as everywhere
            while under_way:
                under_way.pop().result()

    def write(rows: list[Values]) -> None:
        settle()  # at most one piece waits, so that nothing piles up
        under_way.append(thread.submit(copy, rows))

    under_way: list[Future[None]] = []
    cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
    with ThreadPoolExecutor(1) as thread:
        yield write
        settle()
    cursor.execute("SET CONSTRAINTS ALL DEFERRED")


def _rows(rolling: Rolling, codes: Sequence[str]) -> Iterator[Row]:
    """Yield what is to be written of a piece that was rolled: what is made beside an item with it."""
    costs, bases = rolling.costs, rolling.bases
    made_with = {item: code for code, basis in bases.items() for item in beside(basis)}
    for code in (*codes, *made_with):
        cost = costs.get(code)
        if cost and (code in bases or code in made_with or not cost.is_made):
            made = bases.get(code)
            basis = basis_to_json(made, rolling.materials.lines(code)) if made else ""
            yield Row(code, cost.price, cost_to_json(cost.cost), basis, made_with.get(code, ""))


#: by the key of a set and when it was frozen: a database that begins anew counts anew
_ARRAYS: Kept[tuple[int, datetime], ArraySet] = Kept(4)


def arrays_of(cost_set: CostSet) -> ArraySet:
    """Return a stored set in arrays; one from before they were stored is read row by row."""
    key = (cost_set.pk, cost_set.frozen_at)
    return _ARRAYS.get_or(key, lambda: _read_arrays(cost_set))


def _read_arrays(cost_set: CostSet) -> ArraySet:
    stored = SetArrays.objects.filter(cost_set=cost_set).first()
    if stored:
        return ArraySet.from_bytes(bytes(stored.data))
    rows = Standard.objects.filter(cost_set=cost_set, made_with="").select_related("item")
    standards = list(rows)
    structures = costed_structures(standards)
    return pack(
        {s.item.code: structures[s.pk] for s in standards if s.pk in structures},
        {s.item.code: s.total for s in standards if s.pk not in structures},
    )


def forget(cost_set: CostSet) -> None:
    """Delete a set with its standards, which nothing may stand on."""
    for rows in (
        SetArrays.objects.filter(cost_set=cost_set),
        Standard.objects.filter(cost_set=cost_set),
        CostSet.objects.filter(pk=cost_set.pk),
    ):
        rows._raw_delete(rows.db)  # one statement: the database itself refuses what is used
