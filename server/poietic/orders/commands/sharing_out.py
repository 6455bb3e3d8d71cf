"""Work in process between two orders: what goes with units that are taken out, and back with all of them."""

from collections.abc import Iterable
from copy import copy
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction
from typing import TypeVar

from django.db.models import Sum
from poietic_core.cost.clearing import split_amount
from poietic_core.cost.model import InputKind
from poietic_core.order.split import (
    Held,
    MoreThanItMakes,
    NotStandingThere,
    by_lot,
    needed_after,
    plan_without_loss,
    share_taken,
    standing_after,
    taken,
)
from poietic_core.quantity import UNIT_COST_STEP, ZERO, allocate, decimal_of, round_to
from poietic_core.structure.basis import Basis
from poietic_core.structure.flow import Network
from poietic_core.variance.facts import sign_of

from ...catalog.models import Place, Reason
from ...costing.basis import split_from_json
from ...ledger.document import Document, Handover
from ...ledger.lots import issued_to
from ...ledger.models import SET_UP, Account, Lot, Posting, UnitLine
from ...ledger.transaction import Transaction
from ..models import Order, OrderGrade, OrderInput, OrderOperation, Tranche, TrancheLine
from ..open_book import OpenBook
from .rescaling import (
    LessThanDone,
    fit_needs,
    lower,
    needs_now,
    released_still,
    require_no_less_than_done,
)
from .reserving import reserve_needs

Row = TypeVar("Row", OrderOperation, OrderInput, OrderGrade)
#: codes of lots, with their keys, of what an order was issued, by operation and item
Issued = dict[tuple[int, int], dict[str, Decimal]]


@dataclass
class Taken:
    """What is taken out of an order: units that passed some operations, and the part of the order they make."""

    units: Decimal
    after: int | None
    #: operations that they passed
    passed: set[int]
    part: Fraction
    #: units fewer that each operation is entered by the new order than its plan has
    fewer: dict[int, Decimal] = field(default_factory=dict)


def what_is_taken(
    book: OpenBook, quantity: Decimal, after: int | None, units: Decimal | None
) -> Taken:
    """Return what goes with an order that is to make a quantity; left out, all that it needs and that stand there.

    Raises
    ------
    NotStandingThere (order.not_standing_there)
    MoreThanItMakes (order.more_than_it_makes)
    LessThanDone (order.less_than_done)
        If the order that is left would make less than it has made.
    """
    order, progress = book.order, book.progress()
    part = Fraction(quantity) / Fraction(order.quantity)
    found = Taken(ZERO, None, set(), part)
    if after is not None:
        book.operation(after)
        sent = {o.number: o.sent for o in book.operations}
        there = max(ZERO, standing_after(progress, after, order.received, sent))
        most = needed_after(progress, after, quantity, order.item.step)
        wanted = min(there, most) if units is None else units
        if wanted > there or not there:
            raise NotStandingThere(wanted, after, there)
        if wanted > most:
            raise MoreThanItMakes(wanted, quantity, most)
        passed = Network(progress).through(after)
        found = Taken(wanted, after, passed, part, plan_without_loss(progress, after, wanted))
    last = book.operations[-1]
    made = last.good - (found.units if last.number in found.passed else ZERO)
    rest = order.quantity - quantity
    if rest < made:
        raise LessThanDone(order.number, rest, made, order.item.unit, "made")
    return found


def share_out(book: OpenBook, other: OpenBook, out: Taken) -> None:
    """Give a new order its part of a running one: structure, units, hours, material, parts released."""
    order, quantity = book.order, other.order.quantity
    twins = _twins(book, other)
    for one in (book, other):
        sign = 1 if one is book else -1
        for o in one.operations:
            o.replenished += sign * out.fewer.get(o.number, ZERO)
    _share_tranches(book, other, out, twins)
    order.quantity -= quantity
    require_no_less_than_done(book, order.quantity)
    stays, goes = _needs_apart(book, other, out, twins)
    if moved := _moved(book, out, twins, stays, goes):
        other.order.split_from = order
        transaction = Transaction(book.context)
        leaving = transaction.open(Posting.Kind.SPLIT, cost_object=order.cost_object, operation=out.after)  # fmt: skip
        coming = transaction.open(Posting.Kind.SPLIT, cost_object=other.order.cost_object, operation=out.after)  # fmt: skip
        _hand_over(book, leaving, coming, moved)
        for i, _, amount in moved:
            split = split_from_json(i.split)
            for element, cents in split_amount(sign_of(InputKind(i.kind)) * amount, split).items():
                _carry(leaving, coming, i.operation, element.value, cents)
        for number in out.passed:
            _hand_units(leaving, coming, number, out.units, UnitLine.Kind.GOOD)
            if place := _sent_to(book, number):
                _hand_units(leaving, coming, number, out.units, UnitLine.Kind.SENT, place=place)
        for o in book.operations:
            _hand_setups(book, leaving, coming, o.number, out.part)
        book.take_in(leaving)
        other.take_in(coming)
        transaction.post()
    fit_needs(book, stays)
    fit_needs(other, {twins[key].pk: need for key, need in goes.items()})
    keep_what_is_released(other)


