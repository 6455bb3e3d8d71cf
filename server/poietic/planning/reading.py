"""What a planning run reads: the plant's graph, policies, stock, demand and supply, as arrays."""

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Any

import numpy as np
from django.db import connection
from numpy.typing import NDArray
from poietic_core.planning.expiry import left_to_expire
from poietic_core.planning.lot_sizing import LotRule
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.moving import Coming
from poietic_core.planning.netting import RULES, Policy, Works
from scipy.sparse import csr_matrix

from ..buying.future import from_drafts
from ..buying.models import Purchase
from ..buying.prices import first_suppliers
from ..catalog.models import Place
from ..engineering.models import ComponentRow
from ..engineering.queries import in_force
from ..engineering.snapshot import load_graph
from ..stores.future import Future, future_of
from .beside import as_rows, grades_of, levels_of
from .models import Declined
from .uses import given_in_force
from .works_days import works_days

Floats = NDArray[np.float64]
Keys = NDArray[np.int64]
Rows = NDArray[np.int64]
#: what a year of holding a unit costs, as a share of its standard; and what one setup or order costs
#: where the item's operations do not say: common practice, until the works says otherwise
HOLDING_SHARE, ORDERING_COST = 0.2, 40
WORKING_DAYS = 250
#: production and purchase orders that are wanted some days sooner or later are not worth moving
TOLERANCE = 3
COLUMNS = ("key", "rule", "step", "least", "multiple", "days", "lead", "safety", "ordering", "is_phantom", "worth", "is_active", "most")  # fmt: skip
ITEMS = f"""
SELECT i.id, i.lot_rule, i.step, coalesce(i.lot_minimum, 0), coalesce(i.lot_multiple, 0), coalesce(i.lot_days, 1),
  coalesce(i.lead_time_days, 0), coalesce(i.safety_stock, 0), coalesce(i.ordering_cost, {ORDERING_COST}), i.is_phantom::int,
  coalesce(h.standard, h.value / nullif(h.quantity, 0), 0), i.is_active::int, coalesce(i.lot_maximum, 0)
FROM catalog_item i LEFT JOIN ledger_holding h ON h.item_id = i.id ORDER BY i.id
"""
#: what may be left out, or asked for more of, in a what-if
FROM_OUTSIDE = (Source.CUSTOMER, Source.FORECAST)
#: on hand, and neither expired nor held back
USABLE = """
FROM ledger_stockbalance b LEFT JOIN ledger_lot l ON l.id = b.lot_id
JOIN catalog_place p ON p.id = b.place_id AND p.kind IN ('store', 'floor', 'carrier')
WHERE (l.id IS NULL OR l.state = 'usable' AND coalesce(l.expires_on >= %s, true))
"""
#: of all items, or of some; and of all items by site
ON_HAND = f"SELECT b.item_id, sum(b.quantity) {USABLE} AND (%s OR b.item_id = ANY(%s)) GROUP BY 1"
AT_SITES = (
    f"SELECT b.item_id, p.site_id, sum(b.quantity) {USABLE} AND b.quantity <> 0 GROUP BY 1, 2"
)
#: the same that expires: by item, the last day on which a part may be used
EXPIRING = """
SELECT b.item_id, l.expires_on, sum(b.quantity) FROM ledger_stockbalance b
JOIN ledger_lot l ON l.id = b.lot_id AND l.state = 'usable' AND l.expires_on >= %s
JOIN catalog_place p ON p.id = b.place_id AND p.kind IN ('store', 'floor', 'carrier')
WHERE b.quantity > 0 AND (%s OR b.item_id = ANY(%s)) GROUP BY 1, 2
"""


@dataclass(frozen=True)
class Assumed:
    """What a run takes for granted instead of what is so."""

    #: of what customers want and what is foreseen [%]
    demand: Decimal = Decimal(100)
    #: a supplier who sends nothing before a day
    supplier: str = ""
    back_on: date | None = None
    #: a work center that does nothing up to a day
    work_center: str = ""
    closed_until: date | None = None

    def closes(self, work_center: str, day: date) -> bool:
        """Tell whether a work center does nothing on a day."""
        until = self.closed_until
        return until is not None and work_center == self.work_center and day <= until


