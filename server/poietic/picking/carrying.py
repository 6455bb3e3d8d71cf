"""Moves of what is kept for an order: out to the floor, and back, with its reservation."""

from collections.abc import Sequence
from decimal import Decimal

from django.utils import timezone

from ..catalog.models import Place
from ..ledger.document import Document, Pieces
from ..ledger.models import Posting
from ..ledger.transaction import Transaction
from ..orders.open_book import OpenBook
from .models import PickLine, PickTake


def bring(
    transaction: Transaction,
    book: OpenBook,
    line: PickLine,
    quantity: Decimal,
    out_of: Place,
    into: Place,
    pieces: Sequence[Pieces],
    reason: str,
    *,
    of_lot: Decimal | None = None,
) -> tuple[Document, list[Decimal]]:
    """Gather a move of what is kept for a line's order, which is kept for it where it goes.

    Returns the move, and for each of its lines, once posted, how much was kept by its lot before.
    `of_lot` is how much stays kept by its lot; left out, all of it.
    """
    owner, day = book.order.cost_object, timezone.localdate(transaction.context.now)
    transaction.concern([line.item_id], owner)
    document = transaction.open(Posting.Kind.MOVE, reason=reason or f"picked for order {book.order}")  # fmt: skip
    document.shift(line.item, quantity, out_of=out_of, into=into, pieces=pieces)
    operation = line.input.operation
    kept_by_lot: list[Decimal] = []
    document.follow(
        lambda: kept_by_lot.extend(
            transaction.reservations.carry(owner, operation, document.lines, day, of_lot=of_lot)
        )
    )
    return document, kept_by_lot


def bring_one_back(
    transaction: Transaction,
    book: OpenBook,
    take: PickTake,
    line: PickLine,
    quantity: Decimal,
    into: Place,
    reason: str,
) -> None:
    """Gather the way back of a part of what was taken; it is kept as it was before it was taken."""
    pieces = [Pieces(lot=take.lot.code, quantity=quantity)] if take.lot else []
    of_lot = take.of_lot(quantity)
    bring(transaction, book, line, quantity, take.target, into, pieces, reason, of_lot=of_lot)
    take.put_back += quantity
    line.picked -= quantity
    line.state = PickLine.State.OPEN
