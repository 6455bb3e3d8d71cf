"""All that one command posts: gathered first, then locked, valued and written at once."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.utils import timezone

from ..commanding.registry import Context
from ..statements.bulk import insert_rows
from .document import Document, InTheFuture, Line
from .late import take_lates
from .models import (
    CostObject,
    HandoverLine,
    JournalLine,
    LateCost,
    Posting,
    StockLine,
    TimeLine,
    UnitLine,
)
from .periods import open_moment
from .reserving import ReservationBook
from .stock import Stock
from .wip import WipBook


@dataclass
class Transaction:
    """The postings of one command.

    Documents are opened and say what they move. `post` locks the holdings of all these items in
    one statement, reads them, values the documents in the order in which they were opened, and
    writes everything with one statement for each kind of row.
    """

    context: Context
    documents: list[Document] = field(default_factory=list)
    _stock: Stock | None = None
    _wip: WipBook | None = None
    _reservations: ReservationBook | None = None
    _items: set[int] = field(default_factory=set)
    _owners: dict[int, CostObject] = field(default_factory=dict)
    _last: list[Callable[[], None]] = field(default_factory=list)

    def open(
        self,
        kind: Posting.Kind,
        *,
        happened_at: datetime | None = None,
        cost_object: CostObject | None = None,
        **said: Any,
    ) -> Document:
        """Return a new document; left out, it happened now. InTheFuture refuses what is to come."""
        when = happened_at or self.context.now
        if when > self.context.now:
            raise InTheFuture(f"{when:%Y-%m-%d %H:%M} UTC")
        opens = open_moment(when, self.context.now)
        if opens != when:
            self.context.effects.remark(
                f"{kind.value} of {timezone.localdate(when)}",
                f"its period is closed: it is posted on {timezone.localdate(opens)} and says which day it belongs to",
            )
            said["belongs_on"] = timezone.localdate(when)
        document = Document(kind=kind, happened_at=opens, cost_object=cost_object, **said)
        self.documents.append(document)
        return document

    def concern(self, items: Iterable[int], owner: CostObject | None = None) -> None:
        """Lock the holdings of more items, for what is neither taken nor put."""
        self._items.update(items)
        if owner:
            self._owners[owner.pk] = owner

    def at_last(self, step: Callable[[], None]) -> None:
        """Do something when all documents are valued and before anything is written."""
        self._last.append(step)

    @property
    def stock(self) -> Stock:
        """Return stock, locked and read when it is first asked for: from then on only of what was
        gathered by then, or is concerned."""
        if self._stock is None:
            moved = {m.item.pk for d in self.documents for m in d.moves}
            late = {n.item.pk for d in self.documents for n in d.lates}
            items = moved | late | self._items
            self._stock = Stock.lock(self.context, items, self.documents)
        return self._stock

    @property
    def wip(self) -> WipBook:
        """Return the WIP of the cost objects that are posted to."""
        if self._wip is None:
            self._wip = WipBook.read(self.context, self._cost_objects())
        return self._wip

    @property
    def reservations(self) -> ReservationBook:
        """Return what the cost objects have reserved of the items that move."""
        if self._reservations is None:
            owners = [*self._cost_objects(), *self._owners.values()]
            self._reservations = ReservationBook.read(self.stock, owners, self.stock.holdings)
        return self._reservations

    def _cost_objects(self) -> list[CostObject]:
        return [d.cost_object for d in self.documents if d.cost_object]

    def post(self) -> None:
        """Lock, value and write."""
        assert self.stock is not None  # what is concerned is locked, moved or not
        for document in self.documents:
            for move in document.moves:
                self.stock.carry_out(document, move)
            if document.lates:
                take_lates(self.stock, document)
            document.conclude()
            self.wip.take(document)
            self.reservations.use(document)
            for (account, *_), amount in document.money.items():
                if amount:
                    self.context.effects.journal(account.value, amount)
        self.reservations.fit(timezone.localdate(self.context.now))
        for step in self._last:
            step()
        self._write()

    def _write(self) -> None:
        postings = self._write_postings()
        by_document = {id(d): key for d, key in zip(self.documents, postings, strict=True)}
        for document, key in zip(self.documents, postings, strict=True):
            document.key = key
        self.stock.lots.save(by_document, self.context.change)
        self._write_lines(by_document)
        self.stock.save()
        self.wip.save()
        self.reservations.save()
        self.context.postings.extend(postings)

    def _write_postings(self) -> list[int]:
        context = self.context
        person = context.person.pk if context.person else None
        return insert_rows(
            Posting,
            ("kind", "entry", "person", "happened_at", "entered_at", "belongs_on", "reason", "cost_object", "operation", "reverses"),
            [
                (
                    d.kind.value,
                    context.change,
                    person,
                    d.happened_at,
                    context.now,
                    d.belongs_on,
                    d.reason,
                    d.cost_object.pk if d.cost_object else None,
                    d.operation,
                    d.reverses.pk if d.reverses else None,
                )
                for d in self.documents
            ],
        )  # fmt: skip

    def _write_lines(self, postings: dict[int, int]) -> None:
        lines = [(postings[id(d)], line) for d in self.documents for line in d.lines]
        keys = insert_rows(
            StockLine,
            ("posting", "item", "lot", "from_place", "to_place", "quantity", "value", "worth", "part", "operation"),
            [
                _stock_row(posting, line, self.stock.lots.key_of(line.item.pk, line.lot))
                for posting, line in lines
            ],
        )  # fmt: skip
        by_line = {id(line): key for (_, line), key in zip(lines, keys, strict=True)}
        self.stock.layers.save(postings, by_line, self.stock.lots.key_of)
        insert_rows(
            JournalLine,
            ("posting", "account", "operation", "element", "item", "cost_object", "amount"),
            [
                (postings[id(d)], account.value, operation, element, item, d.owner_of(account), amount)
                for d in self.documents
                for (account, operation, element, item), amount in d.money.items()
                if amount
            ],
        )  # fmt: skip
        insert_rows(
            LateCost,
            ("posting", "item", "receipt", "amount", "in_stock", "carried_by"),
            [
                (postings[id(d)], n.item.pk, n.receipt, n.amount, n.in_stock, postings[id(d)] if n.is_carried else None)
                for d in self.documents
                for n in d.lates
                if n.is_kept
            ],
        )  # fmt: skip
        insert_rows(
            TimeLine,
            (
                "posting",
                "operation",
                "kind",
                "code",
                "is_rework",
                "person",
                "overtime",
                "quantity",
                "amount",
            ),
            [
                (
                    postings[id(d)],
                    t.operation,
                    t.kind,
                    t.code,
                    t.is_rework,
                    t.person,
                    t.overtime,
                    t.quantity,
                    t.amount,
                )
                for d in self.documents
                for t in d.times
            ],
        )
        insert_rows(
            HandoverLine,
            ("posting", "operation", "part", "item", "lot", "quantity", "amount"),
            [
                (postings[id(d)], h.operation, h.part, h.item, h.lot, h.quantity, h.amount)
                for d in self.documents
                for h in d.handovers
            ],
        )
        insert_rows(
            UnitLine,
            ("posting", "operation", "kind", "reason", "place", "quantity"),
            [
                (postings[id(d)], u.operation, u.kind, u.reason.pk if u.reason else None, u.place.pk if u.place else None, u.quantity)
                for d in self.documents
                for u in d.unit_lines
            ],
        )  # fmt: skip


def _stock_row(posting: int, line: Line, lot: int | None) -> tuple[object, ...]:
    move = line.move
    return (
        posting,
        line.item.pk,
        lot,
        move.out_of.pk,
        move.into.pk,
        line.quantity,
        line.value,
        line.worth,
        move.part,
        move.operation,
    )