@dataclass
class Read:
    """What was read, with what tells rows of the arrays and what comes apart."""

    #: its demand and supply are those of the rows that were read so far
    works: Works
    #: what comes of orders by row: its own of the works
    coming: dict[int, list[Coming]]
    #: item keys by row
    keys: Keys
    days: list[date]
    #: rows whose lots pass through to what they are made of: nobody orders them
    passes: NDArray[np.bool_]
    #: by row, what one order is at most [unit]; 0: any
    most: Floats
    #: what is read of suppliers who send nothing, and of what share of demand
    assumed: Assumed
    #: what is not planned, in sentences
    said: list[str] = field(default_factory=list)
    #: what comes, by the key that its moves name
    supplies: list[tuple[int, Supply]] = field(default_factory=list)
    #: sites with stock places, with how long a transfer to each is on its way; empty: there is only one
    ways: dict[int, int] = field(default_factory=dict)
    #: by item and site, what may be used of stock
    at_sites: dict[int, dict[int, Decimal]] = field(default_factory=dict)
    #: by row, what comes and, below zero, what is wanted: site (0: anywhere), period, quantity
    placed: dict[int, list[tuple[int, int, Decimal]]] = field(default_factory=dict)
    #: by row, how much of what comes nobody knows the day of: that is left out
    undated: dict[int, int] = field(default_factory=dict)
    _known: set[int] = field(default_factory=set)

    @property
    def told(self) -> list[str]:
        """Say what is not planned."""
        undated = sum(self.undated.values())
        words = "1 supply" if undated == 1 else f"{undated} supplies"
        told = f"Of {words} nobody knows the day: not counted."
        return [*self.said, told] if undated else self.said

    @cached_property
    def row_of(self) -> dict[int, int]:
        """Return the row of each item."""
        return {key: row for row, key in enumerate(self.keys.tolist())}

    @cached_property
    def held_up(self) -> set[int]:
        """Return the purchase orders of a supplier who is taken to send nothing."""
        if not (self.assumed.supplier and self.assumed.back_on):
            return set()
        rows = Purchase.objects.filter(supplier__code=self.assumed.supplier)
        return set(rows.values_list("number", flat=True))

    def read(self, rows: Rows) -> None:
        """Read what is wanted and on its way of some rows, each once."""
        gives, wanted = self.works.gives, set(rows.tolist())
        edges = [] if gives is None else [e for e in zip(*gives.nonzero(), strict=True) if e[1] in wanted]  # fmt: skip
        fresh = sorted((wanted | {int(giver) for giver, _ in edges}) - self._known)
        self._known.update(fresh)
        for key, future in future_of_all(self.keys[fresh].tolist()).items():
            self._add(key, self.row_of[key], future)
        if gives is not None:
            for giver, given in edges:
                for comes in self.coming.get(int(giver), ()):
                    period = min(len(self.days) - 1, comes.period)
                    self.works.supply[given, period] += comes.quantity * gives[giver, given]

    def _add(self, key: int, row: int, future: Future) -> None:
        works, days, last = self.works, self.days, len(self.days) - 1
        self.undated.pop(row, None)
        placed = self.placed.setdefault(row, []) if self.ways else []
        for wanted, _ in sorted(future.demands, key=lambda told: _in_one_order(told[0])):
            period = max(0, bisect_right(days, wanted.due) - 1)
            share = self.assumed.demand / 100 if wanted.source in FROM_OUTSIDE else Decimal(1)
            if wanted.due <= days[-1]:
                works.demand[row, period] += float(wanted.quantity * share)
                placed.append((wanted.site, period, -wanted.quantity * share))
        for supply, _ in sorted(future.supplies, key=lambda told: _in_one_order(told[0])):
            comes = supply.comes
            if comes is None:
                self.undated[row] = self.undated.get(row, 0) + 1
                continue
            back_on = self.assumed.back_on
            if back_on and supply.source is Source.PURCHASE and supply.number in self.held_up:
                comes = max(comes, back_on)
            if (period := bisect_left(days, comes)) <= last:
                placed.append((supply.site, period, supply.quantity))
            if supply.source is Source.TRANSFER:  # it is on its way
                works.supply[row, min(last, period)] += float(supply.quantity)
                continue
            told = Coming(len(self.supplies), period, float(supply.quantity))
            self.coming.setdefault(row, []).append(told)
            self.supplies.append((key, replace(supply, comes=comes)))


