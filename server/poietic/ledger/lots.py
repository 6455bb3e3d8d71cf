"""Lots of the items that a command moves: which pieces go, which are new, and their numbers."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import reduce
from operator import or_
from typing import ClassVar

from django.db.models import Q
from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO
from poietic_core.stock.lots import (
    LotState,
    LotStock,
    Tracking,
    first_out,
    numbered,
    pieces_of,
    require_lot,
    require_usable,
    stem_of,
)
from poietic_core.stock.valuation import NotEnoughStock

from ..catalog.models import Item, Place
from ..statements.bulk import insert_rows, upsert_rows
from .document import Document, Line, Move, Pieces
from .models import HandoverLine, Lot, LotCounter, StockBalance, StockLine

#: cost object, operation, item
Holder = tuple[int, int | None, int]


@dataclass(eq=False)
class PiecesDontAddUp(DomainError):
    """Lots named for another quantity than moves."""

    item: str
    quantity: Decimal
    named: Decimal
    code: ClassVar[str] = "lot.does_not_add_up"
    what: ClassVar[str] = "{quantity} of {item} don't move yet."
    why: ClassVar[str] = "The lots named for them come to {named}."
    fix: ClassVar[str] = "Name lots that come to {quantity}, or none."


@dataclass(eq=False)
class NotIssued(DomainError):
    """Pieces of a lot that are to come back from where they did not go."""

    item: str
    lot: str
    wanted: Decimal
    there: Decimal
    code: ClassVar[str] = "lot.not_issued"
    what: ClassVar[str] = "{wanted} of {item} {lot} can't come back."
    why: ClassVar[str] = "{there} of it are issued there."
    fix: ClassVar[str] = "Return pieces that were issued, or leave the lot out."


@dataclass(eq=False)
class AlreadyThere(DomainError):
    """A serial that would come in a second time."""

    item: str
    lot: str
    place: str
    code: ClassVar[str] = "lot.already_there"
    what: ClassVar[str] = "Serial {lot} of {item} can't come in."
    why: ClassVar[str] = "It is at {place} already."
    fix: ClassVar[str] = "Give the piece its own number."


@dataclass
class LotBook:
    """Lots of the tracked items of a command; empty where none is tracked."""

    lots: dict[tuple[int, str], Lot] = field(default_factory=dict)
    #: last number by item and stem
    counters: dict[tuple[int, str], int] = field(default_factory=dict)
    #: what went to whom and did not come back, by lot, the latest last
    issued: dict[Holder, dict[str, Decimal]] = field(default_factory=dict)
    _made: list[tuple[Document, Lot]] = field(default_factory=list)
    _counted: set[tuple[int, str]] = field(default_factory=set)

    @classmethod
    def read(
        cls,
        items: Sequence[int],
        balances: Iterable[StockBalance],
        documents: Sequence[Document],
    ) -> "LotBook":
        """Read the lots that are there, those that are named, and what may come back."""
        book = cls()
        if not items:
            return book
        book.lots = {(b.item_id, b.lot.code): b.lot for b in balances if b.lot}
        moves = [m for d in documents for m in d.moves if m.item.pk in items]
        named = {(m.item.pk, p.lot) for m in moves for p in m.pieces} - set(book.lots)
        if named:
            asked = reduce(or_, (Q(item_id=i, code=code) for i, code in named))
            book.lots |= {(lot.item_id, lot.code): lot for lot in Lot.objects.filter(asked)}
        counters = LotCounter.objects.filter(item__in=items)
        book.counters = {(c.item_id, c.stem): c.last for c in counters}
        holders = {d.cost_object.pk for d in documents if d.cost_object for m in d.moves if m.comes_back}  # fmt: skip
        if holders:
            book._read_issued(items, holders)
        return book

    def _read_issued(self, items: Sequence[int], cost_objects: set[int]) -> None:
        named = set()
        for cost_object, operation, item, lot, quantity in issued_to(cost_objects, items):
            named.add(lot)
            self._note((cost_object, operation, item), lot, quantity)
        for found in Lot.objects.filter(item__in=items, code__in=named):
            self.lots.setdefault((found.item_id, found.code), found)

    def _note(self, holder: Holder, lot: str, quantity: Decimal) -> None:
        held = self.issued.setdefault(holder, {})
        before = held.pop(lot, ZERO)
        held[lot] = before + quantity

    def know(self, item: int, code: str) -> None:
        """Read a lot of which nothing is left, where what moves is said only after stock is locked."""
        if not code or (item, code) in self.lots:
            return
        if lot := Lot.objects.filter(item=item, code=code).first():
            self.lots[item, code] = lot

    def key_of(self, item: int, code: str) -> int | None:
        """Return the key of a lot; None for pieces that are not told apart."""
        return self.lots[item, code].pk if code else None

    # --- which pieces

    def pieces(
        self, document: Document, move: Move, there: Sequence[StockBalance]
    ) -> Sequence[Pieces]:
        """Return the pieces of a move: those named, else chosen or numbered by the item's rule.

        Raises LotNeeded, NotTracked, SerialIsOnePiece, PiecesDontAddUp, NotIssued, LotNotUsable.
        """
        item, tracking = move.item, Tracking(move.item.tracking)
        pieces = move.pieces
        if tracking is not Tracking.NONE and not pieces and not move.undoes:
            pieces = [*self._choose(document, move, there)]
        elif not pieces:
            pieces = [Pieces(lot="", quantity=move.quantity)]
        if not move.undoes:  # that moves what moved before, whatever is asked for by now
            for p in pieces:
                require_lot(item.code, tracking, p.lot, p.quantity)
        named = sum((p.quantity for p in pieces), ZERO)
        if named != move.quantity:
            raise PiecesDontAddUp(item.code, move.quantity, named)
        if move.comes_back and tracking is not Tracking.NONE:
            self._require_issued(document, move, pieces)
        elif tracking is not Tracking.NONE and not move.undoes and move.into.kind == Place.Kind.WIP:
            day = timezone.localdate(document.happened_at)
            for p in pieces:
                if lot := self.lots.get((item.pk, p.lot)):
                    require_usable(item.code, as_core(lot, p.quantity), day)
        return pieces

    def _choose(
        self, document: Document, move: Move, there: Sequence[StockBalance]
    ) -> Iterator[Pieces]:
        """Return pieces that nobody named: the latest issued, the first to expire, or new ones."""
        tracking = Tracking(move.item.tracking)
        day = timezone.localdate(document.happened_at)
        if move.comes_back:
            left = move.quantity
            for lot, quantity in reversed(self._held(document, move).items()):
                part = min(left, quantity)
                if part > 0:
                    yield from _apart(tracking, lot, part)
                    left -= part
        elif move.into.is_stock and not move.is_within:
            parts = pieces_of(tracking, move.quantity)
            codes = self._next_numbers(move.item, document, len(parts))
            for code, quantity in zip(codes, parts, strict=True):
                yield Pieces(lot=code, quantity=quantity)
        else:
            stock = [as_core(b.lot, b.quantity) for b in there if b.lot]
            chosen = first_out(stock, move.quantity, day, before=move.before)
            usable = sum((q for _, q in chosen), ZERO)
            if usable < move.quantity:
                raise _too_few(move, usable, stock, day)
            for lot, quantity in chosen:
                yield from _apart(tracking, lot, quantity)

    def _held(self, document: Document, move: Move) -> dict[str, Decimal]:
        holder = document.cost_object.pk if document.cost_object else 0
        return self.issued.get((holder, move.operation, move.item.pk), {})

    def _require_issued(self, document: Document, move: Move, pieces: Sequence[Pieces]) -> None:
        held = self._held(document, move)
        for p in pieces:
            if p.quantity > held.get(p.lot, ZERO):
                raise NotIssued(move.item.code, p.lot, p.quantity, held.get(p.lot, ZERO))

    def _next_numbers(self, item: Item, document: Document, wanted: int) -> list[str]:
        """Return the next free numbers of an item; those of one act have no gap between them."""
        stem = stem_of(item.number_rule, timezone.localdate(document.happened_at))
        key = (item.pk, stem)
        self._counted.add(key)
        found: list[str] = []
        while len(found) < wanted:
            last = self.counters.get(key, 0)
            self.counters[key] = last + wanted - len(found)
            codes = [numbered(stem, n) for n in range(last + 1, self.counters[key] + 1)]
            taken = set(Lot.objects.filter(item=item, code__in=codes).values_list("code", flat=True))  # fmt: skip
            found += [c for c in codes if c not in taken and (item.pk, c) not in self.lots]
        return found

    # --- coming and going

    def arrive(
        self, document: Document, line: Line, piece: Pieces, there: StockBalance | None
    ) -> None:
        """Make the lot of a line that comes in, where there is none; a serial comes in once."""
        if not line.lot:
            return
        key = (line.item.pk, line.lot)
        if line.item.tracking == Tracking.SERIAL and there and there.quantity:
            raise AlreadyThere(line.item.code, line.lot, there.place.name)
        if key not in self.lots:
            self.lots[key] = Lot(
                item=line.item,
                code=line.lot,
                kind=line.item.tracking,
                supplier_code=piece.supplier_code,
                made_on=piece.made_on or timezone.localdate(document.happened_at),
                expires_on=piece.expires_on,
                state=_state_on_arrival(line.move).value,
            )
            self._made.append((document, self.lots[key]))
        if line.move.comes_back or line.move.undoes:
            self._went(document, line, -line.quantity)

    def leave(self, document: Document, line: Line) -> None:
        """Note that pieces went to the document's cost object."""
        if line.lot:
            self._went(document, line, line.quantity)

    def _went(self, document: Document, line: Line, quantity: Decimal) -> None:
        holder = document.cost_object.pk if document.cost_object else 0
        self._note((holder, line.move.operation, line.item.pk), line.lot, quantity)

    # --- saving

    def save(self, postings: Mapping[int, int], change: int) -> None:
        """Write new lots and the numbers used up; `postings` by the `id` of their document."""
        rows = [
            (w.item_id, w.code, w.kind, w.supplier_code, postings[id(d)], w.made_on, w.expires_on, w.state, change)
            for d, w in self._made
        ]  # fmt: skip
        fields = ("item", "code", "kind", "supplier_code", "came_by", "made_on", "expires_on", "state", "change")  # fmt: skip
        for (_, lot), key in zip(self._made, insert_rows(Lot, fields, rows), strict=True):
            lot.pk = key
        upsert_rows(
            LotCounter,
            ("item", "stem"),
            ("last",),
            [(item, stem, self.counters[item, stem]) for item, stem in sorted(self._counted)],
        )


