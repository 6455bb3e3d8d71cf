"""Lots: judged, put right with their history, split and joined."""

from decimal import Decimal
from typing import Literal

from poietic_core.stock.lots import LotState, Tracking

from ...catalog.models import Item, Place
from ...catalog.queries import item_by_code, place_of_kind, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Pieces
from ...ledger.models import Lot, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import Exists, InvalidInput, NotFound
from ...web_api.fields import Code, Day, Note, Quantity, Reference, Strict
from ..models import LotChange


class JudgeLot(Strict):
    """Whether a lot may be used."""

    item: Code
    lot: Reference
    state: Literal["usable", "quarantined", "rejected"]
    reason: Note


class CorrectLot(Strict):
    """What is known of a lot; what is not named stays."""

    item: Code
    lot: Reference
    #: another code
    code: Reference | None = None
    supplier_code: Reference | None = None
    made_on: Day | None = None
    expires_on: Day | None = None
    #: it does not expire after all
    never_expires: bool = False
    reason: Note


class SplitLot(Strict):
    """A part of a lot at a place that is another lot from now on."""

    item: Code
    lot: Reference
    place: Code
    quantity: Quantity
    into: Reference


class JoinLots(Strict):
    """All of a lot at a place that goes on as part of another lot."""

    item: Code
    lot: Reference
    place: Code
    into: Reference


@command("judge-lot", "Hold or free a lot", Role.STOREKEEPER, Role.CONTROLLER)
def judge_lot(context: Context, given: JudgeLot) -> None:
    """Quarantine a lot, reject it, or let it be used; what was reserved of it is let go of."""
    if not given.reason:
        raise InvalidInput(["reason: say why"])
    item = item_by_code(given.item)
    transaction = _locked(context, item)
    lot = _lot(item, given.lot)
    _change(context, lot, {"state": given.state}, given.reason)
    _keep(transaction, item, lot)
    transaction.post()


@command("correct-lot", "Correct a lot", Role.STOREKEEPER, Role.CONTROLLER)
def correct_lot(context: Context, given: CorrectLot) -> None:
    """Put right what is known of a lot; what was known before stays to be seen."""
    if not given.reason:
        raise InvalidInput(["reason: say why"])
    item = item_by_code(given.item)
    transaction = _locked(context, item)
    lot = _lot(item, given.lot)
    said = given.model_dump(
        include={"code", "supplier_code", "made_on", "expires_on"}, exclude_none=True
    )
    if given.never_expires:
        said["expires_on"] = None
    if given.code and given.code != lot.code and Lot.objects.filter(item=item, code=given.code):
        raise Exists(f"lot of {item.code}", given.code)
    if not _change(context, lot, said, given.reason):
        raise InvalidInput([f"lot: nothing of {lot.code} would be different"])
    _keep(transaction, item, lot)
    transaction.post()


@command("split-lot", "Split a lot", Role.STOREKEEPER, Role.CONTROLLER)
def split_lot(context: Context, given: SplitLot) -> None:
    """Make a part of a lot another lot, of the same supplier, age and last day."""
    item = item_by_code(given.item)
    transaction = _locked(context, item)
    lot = _of_lots(item, given.lot)
    if Lot.objects.filter(item=item, code=given.into).exists():
        raise Exists(f"lot of {item.code}", given.into)
    _regroup(transaction, item, lot, given.into, stock_place(given.place), given.quantity)
    transaction.post()
    if lot.state != LotState.USABLE.value:
        part = _lot(item, given.into)
        _change(context, part, {"state": lot.state}, f"split from {lot.code}")


@command("join-lots", "Join lots", Role.STOREKEEPER, Role.CONTROLLER)
def join_lots(context: Context, given: JoinLots) -> None:
    """Let what is there of a lot go on as part of another; the earlier last day counts for both."""
    item, place = item_by_code(given.item), stock_place(given.place)
    transaction = _locked(context, item)
    lot, into = _of_lots(item, given.lot), _of_lots(item, given.into)
    if lot == into:
        raise InvalidInput(["into: that is the same lot"])
    if lot.state != into.state:
        raise InvalidInput([f"into: {into.code} is {into.state}, {lot.code} is {lot.state}"])
    there = [b.quantity for b in transaction.stock.at(item, place) if b.lot == lot]
    if not there or not there[0]:
        raise InvalidInput([f"place: nothing of {lot.code} is at {place.name}"])
    _regroup(transaction, item, lot, into.code, place, there[0])
    last = min((d for d in (lot.expires_on, into.expires_on) if d), default=None)
    if last != into.expires_on:
        _change(context, into, {"expires_on": last}, f"joined with {lot.code}")
    transaction.post()


def _locked(context: Context, item: Item) -> Transaction:
    """Return a transaction that keeps the item's stock from moving until it ends."""
    transaction = Transaction(context)
    transaction.concern([item.pk])
    assert transaction.stock is not None
    context.touched.add(item.pk)
    return transaction


def _lot(item: Item, code: str) -> Lot:
    found = Lot.objects.filter(item=item, code=code).first()
    if found is None:
        raise NotFound(f"lot or serial of {item.code}", code)
    return found


def _of_lots(item: Item, code: str) -> Lot:
    lot = _lot(item, code)
    if lot.kind != Tracking.LOT.value:
        raise InvalidInput([f"lot: {lot.code} is a serial: one piece can't be split or joined"])
    return lot


def _change(context: Context, lot: Lot, said: dict[str, object], why: str) -> bool:
    """Change a lot and keep what it was before; return whether anything is different."""
    kept = []
    name = f"lot {lot.code} of {lot.item.code}"
    for field, after in said.items():
        before = getattr(lot, field)
        if before == after:
            continue
        words = ["" if v is None else str(v) for v in (before, after)]
        context.effects.field(name, field.replace("_", " "), *words)
        kept.append(
            LotChange(lot=lot, entry_id=context.change, field=field, before=words[0], after=words[1], why=why)
        )  # fmt: skip
        setattr(lot, field, after)
    lot.change = context.change
    lot.save()
    LotChange.objects.bulk_create(kept)
    return bool(kept)


def _keep(transaction: Transaction, item: Item, lot: Lot) -> None:
    """Let the balances that are locked know how the lot is now."""
    for b in transaction.stock.balances.values():
        if b.lot_id == lot.pk:
            b.lot = lot


def _regroup(
    transaction: Transaction, item: Item, lot: Lot, into: str, place: Place, quantity: Decimal
) -> None:
    """Let pieces of one lot go on as another, at what they were worth."""
    between = place_of_kind(Place.Kind.REGROUPED)
    transaction.stock.lots.know(item.pk, into)
    worth: list[Decimal] = []
    document = transaction.open(Posting.Kind.REGROUP)
    document.take(
        item,
        quantity,
        out_of=place,
        into=between,
        pieces=[Pieces(lot=lot.code, quantity=quantity)],
        then=worth.append,
    )
    document.put(
        item,
        quantity,
        out_of=between,
        into=place,
        worth=lambda: worth[0],
        pieces=[
            Pieces(
                lot=into,
                quantity=quantity,
                supplier_code=lot.supplier_code,
                expires_on=lot.expires_on,
                made_on=lot.made_on,
            )
        ],
    )