def _in_one_order(one: Demand | Supply) -> tuple[str, int, date, Decimal]:
    """Rank what comes of an item, or is wanted, so that nothing depends on how the database keeps it."""
    day = one.due if isinstance(one, Demand) else one.comes
    return one.source.value, one.number, day or date.max, one.quantity


def future_of_all(items: list[int]) -> dict[int, Future]:
    """Return the future of some items, with what is drafted to suppliers: planning counts on it."""
    found = future_of(items)
    for item, supply, words in from_drafts(items):
        found[item].supplies.append((supply, words))
    return found


def usable_stock_of(day: date, items: list[int] | None = None) -> dict[int, Decimal]:
    """Return what is on hand and may be used on a day, reserved or not: of some items, or of all."""
    with connection.cursor() as cursor:
        cursor.execute(ON_HAND, [day, items is None, items or []])
        return dict(cursor.fetchall())


def expiring_stock(
    day: date, items: list[int] | None = None
) -> dict[int, list[tuple[date, Decimal]]]:
    """Return which parts of usable stock expire after which day: of some items, or of all."""
    found: dict[int, list[tuple[date, Decimal]]] = {}
    with connection.cursor() as cursor:
        cursor.execute(EXPIRING, [day, items is None, items or []])
        for item, last, quantity in cursor.fetchall():
            found.setdefault(item, []).append((last, quantity))
    return found


def expiries(parts: Iterable[tuple[date, Decimal]], demands: Iterable[Demand]) -> list[Demand]:
    """Return which parts of an item's stock will expire unused, as demands of the days after."""
    lots = [(last.toordinal() + 1, q) for last, q in parts]
    wanted = [(d.due.toordinal(), d.quantity) for d in demands]
    return [
        Demand(source=Source.EXPIRY, number=n, due=date.fromordinal(end), quantity=left)
        for n, (end, left) in enumerate(left_to_expire(lots, wanted), 1)
    ]


def read_works(today: date, periods: int, assumed: Assumed, frozen: int = 0) -> Read:
    """Return everything that a run over so many working days is made of, the first of them frozen."""
    read = read_plant(today, periods, assumed, frozen)
    read.read(np.arange(read.keys.size))
    return read


