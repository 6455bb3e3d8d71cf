"""Sets of standards written and read as wholes: there may be a hundred thousand in one."""

import gc
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from decimal import Decimal

from django.db import connection
from poietic_core.cost.arrays import ArraySet, merged, pack
from poietic_core.cost.rollup import RollUp
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
#: standards after which progress is told
OFTEN = 2_000


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


def store_standards(
    context: Context,
    cost_set: CostSet,
    rolled: RollUp,
    before: CostSet | None,
    only: set[str] | None = None,
) -> None:
    """Write the rows of a new set: what was rolled, and what stays as it was in the set before.

    `only` names the items that were rolled upon the standards of all others.
    """
    keys = dict(Item.objects.values_list("code", "pk"))
    codes = [c for c in sorted(rolled.costs) if only is None or c in only]
    made_with = {item: code for code, basis in rolled.bases.items() for item in beside(basis)}
    writer = BasisWriter()
    with connection.cursor() as cursor:
        with cursor.copy(STORE, writer=QueuedLibpqWriter(cursor.cursor)) as copy:
            for n, code in enumerate(codes):
                cost, basis = rolled.costs[code].cost, rolled.bases.get(code)
                told = writer.write(basis) if basis else ""
                copy.write_row(
                    (cost_set.pk, keys[code], cost.total(), cost_to_json(cost), told, made_with.get(code, ""))
                )  # fmt: skip
                if n % OFTEN == 0:
                    context.progress("storing the standards", n, len(codes))
        kept = 0
        if before:
            cursor.execute(KEEP, [cost_set.pk, before.pk, [keys[c] for c in codes]])
            kept = cursor.rowcount
    made = rolled.bases.keys() | made_with.keys()
    bought = {c: rolled.costs[c].price for c in codes if c not in made}
    bases = {c: rolled.bases[c] for c in codes if c in rolled.bases}
    arrays = pack(bases, bought)
    if before and kept:
        arrays = merged(arrays_of(before), arrays)
    SetArrays.objects.create(cost_set=cost_set, data=arrays.to_bytes())


_ARRAYS: Kept[int, ArraySet] = Kept(4)


def arrays_of(cost_set: CostSet) -> ArraySet:
    """Return a stored set in arrays; one from before they were stored is read row by row."""
    return _ARRAYS.get_or(cost_set.pk, lambda: _read_arrays(cost_set))


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
