"""What moved of an item, as the replay of its value history reads it."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from typing import NamedTuple

from django.db import connection
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO, allocate, money
from poietic_core.settle.chain import History, Pool, Receipt
from poietic_core.settle.replay import Event
from poietic_core.stock.valuation import Method

from ..catalog.models import STOCK_KINDS, Item, Place
from ..engineering.snapshot import Snapshot
from ..ledger.models import Account, Consumption, Holding, JournalLine, LateCost, Layer, StockLine
from ..orders.actual_output import received_at_actual
from ..orders.models import Order

MOVED = """
SELECT l.id, l.posting_id, p.happened_at, p.cost_object_id, p.reverses_id, l.operation, l.part,
  f.kind, t.kind, l.quantity, l.value, l.lot_id
FROM ledger_stockline l JOIN ledger_posting p ON p.id = l.posting_id
JOIN catalog_place f ON f.id = l.from_place_id JOIN catalog_place t ON t.id = l.to_place_id
WHERE l.item_id = %(item)s AND (f.kind = ANY(%(stock)s)) <> (t.kind = ANY(%(stock)s))
ORDER BY l.id
"""
CORRECTED = """
SELECT c.line_id, coalesce(c.layer_id, 0), sum(c.amount) FROM ledger_correction c
JOIN ledger_stockline l ON l.id = c.line_id WHERE l.item_id = %(item)s GROUP BY 1, 2
"""
#: components of orders that were split or merged: what left one, and came to the other, by act
HANDED = """
SELECT h.posting_id, p.entry_id, p.happened_at, p.cost_object_id, h.operation, h.lot_id,
  h.quantity, h.amount