def read_plant(today: date, periods: int, assumed: Assumed, frozen: int = 0) -> Read:
    """Return what a run is made of without what is wanted and on its way: that of each item is read when asked for."""
    days = works_days(today).following(today, periods)
    graph = load_graph(today)
    keys = graph.keys
    grades, others, told = grades_of(today)
    beside = others + given_in_force(today)
    parents = np.concatenate([graph.parents, np.searchsorted(keys, [g[0] for g in grades])]).astype(np.int32)  # fmt: skip
    children = np.concatenate([graph.children, np.searchsorted(keys, [g[1] for g in grades])]).astype(np.int32)  # fmt: skip
    needs = np.concatenate([graph.needs, [1 / g[2] for g in grades]])
    levels, beside = levels_of(keys, parents, children, beside)
    order = np.lexsort((keys, levels))  # rows: by level, in a level by key
    row = np.empty(keys.size, dtype=np.int64)
    row[order] = np.arange(keys.size)
    with connection.cursor() as cursor:
        cursor.execute(ITEMS)
        items = {r[0]: r for r in cursor.fetchall()}
    on_hand = np.zeros(keys.size)
    for key, quantity in usable_stock_of(today).items():
        on_hand[row[int(np.searchsorted(keys, key))]] = float(quantity)
    expiring = {
        int(row[int(np.searchsorted(keys, key))]): ends
        for key, lots in expiring_stock(today).items()
        if (ends := [(bisect_right(days, d), float(q)) for d, q in lots if d < days[-1]])
    }
    bounds = np.searchsorted(levels[order], np.arange(levels.max(initial=0) + 2)).tolist()
    givers, given, each = as_rows(keys, row, beside)
    passing = {g[0] for g in grades}
    ranked = [items[k] for k in keys[order].tolist()]
    declined = list(Declined.objects.filter(until__gt=today).select_related("item"))
    left_out = {d.item_id for d in declined} | {given for _, given, _ in others}
    coming: dict[int, list[Coming]] = {}
    places = Place.objects.filter(kind__in=[Place.Kind.STORE, Place.Kind.FLOOR])
    ways = dict(places.order_by("site").values_list("site", "site__transfer_days").distinct())
    ways = ways if len(ways) > 1 else {}
    works = Works(
        levels=bounds,
        uses=csr_matrix((needs, (row[parents], row[children])), (keys.size, keys.size)),
        gives=csr_matrix((each, (givers, given)), (keys.size, keys.size)) if each.size else None,
        policy=_policy(ranked, passing, left_out, assumed, days),
        on_hand=on_hand,
        demand=np.zeros((keys.size, len(days))),
        supply=np.zeros((keys.size, len(days))),
        coming=coming,
        expiring=expiring,
        tolerance=TOLERANCE,
        frozen=frozen,
    )
    said = [*told, *(f"Of {d.item.code} nothing is proposed before {d.until}: {d.reason}." for d in declined)]  # fmt: skip
    alternates = ComponentRow.objects.filter(revision__in=in_force(today)).exclude(alternates=[])
    if alternates.exists():
        said.append("Alternates are not planned with: which one an order takes is decided by hand.")
    if frozen:
        said.append(f"Nothing new is proposed to be there before {days[frozen]}.")
    return Read(
        works=works,
        coming=coming,
        keys=keys[order],
        days=days,
        passes=np.array([bool(r[9]) or r[0] in passing for r in ranked], dtype=bool),
        most=np.array([float(r[12]) for r in ranked]),
        assumed=assumed,
        said=said,
        ways=ways,
        at_sites=_at_sites(today) if ways else {},
    )


def _at_sites(day: date) -> dict[int, dict[int, Decimal]]:
    """Return what may be used of stock by item and site."""
    found: dict[int, dict[int, Decimal]] = {}
    with connection.cursor() as cursor:
        cursor.execute(AT_SITES, [day])
        for item, site, quantity in cursor.fetchall():
            found.setdefault(item, {})[site] = quantity
    return found


def _policy(
    items: Sequence[tuple[Any, ...]],
    passing: set[int],
    left_out: set[int],
    assumed: Assumed,
    days: list[date],
) -> Policy:
    """Return how items are replenished, in the order of the rows."""
    first = first_suppliers()
    out = bisect_left(days, assumed.back_on) if assumed.back_on else 0
    column = {name: np.array([float(r[n]) for r in items]) for n, name in enumerate(COLUMNS) if n > 1}  # fmt: skip
    passes = np.array([bool(r[9]) or r[0] in passing for r in items], dtype=bool)
    lead = np.where(passes, 0, column["lead"]).astype(np.int64)
    if assumed.supplier and out:
        waits = np.array(
            [first.get(r[0], ("", ""))[0] == assumed.supplier for r in items], dtype=bool
        )
        lead = np.where(waits, np.maximum(lead, out), lead)
    rules = [LotRule.LOT_FOR_LOT if p else LotRule(r[1]) for r, p in zip(items, passes, strict=True)]  # fmt: skip
    return Policy(
        rule=np.array([RULES.index(r) for r in rules]),
        step=np.where(passes, 0, column["step"]),
        lot=np.where(
            column["multiple"] > 0, column["multiple"], np.maximum(column["least"], column["step"])
        ),
        least=np.where(passes, 0, column["least"]),
        multiple=np.where(passes, 0, column["multiple"]),
        lead=lead,
        safety=np.where(passes, 0, column["safety"]),
        periods=np.maximum(1, column["days"]).astype(np.int64),
        setup=column["ordering"],
        holding=column["worth"] * HOLDING_SHARE / WORKING_DAYS,
        is_left_out=np.array([not r[11] or r[0] in left_out for r in items], dtype=bool),
    )
