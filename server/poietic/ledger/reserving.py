"""Reservations: stock that is on hand and promised to a cost object."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import ClassVar

from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO

from ..catalog.models import OWN_KINDS, Item, Place
from ..catalog.queries import any_of
from ..statements.bulk import upsert_rows
from ..statements.prepared import Prepared, array_of, planned_once
from .document import Document, Line
from .lots import as_core
from .models import CostObject, Reservation, StockLine
from .stock import Key, Stock

#: cost object, operation, item, place, lot ("" for any)
Kept = tuple[int, int, int, int, str]

RESERVED = Prepared(
    lambda keys: (
        Reservation.objects.filter(cost_object__in=any_of(keys))
        .select_related("lot")
        .order_by("pk")
    )
)


@dataclass(eq=False)
class KeptForOthers(DomainError):
    """Stock that would be set aside for one order and is kept for others."""

    item: str
    place: str
    wanted: Decimal
    over: Decimal
    unit: str
    owners: list[str]
    code: ClassVar[str] = "stock.kept_for_others"
    what: ClassVar[str] = "{wanted} {unit} of {item} can't be taken at {place}."
    why: ClassVar[str] = "{over} {unit} of it are kept for others: {owners}."
    fix: ClassVar[str] = "Take {over} {unit} less, another lot, or at another place."

    def explain(self) -> dict[str, str]:
        """Name whom it is kept for."""
        values = self.context() | {"owners": ", ".join(self.owners)}
        return {k: getattr(self, k).format_map(values) for k in ("what", "why", "fix")}


@dataclass
class ReservationBook:
    """Reservations of the items that a command moves, for the cost objects that it posts to."""

    stock: Stock
    held: dict[Kept, Decimal] = field(default_factory=dict)
    owners: dict[int, CostObject] = field(default_factory=dict)
    #: keys of the rows that are there
    _rows: dict[Kept, int] = field(default_factory=dict)
    _touched: set[Kept] = field(default_factory=set)

    @classmethod
    def read(
        cls, stock: Stock, cost_objects: Iterable[CostObject], items: Iterable[int]
    ) -> "ReservationBook":
        """Read what cost objects have reserved of items whose holdings are locked."""
        book = cls(stock)
        keys, wanted = {c.pk for c in cost_objects}, set(items)
        if not keys or not wanted:
            return book
        for r in RESERVED.of_any(keys):
            if r.item_id not in wanted:
                continue
            lot = r.lot.code if r.lot else ""
            line = (r.cost_object_id, r.operation, r.item_id, r.place_id, lot)
            book.held[line], book._rows[line] = r.quantity, r.pk
            if r.lot:
                stock.lots.lots.setdefault((r.item_id, lot), r.lot)
        return book

    def reserve(
        self,
        owner: CostObject,
        operation: int,
        item: Item,
        place: Place,
        wanted: Decimal,
        on: date,
        lot: str = "",
    ) -> Decimal:
        """Reserve what is free of an item at a place, of one lot if named, and return how much."""
        free = self.free(item, place, on)
        if lot:
            free = min(free, self._free_of_lot(item, place, lot, on))
        quantity = max(ZERO, min(wanted, free))
        if quantity:
            self._change((owner.pk, operation, item.pk, place.pk, lot), quantity)
        return quantity

    def free(self, item: Item, place: Place, on: date) -> Decimal:
        """Return what is usable of an item at a place and not reserved."""
        there = self.stock.at(item, place)
        usable = (b.quantity for b in there if b.lot is None or as_core(b.lot, b.quantity).may_be_used(on))  # fmt: skip
        return sum(usable, ZERO) - sum((b.reserved for b in there), ZERO)

    def _free_of_lot(self, item: Item, place: Place, lot: str, on: date) -> Decimal:
        """Return what is usable of a lot at a place and not reserved of just this lot."""
        b = self.stock.balances.get((item.pk, place.pk, lot))
        if b is None or b.lot is None or not as_core(b.lot, b.quantity).may_be_used(on):
            return ZERO
        return b.quantity - b.reserved

    def kept_for(self, owner: CostObject) -> dict[tuple[int, int], Decimal]:
        """Return what a cost object has reserved, by operation and item."""
        kept: dict[tuple[int, int], Decimal] = {}
        for (of, operation, item, _, _), quantity in self.held.items():
            if of == owner.pk:
                kept[operation, item] = kept.get((operation, item), ZERO) + quantity
        return kept

    def carry(
        self,
        owner: CostObject,
        operation: int,
        lines: Iterable[Line],
        on: date,
        *,
        of_lot: Decimal | None = None,
    ) -> list[Decimal]:
        """Keep for a cost object what was brought from one place of ours to another, there.

        Its own reservation where it came from goes with it, of the same lot first. `of_lot` is how
        much of it is kept by its lot where it goes; left out, all of it. Returns for each line how
        much was kept by its lot where it came from.
        Raises KeptForOthers where somebody else's would not be there any more.
        """
        kept_by_lot: list[Decimal] = []
        for line in lines:
            item, out_of, into = line.item.pk, line.move.out_of.pk, line.move.into.pk
            left, named = line.quantity, ZERO
            own = [k for k in self.held if k[:4] == (owner.pk, operation, item, out_of)]
            for key in sorted(own, key=lambda k: (k[4] != line.lot, k[4])):
                if part := min(left, self.held[key]):
                    self._change(key, -part)
                    left -= part
                    named += part if key[4] else ZERO
            by_lot = line.quantity if of_lot is None else min(of_lot, line.quantity)
            for lot, quantity in ((line.lot, by_lot), ("", line.quantity - by_lot)):
                if quantity:
                    self._change((owner.pk, operation, item, into, lot), quantity)
            self._require_kept(line, on)
            kept_by_lot.append(named)
        return kept_by_lot

    def _require_kept(self, line: Line, on: date) -> None:
        """Refuse to take what is kept for somebody else where a line comes from."""
        item, place = line.item, line.move.out_of
        over = [q for (i, p, _), q in self._over(on).items() if (i, p) == (item.pk, place.pk)]
        if over:
            rows = Reservation.objects.filter(item=item, place=place).select_related("cost_object")
            others = sorted({str(r.cost_object) for r in rows})
            raise KeptForOthers(item.code, place.name, line.quantity, sum(over, ZERO), item.unit, others)  # fmt: skip

    def use(self, document: Document) -> None:
        """Let go of what a document has issued: it is not on hand any more.

        First of what is kept where it came from.
        """
        owner = document.cost_object
        if owner is None or document.reverses:
            return
        for line in document.lines:
            move = line.move
            if move.part != StockLine.Part.COMPONENT or move.into.kind != Place.Kind.WIP:
                continue
            left, at = line.quantity, (move.out_of.pk, line.lot)
            own = [k for k in self.held if k[:3] == (owner.pk, move.operation, line.item.pk)]
            # what is kept where it came from, and of its lot, before the rest
            for key in sorted(own, key=lambda k: (k[3] != at[0], k[4] != at[1], self._rows.get(k, 0))):  # fmt: skip
                part = min(left, self.held[key])
                if part and key[4] in ("", line.lot):
                    self._change(key, -part)
                    left -= part

    def keep_at_most(self, owner: CostObject, wanted: Mapping[tuple[int, int], Decimal]) -> None:
        """Let go of what a cost object has reserved beyond what it wants, by operation and item."""
        for at, kept in self.kept_for(owner).items():
            over = kept - wanted.get(at, ZERO)
            keys = [k for k in self.held if k[:3] == (owner.pk, *at) and self.held[k]]
            for key in sorted(keys, key=lambda k: self._rows.get(k, 0), reverse=True):
                if (part := min(over, self.held[key])) > 0:
                    self._change(key, -part)
                    over -= part

    def let_go(self, owner: CostObject) -> None:
        """Let go of all that a cost object has reserved."""
        for key in [k for k in self.held if k[0] == owner.pk]:
            if self.held[key]:
                self._change(key, -self.held[key])

    def fit(self, on: date) -> None:
        """Let go of what is reserved and is not there any more, of the last reserved first.

        What was moved within our stock stays reserved where it went.
        """
        over = self._over(on)
        if not over:
            return
        self._read_all_of(over)
        carried = list(self.stock.relocated)
        for (item, place, lot), excess in over.items():
            left = excess
            keys = [k for k in self.held if k[2:4] == (item, place) and self.held[k]]
            keys = [k for k in keys if k[4] == lot] if lot else keys
            for key in sorted(keys, key=lambda k: self._rows.get(k, 0), reverse=True):
                part = min(left, self.held[key])
                if part:
                    self._change(key, -part)
                    left -= part
                    self._follow(key, part, carried)

    def _over(self, on: date) -> dict[Key, Decimal]:
        """Return how much more is reserved than may be used: of lots that are named, then by item and place."""
        of_lots: dict[Key, Decimal] = {}
        over: dict[Key, Decimal] = {}
        for key, b in self.stock.balances.items():
            lot = b.lot or self.stock.lot_of(key)
            usable = b.quantity if lot is None or as_core(lot, b.quantity).may_be_used(on) else ZERO
            excess = b.reserved - usable
            if lot and excess > 0:
                of_lots[key] = excess
            whole = (*key[:2], "")
            over[whole] = over.get(whole, ZERO) + excess - of_lots.get(key, ZERO)
        return of_lots | {at: excess for at, excess in over.items() if excess > 0}

    def _read_all_of(self, over: Iterable[Key]) -> None:
        """Read what anybody has reserved of items at places, and where it may follow what was moved."""
        items, places, _ = zip(*over, strict=True)
        asked = {*places, *(into.pk for _, _, into, _ in self.stock.relocated)}
        rows = Reservation.objects.filter(item__in=any_of(items), place__in=any_of(asked))
        for r in rows.select_related("lot", "cost_object").order_by("pk"):
            lot = r.lot.code if r.lot else ""
            line = (r.cost_object_id, r.operation, r.item_id, r.place_id, lot)
            self.owners[r.cost_object_id] = r.cost_object
            if r.lot:
                self.stock.lots.lots.setdefault((r.item_id, lot), r.lot)
            if line not in self.held:
                self.held[line], self._rows[line] = r.quantity, r.pk

    def _follow(
        self, key: Kept, quantity: Decimal, carried: list[tuple[int, Place, Place, Decimal]]
    ) -> None:
        """Reserve where pieces went what was reserved where they were, or say who loses it."""
        owner, operation, item, place, lot = key
        left = quantity
        for n, (moved, out_of, into, how_much) in enumerate(carried):
            if (moved, out_of.pk) == (item, place) and into.kind in OWN_KINDS:
                part = min(left, how_much)
                if part:
                    carried[n] = (moved, out_of, into, how_much - part)
                    self._change((owner, operation, item, into.pk, lot), part)
                    left -= part
        if left:
            of = self.stock.holdings[item].item
            words = f"{left.normalize():f} {of.unit} no longer reserved for {self.owners[owner]}"
            self.stock.context.effects.remark(of.code, words)

    def _change(self, key: Kept, quantity: Decimal) -> None:
        self.held[key] = self.held.get(key, ZERO) + quantity
        self._touched.add(key)
        _, _, item, place, lot = key
        self.stock.touch((item, place, lot)).reserved += quantity

    def save(self) -> None:
        """Write what changed; nothing reserved is no row."""
        rows = [(key, self.held[key]) for key in sorted(self._touched)]
        gone = [self._rows[key] for key, quantity in rows if not quantity and key in self._rows]
        upsert_rows(
            Reservation,
            ("cost_object", "operation", "item", "place", "lot"),
            ("quantity",),
            [(*k[:4], self.stock.lots.key_of(k[2], k[4]), q) for k, q in rows if q],
        )
        if gone:
            Reservation.objects.filter(pk__in=any_of(gone)).delete()


#: by item what may be used on a day and is not reserved: the core's `LotStock.may_be_used`, for many at once
FREE = """
SELECT b.item_id, sum(CASE WHEN l.id IS NULL OR l.state = 'usable' AND coalesce(l.expires_on >= %s, true)
                           THEN b.quantity ELSE 0 END) - sum(b.reserved) AS free
FROM ledger_stockbalance b LEFT JOIN ledger_lot l ON l.id = b.lot_id
JOIN catalog_place p ON p.id = b.place_id AND p.kind IN ('store', 'floor', 'carrier')
WHERE b.item_id = ANY(%s::bigint[]) GROUP BY 1
"""


def free_stock(items: Iterable[int], on: date) -> dict[int, Decimal]:
    """Return by item what is on hand, may be used on a day, and is not reserved."""
    with planned_once() as cursor:
        cursor.execute(FREE, [on, array_of(items)])
        return {item: max(ZERO, free) for item, free in cursor.fetchall()}