def take_over_all(transaction: Transaction, book: OpenBook, into: OpenBook) -> None:
    """Have one order take over all that was made and charged of another that was split from it."""
    leaving = transaction.open(Posting.Kind.MERGE, cost_object=book.order.cost_object)
    coming = transaction.open(Posting.Kind.MERGE, cost_object=into.order.cost_object)
    for i in book.inputs:
        if i.used or i.amount:
            _require_twin(i, into, book)
    _hand_over(book, leaving, coming, [(i, i.used, i.amount) for i in book.inputs if i.used or i.amount])  # fmt: skip
    for (owner, operation, element), amount in sorted(transaction.wip.amounts.items()):
        if owner == book.order.pk and amount:
            _carry(leaving, coming, operation, element, amount)
    lines = UnitLine.objects.filter(posting__cost_object=book.order.pk)
    what = ("operation", "kind", "reason", "place")
    for number, kind, reason, place, units in lines.values_list(*what).annotate(total=Sum("quantity")).order_by(*what):  # fmt: skip
        if units:
            _hand_units(leaving, coming, number, units, kind, reason, place)
    for o in book.operations:
        twin = into.operation(o.number)
        twin.replenished += o.replenished
        if o.written_off:
            for document, sign in ((leaving, -1), (coming, 1)):
                document.journal(Account.SCRAP_EXPENSE, sign * o.written_off, operation=o.number)
                document.journal(Account.HANDED_OVER, -sign * o.written_off)
        times = book.times_made(o.number)
        if times and (o.times_set_up is not None or twin.times_set_up is not None):
            own = into.times_made(o.number) if twin.times_set_up is None else ZERO
            leaving.time(o.number, SET_UP, -(o.times_set_up or ZERO), ZERO)
            coming.time(o.number, SET_UP, own + times, ZERO)
    book.take_in(leaving)
    into.take_in(coming)
    _take_over_tranches(book, into)
    Order.objects.filter(split_from=book.order.pk).update(split_from=into.order.pk)


def keep_what_is_released(book: OpenBook) -> None:
    """Keep for an order that is released in parts what these bring and it does not hold yet."""
    order = book.order
    if not order.is_in_parts:
        return
    kept: dict[tuple[int, int], Decimal] = {}
    for r in order.cost_object.reservations.all():
        kept[r.operation, r.item_id] = kept.get((r.operation, r.item_id), ZERO) + r.quantity
    parts = released_still(book)
    for c in book.components():
        if c.pk in parts:
            parts[c.pk] = max(ZERO, parts[c.pk] - kept.get((c.operation, c.item_id or 0), ZERO))
    transaction = Transaction(book.context)
    reserve_needs(transaction, book, parts=parts)
    transaction.post()


# --- rows of the new order


def _twins(book: OpenBook, other: OpenBook) -> dict[int, OrderInput]:
    """Give an order the rows of another, with nothing done yet; returns its inputs by the other's keys."""
    own = other.order
    nothing_done = {"good": ZERO, "scrap": ZERO, "rework": ZERO, "sent": ZERO, "back_at": None, "written_off": ZERO, "times_set_up": None, "replenished": ZERO, "working": "", "working_since": None, "worked_hours": ZERO, "worker": None, "paused_words": ""}  # fmt: skip
    other.operations = [_of(own, o, **nothing_done) for o in book.operations]
    OrderOperation.objects.bulk_create(other.operations)
    other.grades = [_of(own, g, received=ZERO, received_value=ZERO) for g in book.grades]
    OrderGrade.objects.bulk_create(other.grades)
    twins = {i.pk: _unused(own, i) for i in book.inputs}
    other.inputs = list(twins.values())
    OrderInput.objects.bulk_create(other.inputs)
    instead = [i for i in other.inputs if i.stands_for]
    for i in instead:
        i.stands_for = [f | {"input": twins[f["input"]].pk} for f in i.stands_for]
    OrderInput.objects.bulk_update(instead, ["stands_for"])
    return twins


def _of(order: Order, row: Row, **changed: object) -> Row:
    twin = copy(row)
    twin.pk, twin.order = None, order
    for name, value in changed.items():
        setattr(twin, name, value)
    return twin


