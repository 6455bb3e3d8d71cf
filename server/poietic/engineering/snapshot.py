"""The plant's graph loaded in one statement, as arrays."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

import numpy as np
from django.db import connection
from numpy.typing import NDArray
from poietic_core.structure.explode import CycleFound
from poietic_core.structure.plant import Plant, low_level_codes
from poietic_core.structure.requirement import entering_for_one, need_per_good_unit

from ..catalog.models import Item
from .models import Revision
from .queries import in_force
from .structures import structures_of

#: lines whose need is simply their quantity, packed into three byte strings
PACKED = """
SELECT string_agg(int8send(r.item_id), ''), string_agg(int8send(c.item_id), ''),
       string_agg(float8send((c.quantity * (1 + c.allowance) / r.batch_quantity)::float8), '')
FROM engineering_componentrow c JOIN engineering_revision r ON r.id = c.revision_id
WHERE r.id = ANY(%s)
"""
#: revisions with a yield, branches, sizes, units, fixed lines or effectivity: worked out one by one
OTHERS = """
SELECT revision_id FROM engineering_operationrow WHERE yield_share <> 1
UNION SELECT revision_id FROM engineering_componentrow
  WHERE per <> 'unit' OR unit <> '' OR measured_by <> ''
     OR effective_from IS NOT NULL OR effective_until IS NOT NULL
"""


#: the lines of revisions, as item and component
GRAPH = """
SELECT string_agg(int8send(r.item_id), ''), string_agg(int8send(c.item_id), '')
FROM engineering_componentrow c JOIN engineering_revision r ON r.id = c.revision_id
WHERE r.id = ANY(%s)
"""


def refuse_loops(day: date) -> None:
    """Refuse a plant in which an item is a part of itself, with the whole loop: CycleFound.

    Ask only with the graph guarded.
    """
    with connection.cursor() as cursor:
        cursor.execute(GRAPH, [list(in_force(day).order_by().values_list("pk", flat=True))])
        parents, children = (np.frombuffer(bytes(c or b""), dtype=">i8") for c in cursor.fetchone())
    keys = np.unique(np.concatenate([parents, children]))
    parents, children = (np.searchsorted(keys, c).astype(np.int32) for c in (parents, children))
    try:
        low_level_codes(parents, children, keys.size)
    except CycleFound as found:
        inside = [int(keys[int(n)]) for n in found.loop]
        codes = dict(Item.objects.filter(pk__in=inside).values_list("pk", "code"))
        raise CycleFound([codes[pk] for pk in inside]) from None


@dataclass(frozen=True)
class Snapshot:
    """The plant as arrays, with the items' keys by position."""

    plant: Plant
    #: item keys, sorted: the position of an item is where its key stands
    keys: NDArray[np.int64]

    def position(self, key: int) -> int:
        """Return the position of an item."""
        return int(np.searchsorted(self.keys, key))


@dataclass(frozen=True)
class Graph:
    """The lines of all structures in force: positions of item and component, and the need per good unit."""

    keys: NDArray[np.int64]
    parents: NDArray[np.int32]
    children: NDArray[np.int32]
    needs: NDArray[np.float64]


def load_snapshot(day: date) -> Snapshot:
    """Return the structures in force on a day as arrays: needs per good unit, for screening."""
    graph = load_graph(day)
    plant = Plant(graph.parents, graph.children, graph.needs, graph.keys.size)
    return Snapshot(plant, graph.keys)


def load_graph(day: date) -> Graph:
    """Return the lines of all structures in force on a day."""
    standing = np.array(in_force(day).order_by().values_list("pk", flat=True), dtype=np.int64)
    with connection.cursor() as cursor:
        cursor.execute(OTHERS)
        others = np.intersect1d(
            standing, np.array([r[0] for r in cursor.fetchall()], dtype=np.int64)
        )
        plain = np.setdiff1d(standing, others)
        cursor.execute(PACKED, [plain.tolist()])
        parents, children, needs = _unpacked(cursor.fetchone())
        cursor.execute("SELECT id FROM catalog_item ORDER BY id")
        keys = np.array([r[0] for r in cursor.fetchall()], dtype=np.int64)
    if others.size:
        more = _worked_out(others, day)
        parents = np.concatenate([parents, more[0]])
        children = np.concatenate([children, more[1]])
        needs = np.concatenate([needs, more[2]])
    return Graph(
        keys,
        np.searchsorted(keys, parents).astype(np.int32),
        np.searchsorted(keys, children).astype(np.int32),
        needs,
    )


Lines = tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]


def _unpacked(row: tuple[bytes | None, ...]) -> Lines:
    parents, children, needs = (bytes(cell or b"") for cell in row)
    return (
        np.frombuffer(parents, dtype=">i8").astype(np.int64),
        np.frombuffer(children, dtype=">i8").astype(np.int64),
        np.frombuffer(needs, dtype=">f8").astype(np.float64),
    )


def _worked_out(revisions: NDArray[np.int64], day: date) -> Lines:
    """Return the lines of revisions whose needs the core has to work out."""
    found: list[tuple[int, int, Decimal]] = []
    rows = Revision.objects.select_related("item").filter(pk__in=revisions.tolist())
    structures = {pk: s.on(day) for pk, s in structures_of(rows).items()}
    codes = {c.item for s in structures.values() for c in s.components}
    keys = dict(Item.objects.filter(code__in=codes).values_list("code", "pk"))
    for revision in rows:
        structure = structures[revision.pk]
        enter = entering_for_one(structure.operations)
        for line in structure.components:
            need = need_per_good_unit(
                structure, line, enter, unit="", standard_lot=revision.item.standard_lot
            )
            found.append((revision.item_id, keys[line.item], need.value))
    return (
        np.array([f[0] for f in found], dtype=np.int64),
        np.array([f[1] for f in found], dtype=np.int64),
        np.array([float(f[2]) for f in found], dtype=np.float64),
    )