def as_core(lot: Lot, quantity: Decimal) -> LotStock:
    """Return a lot as the core chooses among lots."""
    return LotStock(
        code=lot.code,
        quantity=quantity,
        age=lot.pk or 0,
        state=LotState(lot.state),
        expires_on=lot.expires_on,
    )


def _state_on_arrival(move: Move) -> LotState:
    """Return how a new lot comes in: of an inspected item, from a supplier, it waits to be judged."""
    waits = move.item.is_inspected and move.out_of.kind == Place.Kind.SUPPLIER
    return LotState.QUARANTINED if waits else LotState.USABLE


def _too_few(move: Move, usable: Decimal, stock: Sequence[LotStock], day: date) -> NotEnoughStock:
    """Return the refusal of more than is usable at a place, with what is held back there."""
    unit = move.item.unit
    held_back = [
        f"{lot.quantity.normalize():f} {unit} {lot.code} at {move.out_of.name}, which may not be used"
        for lot in stock
        if lot.quantity and not lot.may_be_used(day)
    ]
    return NotEnoughStock(move.item.code, move.out_of.name, move.quantity, usable, unit, held_back)


def _apart(tracking: Tracking, lot: str, quantity: Decimal) -> Iterator[Pieces]:
    for part in pieces_of(tracking, quantity) if tracking is Tracking.SERIAL else [quantity]:
        yield Pieces(lot=lot, quantity=part)


def issued_to(
    cost_objects: Iterable[int], items: Iterable[int] | None = None
) -> Iterator[tuple[int, int, int, str, Decimal]]:
    """Return what cost objects were issued and gave back (below zero), in the order of time.

    Also what came over from another one's work in process, and went to it.

    Returns
    -------
    cost object, operation, item, code of the lot ("" of what is not told apart), quantity
    """
    asked = Q(posting__cost_object__in=list(cost_objects), part=StockLine.Part.COMPONENT)
    if items is not None:
        asked &= Q(item__in=list(items))
    names = ("posting__cost_object", "operation", "item", "lot__code", "quantity")
    lines = StockLine.objects.filter(asked).order_by("pk").values_list(*names, "to_place__kind")
    for cost_object, operation, item, lot, quantity, kind in lines:
        sign = 1 if kind == Place.Kind.WIP else -1
        yield cost_object, operation or 0, item, lot or "", sign * quantity
    handed = HandoverLine.objects.filter(asked).order_by("pk").values_list(*names)
    for cost_object, operation, item, lot, quantity in handed:
        yield cost_object, operation, item, lot or "", quantity