def _unused(order: Order, i: OrderInput) -> OrderInput:
    return _of(order, i, used=ZERO, amount=ZERO, stood_in=ZERO, still=ZERO)


def _require_twin(i: OrderInput, into: OpenBook, book: OpenBook) -> None:
    """Give an order an input that only the other one came to have: rework, extra cost, a substitute."""
    if any(_place(i) == _place(own) for own in into.inputs):
        return
    places = {row.pk: _place(row) for row in book.inputs}
    own_by_place = {_place(row): row.pk for row in into.inputs}
    twin = _unused(into.order, i)
    twin.stands_for = [f | {"input": own_by_place[places[f["input"]]]} for f in i.stands_for]
    into.add_input(twin)


def _place(i: OrderInput) -> tuple[object, ...]:
    """Return what an input is found by in either order."""
    return (i.operation, i.kind, i.item_id, i.overhead, i.is_rework)


# --- how much of each input


def _needs_apart(
    book: OpenBook, other: OpenBook, out: Taken, twins: dict[int, OrderInput]
) -> tuple[dict[int, Decimal], dict[int, Decimal]]:
    """Return what each of two orders needs of the inputs at operations that the units passed, by the first's keys.

    Shared exactly, not rounded up a second time: of what is fixed by the quantities ordered, else
    for the units. Where the new order is to begin some of its units itself, both are needs of their own.
    """
    now, others = needs_now(book), needs_now(other)
    entered = {o.number: o.entering for o in other.operations}
    stays: dict[int, Decimal] = {}
    goes: dict[int, Decimal] = {}
    for i in book.inputs:
        if i.pk not in now:
            continue
        stays[i.pk], goes[i.pk] = now[i.pk], others[twins[i.pk].pk]
        if i.is_per_order:
            if not book.times_made(i.operation):
                continue
            goes[i.pk] = _rounded(i.need, out.part)
        elif i.operation not in out.passed:
            continue
        elif entered[i.operation] - out.units <= UNIT_COST_STEP:
            goes[i.pk] = _rounded(out.units, Fraction(i.allowed_exactly))
        else:
            continue
        stays[i.pk] = max(ZERO, i.need - goes[i.pk])
    return stays, goes


def _rounded(quantity: Decimal, share: Fraction) -> Decimal:
    return round_to(decimal_of(Fraction(quantity) * share), UNIT_COST_STEP)


def _moved(
    book: OpenBook,
    out: Taken,
    twins: dict[int, OrderInput],
    stays: dict[int, Decimal],
    goes: dict[int, Decimal],
) -> list[tuple[OrderInput, Decimal, Decimal]]:
    """Return what goes over of each input: worked into the units, and issued beyond what the rest needs."""
    shares = {i.pk: _share(book, i, out) for i in book.inputs if not i.stands_for}
    found = []
    for i in book.inputs:
        at = i.stands_for[0]["input"] if i.stands_for else i.pk
        held = _held(i)
        quantity, amount = taken(shares[at], held)
        if i.kind == InputKind.COMPONENT and i.pk in stays and i.item:
            covered = round_to(i.covered * decimal_of(shares[at]), UNIT_COST_STEP)
            done = book.done(i) - (out.units if i.operation in out.passed else ZERO)
            spare = min(
                i.covered - covered - max(stays[i.pk], i.allowed * done),
                goes[i.pk] - covered,
                i.need - stays[i.pk] - covered,
                i.used - quantity,
            )
            if (whole := spare - spare % i.item.step) > 0:
                quantity += whole
                amount = taken(Fraction(quantity) / Fraction(i.used), held)[1]
        if quantity or amount:
            found.append((i, quantity, amount))
    return found


def _share(book: OpenBook, i: OrderInput, out: Taken) -> Fraction:
    if (
        i.is_per_order and not i.is_rework
    ):  # what is fixed was made for both, wherever its units stand
        return out.part if book.times_made(i.operation) else Fraction(0)
    if i.operation not in out.passed:
        return Fraction(0)
    o = book.operation(i.operation)
    return share_taken(_held(i), processed=o.processed, good=o.good, units=out.units, part=out.part)


def _held(i: OrderInput) -> Held:
    return Held(
        basis=Basis(i.basis),
        allowed=Fraction(i.allowed_exactly),
        used=i.used,
        covered=i.covered,
        amount=i.amount,
        is_component=i.kind == InputKind.COMPONENT,
    )


# --- what the documents say


