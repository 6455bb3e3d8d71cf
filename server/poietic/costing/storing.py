"""Sets of standards written and read as wholes: there may be a hundred thousand in one."""

import gc
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from decimal import Decimal
from typing import NamedTuple

from django.db import connection
from poietic_core.cost.arrays import ArraySet, Packed, assembled, pack, packed, positions
from poietic_core.cost.rollup import Missing, Rolling
from poietic_core.cost.screen import merged
from poietic_core.cost.sets import beside
from psycopg.copy import QueuedLibpqWriter

from ..catalog.models import Item
from ..commanding.registry import Context
from ..web_api.kept import Kept
from .basis import BasisWriter, cost_to_json, structure_from_json
from .models import CostSet, SetArrays, Standard

STORE = "COPY costing_standard (cost_set_id, item_id, total, cost, basis, made_with) FROM STDIN"
KEEP = """
INSERT INTO costing_standard (cost_set_id, item_id, total, cost, basis, made_with)
SELECT %s, item_id, total, cost, basis, made_with FROM costing_standard
WHERE cost_set_id = %s AND item_id <> ALL(%s)
"""


#: items that are rolled up and written together
AT_ONCE = 500


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


class Row(NamedTuple):
    """A standard as it is written."""

    code: str
    total: Decimal
    cost: str
    #: empty where it has none of its own
    basis: str
    made_with: str


class Part(NamedTuple):
    """What the roll-up of some items of a level gave."""

    rows: list[Row]
    missing: list[Missing]
    packed: Packed


def store_rolled(
    context: Context, cost_set: CostSet, rolling: Rolling, before: CostSet | None
) -> list[Missing]:
    """Roll up and write a new set, and return what keeps items from a standard.

    Level by level, so that the database writes meanwhile and nothing is held that is written;
    what wasn't rolled stays as it was in the set before.
    """
    keys = dict(Item.objects.values_list("code", "pk"))
    at, writer = positions(rolling.names()), BasisWriter()
    missing: list[Missing] = []
    parts: list[Packed] = []
    bought: dict[str, Decimal] = {}
    written: list[int] = []
    with connection.cursor() as cursor:
        with cursor.copy(STORE, writer=QueuedLibpqWriter(cursor.cursor)) as copy:
            for codes in _pieces(rolling.levels()):
                part = _roll(rolling, codes, at, writer)
                for row in part.rows:
                    copy.write_row((cost_set.pk, keys[row.code], *row[1:]))
                    written.append(keys[row.code])
                    if not (row.basis or row.made_with):
                        bought[row.code] = row.total
                missing += part.missing
                parts.append(part.packed)
                context.progress("rolling up the standards", len(written), len(rolling.items))
        kept = 0
        if before:
            cursor.execute(KEEP, [cost_set.pk, before.pk, written])
            kept = cursor.rowcount
    arrays = assembled(at, bought, parts)
    if before and kept:
        arrays = merged(arrays_of(before), arrays)
    SetArrays.objects.create(cost_set=cost_set, data=arrays.to_bytes())
    return missing


def _pieces(levels: Iterable[Sequence[str]]) -> Iterator[Sequence[str]]:
    """Yield the items of each level a few at a time: what is made of them stays near the processor."""
    for level in levels:
        for begin in range(0, len(level), AT_ONCE):
            yield level[begin : begin + AT_ONCE]


def _roll(rolling: Rolling, codes: Sequence[str], at: dict[str, int], writer: BasisWriter) -> Part:
    """Roll up some items of a level, and lay out what is to be written of them."""
    rolling.bases.clear()
    rolling.missing.clear()
    for code in codes:
        rolling.roll(code)
    costs, bases = rolling.costs, rolling.bases
    made_with = {item: code for code, basis in bases.items() for item in beside(basis)}
    rolled = [c for c in (*codes, *made_with) if c in costs and c in rolling.items]
    rows = [
        Row(
            code,
            costs[code].price,
            cost_to_json(costs[code].cost),
            writer.write(bases[code]) if code in bases else "",
            made_with.get(code, ""),
        )
        for code in rolled
        if code in bases or code in made_with or not costs[code].is_made
    ]
    return Part(rows, list(rolling.missing), packed(bases, at))


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
    rows = Standard.objects.filter(cost_set=cost_set, made_with="")
    read = list(rows.values_list("item__code", "total", "basis"))
    return pack(
        {code: structure_from_json(basis) for code, _, basis in read if basis},
        {code: total for code, total, basis in read if not basis},
    )


def forget(cost_set: CostSet) -> None:
    """Delete a set with its standards, which nothing may stand on."""
    SetArrays.objects.filter(cost_set=cost_set).delete()
    standards = Standard.objects.filter(cost_set=cost_set)
    standards._raw_delete(standards.db)  # one statement: the database itself refuses what is used
    cost_set.delete()
