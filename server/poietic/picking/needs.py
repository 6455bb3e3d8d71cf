"""What is still to be picked for orders, and where it can be taken."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from poietic_core.quantity import ONE, ZERO
from poietic_core.stock.lots import LotStock
from poietic_core.stock.picking import OnShelf, choose_picks

from ..catalog.models import Item, Place
from ..ledger.lots import as_core
from ..ledger.models import Lot
from ..ledger.transaction import Transaction
from ..orders.models import OrderInput, Tranche, TrancheLine
from ..orders.open_book import OpenBook
from .models import PickLine

#: place and lot (null: not told apart)
At = tuple[int, int | None]


@dataclass
class Wanted:
    """A quantity of a component to be brought to its operation."""

    component: OrderInput
    item: Item
    quantity: Decimal
    tranche: Tranche | None = None
    #: where it is not to be taken: place and lot
    not_at: At | None = None


def wanted_of(book: OpenBook, tranche: int | None) -> list[Wanted]:
    """Return what of a locked order's released material is neither issued, set aside nor on a list."""
    components = [c for c in book.components() if c.item and not c.stands_for and c.still_needed]
    opens: dict[tuple[int, int | None], Decimal] = {}
    taken: dict[tuple[int, int | None], Decimal] = {}
    for line in PickLine.objects.filter(order=book.order.pk).select_related("input", "item"):
        key = (line.input_id, line.tranche_id)
        each = for_one(line)
        of_line = line.quantity - line.picked if line.state == PickLine.State.OPEN else ZERO
        opens[key] = opens.get(key, ZERO) + max(ZERO, of_line) / each
        taken[key] = taken.get(key, ZERO) + line.picked / each
    left = {c.pk: c.still_needed - _on_the_floor(book, c) for c in components}
    for (component, _), quantity in opens.items():
        if component in left:
            left[component] -= quantity
    found = []
    for part_of, lines in _released(book, components, tranche):
        for c, released in lines:
            key = (c.pk, part_of.pk if part_of else None)
            wanted = released - opens.get(key, ZERO) - taken.get(key, ZERO) if part_of else released
            quantity = min(wanted, left[c.pk])
            assert c.item is not None
            quantity -= quantity % c.item.step
            if quantity > 0:
                left[c.pk] -= quantity
                found.append(Wanted(c, c.item, quantity, part_of))
    return found


def for_one(line: PickLine) -> Decimal:
    """Return how much of a line's item stands for one of its component: 1 where it is that itself."""
    ratios = {a["item"]: Decimal(a["ratio"]) for a in line.input.alternates}
    is_itself = line.item_id == line.input.item_id
    return ONE if is_itself else ratios.get(line.item.code, ONE)


def _on_the_floor(book: OpenBook, c: OrderInput) -> Decimal:
    """Return what stands ready of a component, alternates not counted."""
    kept = book.kept_elsewhere(c)
    return sum((r.quantity for r in kept if r.place.kind != Place.Kind.STORE), ZERO)


def _released(
    book: OpenBook, components: list[OrderInput], tranche: int | None
) -> list[tuple[Tranche | None, list[tuple[OrderInput, Decimal]]]]:
    """Return what was released of each component, part by part."""
    if not book.order.is_in_parts:
        return [(None, [(c, c.still_needed) for c in components])]
    by_key = {c.pk: c for c in components}
    lines = TrancheLine.objects.filter(tranche__order=book.order.pk).select_related("tranche")
    parts: dict[Tranche, list[tuple[OrderInput, Decimal]]] = {}
    for line in lines.order_by("tranche__number", "pk"):
        if line.input_id in by_key and tranche in (None, line.tranche.number):
            parts.setdefault(line.tranche, []).append((by_key[line.input_id], line.quantity))
    return list(parts.items())


@dataclass
class Shelves:
    """What lies where of the items of a transaction, and what is promised of it already."""

    transaction: Transaction
    day: date
    #: of each order, item and place: what lines that are open will take
    _promised: dict[tuple[int, int, int, int | None], Decimal] = field(default_factory=dict)

    def promise(self, lines: Iterable[PickLine]) -> None:
        """Count what lines will take."""
        for n in lines:
            key = (n.order_id, n.item_id, n.place_id, n.lot_id)
            self._promised[key] = self._promised.get(key, ZERO) + n.quantity - n.picked

    def choose(self, book: OpenBook, wanted: Wanted) -> list[tuple[Place, Lot | None, Decimal]]:
        """Return where to take what is wanted: at stores of the site, what is kept for the order first."""
        stock, kept = self.transaction.stock, self.transaction.reservations
        site = book.order.supply_place.site_id
        item, owner = wanted.item, book.order.cost_object
        there = [b for (i, _, _), b in stock.balances.items() if i == item.pk and b.quantity]
        places = {b.place_id: b.place for b in there if b.place.site_id == site}
        places = {k: p for k, p in places.items() if p.is_stock and not p.is_on_the_floor}
        lots = {(b.place_id, b.lot.code): b.lot for b in there if b.lot}
        own: dict[tuple[int, str], Decimal] = {}
        for (of, operation, i, at, lot), quantity in kept.held.items():
            if (of, operation, i) == (owner.pk, wanted.component.operation, item.pk):
                own[at, lot] = own.get((at, lot), ZERO) + quantity
        at_most, shelves = {}, []
        for key, place in places.items():
            promised = [(n, q) for (o, i, p, n), q in self._promised.items() if (o, i, p) == (book.order.pk, item.pk, key)]  # fmt: skip
            of_own = sum((q for (p, _), q in own.items() if p == key), ZERO)
            at_most[key] = max(ZERO, kept.free(item, place, self.day)) + of_own - sum((q for _, q in promised), ZERO)  # fmt: skip
            for b in (b for b in there if b.place_id == key):
                if wanted.not_at == (key, b.lot_id):
                    continue
                code = b.lot.code if b.lot else ""
                named = own.get((key, code), ZERO) if code else ZERO
                gone = sum((q for n, q in promised if n == b.lot_id), ZERO)
                quantity = b.quantity - (b.reserved - named if code else ZERO) - gone
                plain = LotStock(code="", quantity=quantity, age=0)
                shelves.append(
                    OnShelf(
                        place=key,
                        walk_order=place.walk_order,
                        stock=as_core(b.lot, quantity) if b.lot else plain,
                        is_kept=bool(of_own if not code else named),
                    )
                )
        chosen = choose_picks(shelves, wanted.quantity, at_most=at_most, on=self.day)
        return [
            (places[s.place], lots.get((s.place, s.stock.code)), quantity) for s, quantity in chosen
        ]