FROM ledger_handoverline h JOIN ledger_posting p ON p.id = h.posting_id
WHERE h.item_id = %(item)s AND h.part = 'component' AND h.quantity <> 0 ORDER BY h.id
"""
#: takings by layers have keys of their own, below those of lines
BELOW = -(2**40)


class Gone(NamedTuple):
    """Where pieces went: to what, of an order at which operation, of which layer."""

    to: str
    key: int = 0
    operation: int = 0
    layer: int = 0


class Moved(NamedTuple):
    """A line of an item that came into stock or left it."""

    line: int
    posting: int
    happened_at: datetime
    order: int | None
    reverses: int | None
    operation: int | None
    part: str
    out_of: str
    into: str
    quantity: Decimal
    value: Decimal
    lot: int | None

    @property
    def came(self) -> bool:
        """Tell whether it came into stock."""
        return self.into in STOCK_KINDS

    @property
    def sign(self) -> int:
        """Return 1 for what came, -1 for what went."""
        return 1 if self.came else -1


class Passed(NamedTuple):
    """Components that went over from one order to another."""

    posting: int
    happened_at: datetime
    out_of: tuple[int, int]
    into: tuple[int, int]
    lot: int | None
    quantity: Decimal
    amount: Decimal


#: what a movement to a place of a kind that is no stock leads to
GOES_TO = {
    Place.Kind.CUSTOMER: Account.COST_OF_GOODS_SOLD,
    Place.Kind.SUPPLIER: Account.PURCHASE_PRICE_VARIANCE,
    Place.Kind.SCRAP: Account.SCRAP_EXPENSE,
    Place.Kind.COUNT: Account.COUNT_DIFFERENCE,
}


@dataclass
class Histories:
    """Value histories, each read once: ask only with what is read locked, or to look ahead."""

    snapshot: Snapshot
    items: dict[int, Item] = field(default_factory=dict)
    loaded: dict[int, History] = field(default_factory=dict)
    #: by item: movements by the key of their event, with the layer
    lines: dict[tuple[int, int], tuple[int, int]] = field(default_factory=dict)
    #: items and receipts that no movement of the history answers for any more
    adrift: set[tuple[int, int]] = field(default_factory=set)
    #: by item and receipt's event: the posting that received it
    received_by: dict[tuple[int, int], int] = field(default_factory=dict)
    _onward: dict[int, list[Receipt]] = field(default_factory=dict)

    def of(self, item: int) -> History:
        """Return the history of an item."""
        if item not in self.loaded:
            self.loaded[item] = self._load(item)
        return self.loaded[item]

    def onward(self, cell: object) -> Sequence[Receipt]:
        """Return what a closed order made whose output is valued at its actual cost."""
        assert isinstance(cell, Gone)
        if cell.to != "order":
            return ()
        if cell.key not in self._onward:
            self._onward[cell.key] = list(receipts_of(cell.key, self))
        return self._onward[cell.key]

    def item(self, key: int) -> Item:
        """Return an item by its key."""
        if key not in self.items:
            self.items[key] = Item.objects.get(pk=key)
        return self.items[key]

    def _load(self, key: int) -> History:
        holding = Holding.objects.select_related("item").get(pk=key)
        item = self.items[key] = holding.item
        with connection.cursor() as cursor:
            asked: dict[str, int | list[str]] = {
                "item": key,
                "stock": [k.value for k in STOCK_KINDS],
            }
            cursor.execute(MOVED, asked)
            moved = [Moved(*row) for row in cursor.fetchall()]
            cursor.execute(CORRECTED, asked)
            corrected = {(line, layer): amount for line, layer, amount in cursor.fetchall()}
            cursor.execute(HANDED, asked)
            passed = _passes(cursor.fetchall())
        undone = _undone(moved)
        late = self._late(key, moved)
        pools: list[Pool] = []
        if item.method.has_layers:
            pools = self._layers(key, moved, passed, undone, corrected)
        elif item.method is Method.MOVING_AVERAGE:
            pools = self._pool(holding, moved, passed, undone, corrected)
        known = {e.key for p in pools for e in p.events if e.quantity > 0}
        for event in [k for k in late if k not in known]:
            del late[event]
            self.adrift.add((key, self.received_by[key, event]))
        level = int(self.snapshot.plant.codes[self.snapshot.position(key)])
        return History(item=key, level=level, pools=pools, late=late)

    def _late(self, item: int, moved: Sequence[Moved]) -> dict[int, Decimal]:
        """Return what receipts cost beyond their value, by event."""
        came: dict[int, list[Moved]] = {}
        for m in moved:
            if m.came and m.reverses is None:
                came.setdefault(m.posting, []).append(m)
        found: dict[int, Decimal] = {}
        for receipt, amount in LateCost.objects.filter(item=item).order_by("pk").values_list("receipt", "amount"):  # fmt: skip
            own = came.get(receipt, [])
            if not own:
                self.adrift.add((item, receipt))
                continue
            for m, part in zip(own, allocate(amount, [m.quantity for m in own]), strict=True):
                found[m.line] = found.get(m.line, ZERO) + part
                self.received_by[item, m.line] = receipt
        return found

    def _pool(
        self,
        holding: Holding,
        moved: Sequence[Moved],
        passed: Sequence[Passed],
        undone: dict[int, int],
        corrected: dict[tuple[int, int], Decimal],
    ) -> list[Pool]:
        """Return stock that is one pool; its history begins where it came to be valued so."""
        since = holding.valued_from_id or 0
        opening = _opening(holding, moved, since)
        rows: list[tuple[int, datetime, Event]] = []
        for m in moved:
            if m.posting <= since:
                continue
            value = m.value + corrected.get((m.line, 0), ZERO)
            event = Event(
                key=m.line,
                quantity=m.sign * m.quantity,
                value=value,
                cell=_cell(m, 0),
                undoes=undone.get(m.line),
            )
            self.lines[holding.pk, m.line] = (m.line, 0)
            rows.append((m.posting, m.happened_at, event))
        for p in passed:
            if p.posting > since:
                rows.append((p.posting, p.happened_at, _pass(p, 0, p.quantity, p.amount)))
        entered = [e for _, _, e in sorted(rows, key=lambda r: r[0])]
        happened = [e for _, _, e in sorted(rows, key=lambda r: (r[1], r[0]))]
        return [
            Pool(
                key=0,
                events=[*opening, *happened],
                entered=[] if happened == entered else [*opening, *entered],
                value=holding.value,
            )
        ]

    def _layers(
        self,
        item: int,
        moved: Sequence[Moved],
        passed: Sequence[Passed],
        undone: dict[int, int],
        corrected: dict[tuple[int, int], Decimal],
    ) -> list[Pool]:
        """Return stock that is valued by layers: each a pool of what its receipt brought."""
        by_line = {m.line: m for m in moved}
        layers = list(Layer.objects.filter(item=item).order_by("pk"))
        begun: dict[int, list[tuple[int, Event]]] = {}
        for y in layers:
            m = by_line.get(y.line_id or 0)
            key = y.line_id or BELOW * 2 - y.pk
            cell = _cell(m, 0) if m else None
            first = Event(key=key, quantity=y.quantity, value=y.value + corrected.get((key, y.pk), ZERO), cell=cell)  # fmt: skip
            self.lines[item, key] = (key, y.pk)
            begun[y.pk] = [(y.posting_id, first)]
        lies: dict[tuple[tuple[int, int], int], Decimal] = {}
        takings = Consumption.objects.filter(layer__item=item).exclude(quantity=0).order_by("pk")
        acts: list[tuple[int, Consumption | Passed]] = [(t.posting_id, t) for t in takings]
        acts += [(p.posting, p) for p in passed]
        by_lot = {y.pk: y.lot_id for y in layers}
        taken: dict[tuple[int, int], int] = {}
        for posting, act in sorted(acts, key=lambda a: a[0]):
            if isinstance(act, Passed):
                for layer, part in _of_layers(act, lies, by_lot):
                    amount = money(act.amount * part / act.quantity)
                    begun[layer].append((posting, _pass(act, layer, part, amount)))
                continue
            line = by_line.get(act.line_id or 0)
            key = BELOW - act.pk
            cell = _cell(line, act.layer_id) if line else Gone(Account.STOCK_REVALUATION.value)
            undoes = taken.get((undone.get(act.line_id or 0, 0), act.layer_id))
            value = abs(act.value) + corrected.get((act.line_id or 0, act.layer_id), ZERO)
            event = Event(key=key, quantity=-act.quantity, value=value, cell=cell, undoes=undoes)
            if act.line_id:
                self.lines[item, key] = (act.line_id, act.layer_id)
                taken[act.line_id, act.layer_id] = key
            if line and line.order and line.part == StockLine.Part.COMPONENT:
                at = ((line.order, line.operation or 0), act.layer_id)
                lies[at] = lies.get(at, ZERO) + act.quantity
            begun[act.layer_id].append((posting, event))
        return [
            Pool(key=y.pk, events=[e for _, e in begun[y.pk]], value=y.value_left) for y in layers
        ]


def _opening(holding: Holding, moved: Sequence[Moved], since: int) -> list[Event]:
    """Return what was in the pool when the item came to be valued as one."""
    if not since:
        return []
    quantity = sum((m.sign * m.quantity for m in moved if m.posting <= since), ZERO)
    if not quantity:
        return []
    worth = JournalLine.objects.filter(
        item=holding.pk, account=Account.STOCK, posting__lte=since
    ).values_list("amount", flat=True)
    return [Event(key=BELOW * 2, quantity=quantity, value=sum(worth, ZERO))]


def _cell(m: Moved, layer: int) -> Gone | None:
    """Return where a movement went, or where what it brought comes back from; None: it is new here."""
    if m.part == StockLine.Part.COMPONENT and m.order:
        return Gone("order", m.order, m.operation or 0, layer)
    if Place.Kind.REGROUPED in (m.out_of, m.into):
        return Gone("regrouped", m.posting)
    if m.came:
        return None
    if m.into == Place.Kind.CUSTOMER:
        return Gone(Account.COST_OF_GOODS_SOLD.value, m.line)
    account = GOES_TO.get(Place.Kind(m.into))
    return Gone((account or Account.STOCK_REVALUATION).value)


def _pass(p: Passed, layer: int, quantity: Decimal, amount: Decimal) -> Event:
    return Event(
        key=0,
        quantity=ZERO,
        cell=Gone("order", *p.out_of, layer),
        into=Gone("order", *p.into, layer),
        passes=quantity,
        value=amount,
    )


def _of_layers(
    p: Passed,
    lies: dict[tuple[tuple[int, int], int], Decimal],
    by_lot: dict[int, int | None],
) -> list[tuple[int, Decimal]]:
    """Return of which layers the pieces are that go over: in proportion to what lies in the order of each."""
    own = {
        layer: quantity
        for (cell, layer), quantity in lies.items()
        if cell == p.out_of and quantity > 0 and p.lot in (None, by_lot[layer])
    }
    parts = allocate(p.quantity, list(own.values()), Decimal("0.000001")) if own else []
    for layer, part in zip(own, parts, strict=True):
        lies[p.out_of, layer] -= part
        lies[p.into, layer] = lies.get((p.into, layer), ZERO) + part
    return [(layer, part) for layer, part in zip(own, parts, strict=True) if part]


def _undone(moved: Iterable[Moved]) -> dict[int, int]:
    """Return by line which line it takes back."""
    there: dict[int, list[Moved]] = {}
    found: dict[int, int] = {}
    for m in moved:
        there.setdefault(m.posting, []).append(m)
        if m.reverses is None:
            continue
        for was in there.get(m.reverses, []):
            same = (was.lot, was.operation, was.quantity, was.part) == (m.lot, m.operation, m.quantity, m.part)  # fmt: skip
            if same and was.came != m.came and was.line not in found.values():
                found[m.line] = was.line
                break
    return found


def _passes(rows: Iterable[tuple[int, int, datetime, int, int, int | None, Decimal, Decimal]]) -> list[Passed]:  # fmt: skip
    """Return what went over, of what left and what came by act, operation and lot."""
    acts: dict[tuple[int, int, int | None], list[tuple[int, datetime, int, Decimal, Decimal]]] = {}
    for posting, entry, at, order, operation, lot, quantity, amount in rows:
        acts.setdefault((entry, operation, lot), []).append((posting, at, order, quantity, amount))
    found = []
    for (_, operation, lot), own in acts.items():
        left = next((row for row in own if row[3] < 0), None)
        for posting, at, order, quantity, amount in own:
            if left and quantity > 0:
                cells = (left[2], operation), (order, operation)
                found.append(Passed(posting, at, *cells, lot, quantity, amount))
    return found


def receipts_of(order: int, histories: Histories) -> Iterable[Receipt]:
    """Return what a closed order brought into stock at its actual cost; none: it stays in the order."""
    found = Order.objects.select_related("standard").get(pk=order)
    if found.state != OrderState.CLOSED:
        return
    for r in received_at_actual(found):
        histories.received_by[r.line.item_id, r.line.pk] = r.line.posting_id
        yield Receipt(item=r.line.item_id, key=r.line.pk, weight=r.weight)
