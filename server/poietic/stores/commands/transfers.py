"""Transfers between sites: sent, on the way, arrived, and what never came."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar

from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO
from pydantic import Field

from ...catalog.models import Place, Reason
from ...catalog.queries import items_by_code, place_of_kind, reasons_for, stock_place, transit_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Document, Pieces
from ...ledger.models import Account, Posting
from ...ledger.transaction import Transaction
from ...statements.bulk import insert_rows
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Note, QuantityOrNone, Reference, Strict
from ..models import Transfer, TransferLine
from .moving import StockMoved, because

TransferNumber = Annotated[int, Field(ge=1, le=2**62)]


@dataclass(eq=False)
class MoreThanSent(DomainError):
    """More would arrive, or be missing, than is still on the way."""

    item: str
    transfer: int
    wanted: Decimal
    left: Decimal
    unit: str
    code: ClassVar[str] = "transfer.more_than_sent"
    what: ClassVar[str] = "{wanted} {unit} of {item} can't come with transfer {transfer}."
    why: ClassVar[str] = "{left} {unit} of it are on the way."
    fix: ClassVar[str] = (
        "Enter at most {left} {unit}, and put right what was sent by a count there."
    )


class SendTransfer(Strict):
    """What leaves for another site."""

    from_place: Code
    to_place: Code
    lines: Annotated[list[StockMoved], Field(min_length=1, max_length=500)]
    expected_on: Day | None = None
    reason: Note = ""


class LineArrived(Strict):
    """What came of an item, of a lot where it has one, and what is given up as missing."""

    item: Code
    lot: Reference = ""
    arrived: QuantityOrNone
    missing: QuantityOrNone = ZERO


class ReceiveTransfer(Strict):
    """What came of a transfer; left out, all that is on the way."""

    transfer: TransferNumber
    #: where it was put; left out, where it was sent to. Where it came from takes it back.
    place: Code | None = None
    lines: Annotated[list[LineArrived], Field(max_length=500)] = []
    #: why some of it is missing
    why: Code | None = None
    reason: Note = ""


@command("send-transfer", "Send a transfer", Role.STOREKEEPER, Role.CONTROLLER)
def send_transfer(context: Context, given: SendTransfer) -> None:
    """Send stock to another site; it stays our stock, and is on the way until it arrives."""
    out_of, into = stock_place(given.from_place), stock_place(given.to_place)
    if out_of.site_id == into.site_id:
        raise InvalidInput([f"to_place: {into.name} is at the same site; move it there"])
    assert into.site is not None
    items = items_by_code(line.item for line in given.lines)
    transit = transit_place(into.site)
    transaction = Transaction(context)
    document = transaction.open(Posting.Kind.SEND, reason=given.reason)
    for line in given.lines:
        item = items[line.item]
        document.shift(item, line.quantity, out_of=out_of, into=transit, pieces=line.pieces())
    transfer = Transfer.objects.create(
        from_place=out_of,
        to_place=into,
        sent_at=context.now,
        expected_on=given.expected_on,
        note=given.reason,
        change=context.change,
    )
    context.made["transfer"] = str(transfer.pk)
    transaction.post()
    key_of = transaction.stock.lots.key_of
    insert_rows(
        TransferLine,
        ("transfer", "item", "lot", "quantity", "arrived", "missing"),
        [
            (transfer.pk, n.item.pk, key_of(n.item.pk, n.lot), n.quantity, ZERO, ZERO)
            for n in document.lines
        ],
    )


@command("receive-transfer", "Receive a transfer", Role.STOREKEEPER, Role.CONTROLLER)
def receive_transfer(context: Context, given: ReceiveTransfer) -> None:
    """Put what came of a transfer into stock; what is missing goes to count difference."""
    rows = Transfer.objects.filter(pk=given.transfer).select_related("from_place", "to_place__site")
    transfer = context.lock_one(rows, "transfer", NotFound("transfer", str(given.transfer)))
    lines = list(transfer.lines.select_related("item", "lot"))
    assert transfer.to_place.site is not None
    transit = transit_place(transfer.to_place.site)
    into = stock_place(given.place) if given.place else transfer.to_place
    if into.site_id not in (transfer.to_place.site_id, transfer.from_place.site_id):
        raise InvalidInput([f"place: {into.name} is at neither end of transfer {transfer}"])
    transaction = Transaction(context)
    arrived = transaction.open(Posting.Kind.ARRIVE, reason=given.reason)
    came = _came(given, lines)
    missing = sum((lost for _, _, lost in came), ZERO)
    if missing and given.why is None:
        raise InvalidInput(["why: say why some of it is missing"])
    lost = None
    if missing and given.why:
        why = reasons_for(Reason.Use.ADJUSTMENT, [given.why])[given.why]
        lost = transaction.open(Posting.Kind.COUNT, reason=because(why, given.reason))
    for line, quantity, gone in came:
        line.arrived += quantity
        line.missing += gone
        if line.arrived + line.missing > line.quantity:
            left = line.quantity - line.arrived - line.missing + quantity + gone
            raise MoreThanSent(line.item.code, transfer.pk, quantity + gone, left, line.item.unit)
        if quantity:
            arrived.shift(
                line.item, quantity, out_of=transit, into=into, pieces=_pieces(line, quantity)
            )
        if gone and lost:
            _lose(lost, line, gone, transit)
    if not arrived.moves and lost is None:
        raise InvalidInput([f"lines: nothing of transfer {transfer} is on the way any more"])
    if not arrived.moves:
        transaction.documents.remove(arrived)
    transaction.post()
    transfer.is_on_the_way = any(n.arrived + n.missing < n.quantity for n in lines)
    transfer.change = context.change
    transfer.save(update_fields=["is_on_the_way", "change"])
    TransferLine.objects.bulk_update(lines, ["arrived", "missing"])
    state = "on the way" if transfer.is_on_the_way else "arrived"
    context.effects.field(f"transfer {transfer}", "state", "on the way", state)


def _came(
    given: ReceiveTransfer, lines: list[TransferLine]
) -> list[tuple[TransferLine, Decimal, Decimal]]:
    """Return each line with what came of it and what is given up."""
    if not given.lines:
        return [(n, n.quantity - n.arrived - n.missing, ZERO) for n in lines]
    by_key = {(n.item.code, n.lot.code if n.lot else ""): n for n in lines}
    found = []
    for said in given.lines:
        line = by_key.get((said.item, said.lot))
        if line is None:
            raise NotFound(
                f"line of transfer {given.transfer} for", f"{said.item} {said.lot}".strip()
            )
        found.append((line, said.arrived, said.missing))
    return found


def _pieces(line: TransferLine, quantity: Decimal) -> list[Pieces]:
    return [Pieces(lot=line.lot.code, quantity=quantity)] if line.lot else []


def _lose(document: Document, line: TransferLine, quantity: Decimal, transit: Place) -> None:
    document.take(
        line.item,
        quantity,
        out_of=transit,
        into=place_of_kind(Place.Kind.COUNT),
        pieces=_pieces(line, quantity),
        then=lambda value: document.journal(Account.COUNT_DIFFERENCE, value),
    )
