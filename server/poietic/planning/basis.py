"""What the last plan was made of, and which items have to be netted again because something of them is otherwise now."""

import io
from dataclasses import dataclass

import numpy as np
from django.db import connection
from numpy.typing import NDArray
from poietic_core.planning.netting import Ints, Policy

from ..statements.copying import days_of
from .models import PlanBasis, PlanRun
from .reading import Floats, Keys, Read

#: demand or supply of these changed since they were planned; asked before anything is read, so that
#: what changes meanwhile stays noted
TAKE = "WITH taken AS (DELETE FROM planning_stirred RETURNING item) SELECT DISTINCT item FROM taken"


@dataclass(frozen=True)
class Basis:
    """What a plan was made of: its items sorted by key."""

    keys: Keys
    level: Ints
    #: shape (n, facts): stock, policy and what else is told of an item
    facts: Floats
    #: of all lines: user, used, how much, and in which way (1: it comes beside)
    lines: Floats
    #: item, first period in which it may not be used, how much
    expiring: Floats
    #: item and how many of its supplies nobody knows the day of
    undated: Floats
    #: item, period, quantity
    lots: Floats
    days: NDArray[np.int32]

    @classmethod
    def of(cls, read: Read, lots: Floats) -> "Basis":
        """Return what was read, and the lots that are proposed by row and period."""
        works, keys = read.works, read.keys
        order = np.argsort(keys)
        level = np.repeat(np.arange(len(works.levels) - 1), np.diff(works.levels))
        rows, periods = np.nonzero(lots)
        expiring = [(keys[r], *part) for r, own in sorted(works.expiring.items()) for part in own]
        undated = [(keys[r], count) for r, count in sorted(read.undated.items())]
        return cls(
            keys=keys[order],
            level=level[order],
            facts=_facts(read)[order],
            lines=_lines(read),
            expiring=np.array(expiring, dtype=np.float64).reshape(-1, 3),
            undated=np.array(undated, dtype=np.float64).reshape(-1, 2),
            lots=np.column_stack([keys[rows], periods, lots[rows, periods]]).astype(np.float64),
            days=days_of(read.days),
        )

    @classmethod
    def kept(cls, run: PlanRun) -> "Basis | None":
        """Return what a plan was made of."""
        found = PlanBasis.objects.filter(run=run).first()
        if found is None:
            return None
        arrays = np.load(io.BytesIO(found.arrays), allow_pickle=False)
        return cls(**{name: arrays[name] for name in cls.__dataclass_fields__})

    def keep(self, run: PlanRun) -> None:
        """Keep it for the plan; what earlier ones were made of is not asked for any more."""
        packed = io.BytesIO()
        np.savez(packed, **{name: getattr(self, name) for name in self.__dataclass_fields__})
        PlanBasis.objects.all().delete()
        PlanBasis.objects.create(run=run, arrays=packed.getvalue())

    def is_like(self, now: "Basis") -> bool:
        """Tell whether both are of the same days and sites, so that they can be told apart item by item."""
        same = np.array_equal(self.days, now.days)
        return same and self.facts.shape[1] == now.facts.shape[1] and self.keys.size > 0

    def lots_of(self, read: Read) -> Floats:
        """Return its lots by the rows and periods of what is read now."""
        lots = np.zeros_like(read.works.demand)
        keys, periods = self.lots[:, 0].astype(np.int64), self.lots[:, 1].astype(np.int64)
        lots[_rows(read, keys), periods] = self.lots[:, 2]
        return lots

    def undated_of(self, read: Read) -> dict[int, int]:
        """Return by the rows of what is read now how many of their supplies nobody knows the day of."""
        rows = _rows(read, self.undated[:, 0].astype(np.int64)).tolist()
        return dict(zip(rows, self.undated[:, 1].astype(int).tolist(), strict=True))

    def changed(self, now: "Basis", read: Read, noted: Keys) -> Ints:
        """Return the rows of which something is otherwise now: what is noted, and what the two tell apart.

        What users are made of in another way, or ordered sooner, changes what is wanted of their components.
        """
        at = np.searchsorted(self.keys, now.keys)
        is_new = np.append(self.keys, -1)[at] != now.keys
        at = np.where(is_new, 0, at)
        is_other = is_new | (self.level[at] != now.level)
        passes_on = is_other | (self.facts[at, :PASSING] != now.facts[:, :PASSING]).any(axis=1)
        differ = passes_on | (self.facts[at] != now.facts).any(axis=1)
        users = np.isin(now.lines[:, 0].astype(np.int64), now.keys[passes_on])
        comes_of = (now.lines[:, 3] == 1) & np.isin(now.lines[:, 0].astype(np.int64), noted)
        keys = [
            now.keys[differ],
            now.lines[users | comes_of, 1].astype(np.int64),
            _apart(self.lines, now.lines)[:, 1].astype(np.int64),
            _apart(self.expiring, now.expiring)[:, 0].astype(np.int64),
            noted,
        ]
        found = np.unique(np.concatenate(keys))
        return np.sort(_rows(read, found[np.isin(found, now.keys)]))


#: the first facts decide what an item's lots are of its components: its lead time
PASSING = 1


def _facts(read: Read) -> Floats:
    p = read.works.policy
    columns = [p.lead, *(getattr(p, n) for n in Policy.__slots__ if n != "lead"), read.works.on_hand, read.passes, read.most]  # fmt: skip
    at_sites = [[read.at_sites.get(k, {}).get(s, 0) for k in read.keys.tolist()] for s in read.ways]
    ways = [np.full(read.keys.size, way) for way in read.ways.values()]
    return np.column_stack([np.asarray(c, dtype=np.float64) for c in (*columns, *at_sites, *ways)])


def _lines(read: Read) -> Floats:
    parts = []
    for way, lines in enumerate((read.works.uses, read.works.gives)):
        if lines is not None:
            told = lines.tocoo()
            parts.append(np.column_stack([read.keys[told.row], read.keys[told.col], told.data, np.full(told.nnz, way)]))  # fmt: skip
    return np.concatenate(parts).astype(np.float64)


def _apart(ours: Floats, theirs: Floats) -> Floats:
    """Return the rows that only one of the two has."""
    if np.array_equal(ours, theirs):
        return ours[:0]
    rows, count = np.unique(np.concatenate([ours, theirs]), axis=0, return_counts=True)
    return np.asarray(rows[count == 1])


def _rows(read: Read, keys: Keys) -> Ints:
    order = np.argsort(read.keys)
    return order[np.searchsorted(read.keys[order], keys)]


def take_stirred() -> Keys:
    """Return the items of which demand or supply changed since the last plan, and note nothing of them any more."""
    with connection.cursor() as cursor:
        cursor.execute(TAKE)
        return np.array([row[0] for row in cursor.fetchall()], dtype=np.int64)