def _hand_over(
    book: OpenBook,
    leaving: Document,
    coming: Document,
    moved: Iterable[tuple[OrderInput, Decimal, Decimal]],
) -> None:
    """Say of each input how much leaves the one order and comes to the other."""
    issued: Issued = {}
    for _, operation, item, lot, quantity in issued_to([book.order.pk]):
        of = issued.setdefault((operation, item), {})
        of[lot] = of.get(lot, ZERO) + quantity
    keys = _lot_keys(issued)
    for i, quantity, amount in moved:
        if i.item_id is None:
            for document, sign in ((leaving, -1), (coming, 1)):
                document.time(i.operation, i.kind, sign * quantity, sign * amount, code=i.overhead, is_rework=i.is_rework)  # fmt: skip
            continue
        there = issued.get((i.operation, i.item_id), {}) if i.kind == InputKind.COMPONENT else {}
        lots = by_lot(there, quantity) or {"": quantity}
        amounts = allocate(amount, [max(q, UNIT_COST_STEP) for q in lots.values()])
        for (lot, part), cents in zip(lots.items(), amounts, strict=True):
            for document, sign in ((leaving, -1), (coming, 1)):
                document.handovers.append(
                    Handover(
                        operation=i.operation,
                        part=i.kind,
                        item=i.item_id,
                        lot=keys.get((i.item_id, lot)),
                        quantity=sign * part,
                        amount=sign * cents,
                    )
                )


def _lot_keys(issued: Issued) -> dict[tuple[int, str], int]:
    items = {item for _, item in issued}
    codes = {code for lots in issued.values() for code in lots if code}
    rows = Lot.objects.filter(item__in=items, code__in=codes) if codes else []
    return {(lot.item_id, lot.code): lot.pk for lot in rows}


def _carry(leaving: Document, coming: Document, operation: int, element: str, amount: Decimal) -> None:  # fmt: skip
    """Carry money from a cell of the one order's work in process to the same cell of the other's."""
    for document, sign in ((leaving, -1), (coming, 1)):
        document.journal(Account.WIP, sign * amount, operation=operation, element=element)
        document.journal(Account.HANDED_OVER, -sign * amount)


def _hand_units(leaving: Document, coming: Document, operation: int, units: Decimal, kind: str, reason: int | None = None, place: int | None = None) -> None:  # fmt: skip
    why, where = Reason(pk=reason) if reason else None, Place(pk=place) if place else None
    for document, sign in ((leaving, -1), (coming, 1)):
        document.units(operation, sign * units, kind, why, where)


def _sent_to(book: OpenBook, operation: int) -> int | None:
    """Return the place that units went to for an operation, None where none did."""
    if not book.operation(operation).sent:
        return None
    lines = UnitLine.objects.filter(posting__cost_object=book.order.pk, operation=operation, kind=UnitLine.Kind.SENT)  # fmt: skip
    return lines.order_by("-pk").values_list("place", flat=True).first()


def _hand_setups(book: OpenBook, leaving: Document, coming: Document, operation: int, part: Fraction) -> None:  # fmt: skip
    """Share how often an operation was set up, by the quantities ordered."""
    if not (times := book.times_made(operation)):
        return
    share = _rounded(times, part)
    said = book.operation(operation).times_set_up is not None
    leaving.time(operation, SET_UP, (ZERO if said else times) - share, ZERO)
    coming.time(operation, SET_UP, share, ZERO)


# --- parts released


def _share_tranches(
    book: OpenBook, other: OpenBook, out: Taken, twins: dict[int, OrderInput]
) -> None:
    """Take the units out of the parts that they were released with, the first first."""
    other.order.is_in_parts = book.order.is_in_parts
    left = out.units
    for tranche in book.order.tranches.prefetch_related("lines"):
        if not left or out.after is None or not tranche.first <= out.after <= tranche.last:
            continue
        units = min(left, tranche.quantity)
        left -= units
        part = Fraction(units) / Fraction(tranche.quantity)
        twin = Tranche.objects.create(
            order=other.order,
            number=other.order.tranches.count() + 1,
            first=tranche.first,
            last=tranche.last,
            quantity=units,
            released_at=tranche.released_at,
        )
        for line in tranche.lines.all():
            if share := _rounded(line.quantity, part):
                TrancheLine.objects.create(tranche=twin, input=twins[line.input_id], quantity=share)
                lower(line, line.quantity - share)
        lower(tranche, tranche.quantity - units)


def _take_over_tranches(book: OpenBook, into: OpenBook) -> None:
    """Have the parts released of one order be parts of another."""
    own = {_place(i): i for i in into.inputs}
    places = {i.pk: _place(i) for i in book.inputs}
    last = max((t.number for t in into.order.tranches.all()), default=0)
    for number, tranche in enumerate(book.order.tranches.prefetch_related("lines"), last + 1):
        for line in tranche.lines.all():
            line.input = own[places[line.input_id]]
            line.save(update_fields=["input"])
        tranche.order, tranche.number = into.order, number
        tranche.save(update_fields=["order", "number"])
