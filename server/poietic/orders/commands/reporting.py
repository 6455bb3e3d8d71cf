"""Reporting what an operation did, correcting it, and receiving the output."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import Annotated, ClassVar, Literal

from django.utils import timezone
from poietic_core.cost.clearing import split_amount
from poietic_core.cost.model import SETUP_KINDS, TIME_ELEMENT, Element, InputKind
from poietic_core.errors import DomainError
from poietic_core.order.report import backflush, check_flow, moved_by
from poietic_core.order.states import Act
from poietic_core.quantity import (
    HOUR_STEP,
    UNIT_COST_STEP,
    ZERO,
    money,
    require_step,
    round_to,
)
from poietic_core.structure.model import IssueRule
from poietic_core.variance.reasons import worth_after
from pydantic import Field

from ...catalog.models import Item
from ...catalog.queries import items_by_code, scrap_reasons, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.basis import split_from_json
from ...engineering.rates import hourly_rates
from ...ledger.document import Document, Pieces
from ...ledger.models import SET_UP, Account, Posting, StockLine, UnitLine
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput
from ...web_api.fields import (
    Code,
    Day,
    Hours,
    Moment,
    Note,
    OperationNumber,
    OrderNumber,
    PostingNumber,
    Quantity,
    QuantityOrNone,
    Reference,
    Strict,
)
from ..book import OpenBook
from ..models import OrderInput
from .completion import complete
from .material import close_document, issue
from .taking_back import lock_act, mirror_act, postings_of_act


@dataclass(eq=False)
class NotAReport(DomainError):
    """Only reports can be corrected."""

    posting: int
    kind: str
    code: ClassVar[str] = "posting.not_a_report"
    what: ClassVar[str] = "Posting {posting} can't be corrected as a report."
    why: ClassVar[str] = "It is of another kind: {kind}."
    fix: ClassVar[str] = "Take it back and enter it again."


@dataclass(eq=False)
class NotAllGraded(DomainError):
    """Received pieces that are not all sorted into grades."""

    order: int
    quantity: Decimal
    graded: Decimal
    unit: str
    code: ClassVar[str] = "order.not_all_graded"
    what: ClassVar[str] = "{quantity} {unit} of order {order} can't be received yet."
    why: ClassVar[str] = "{graded} {unit} are sorted into grades."
    fix: ClassVar[str] = "Enter the pieces of each grade so that they add up to {quantity}."


@dataclass(eq=False)
class MoreThanSetAside(DomainError):
    """More pieces come out of rework than went in."""

    operation: int
    quantity: Decimal
    pending: Decimal
    code: ClassVar[str] = "report.more_than_set_aside"
    what: ClassVar[str] = "{quantity} pieces can't come out of rework."
    why: ClassVar[str] = "{pending} are set aside at operation {operation}."
    fix: ClassVar[str] = "Report {pending} or fewer, or report the others as worked on now."


class ScrapGiven(Strict):
    """Scrapped pieces of one reason."""

    reason: Code
    quantity: Quantity


class ByProductGiven(Strict):
    """A by-product that went into stock; the place defaults to the order's receipt place."""

    item: Code
    quantity: Quantity
    place: Code | None = None
    lot: Reference | None = None


class GradeReceived(Strict):
    """Pieces of one grade."""

    item: Code
    quantity: Quantity


class LotMade(Strict):
    """A lot or a serial that comes out; of what is graded, of which item."""

    lot: Reference
    quantity: Quantity
    item: Code | None = None
    expires_on: Day | None = None

    def pieces(self) -> Pieces:
        """Return it as the ledger takes it."""
        return Pieces(lot=self.lot, quantity=self.quantity, expires_on=self.expires_on)


LotsMade = Annotated[list[LotMade], Field(max_length=1000)]


class Report(Strict):
    """What an operation did; times left out are charged by the standard."""

    order: OrderNumber
    operation: OperationNumber
    good: QuantityOrNone = ZERO
    scrap: Annotated[list[ScrapGiven], Field(max_length=50)] = []
    #: pieces worked on and set aside, neither good nor lost yet
    rework: QuantityOrNone = ZERO
    #: what is reported was set aside before: it is not worked on anew, and its hours are rework
    of_rework: bool = False
    by_products: Annotated[list[ByProductGiven], Field(max_length=50)] = []
    #: how often the operation was set up since the last report; left out: once, with the first
    times_set_up: Annotated[int, Field(ge=0, le=99)] | None = None
    setup_labour_hours: Hours | None = None
    setup_machine_hours: Hours | None = None
    run_labour_hours: Hours | None = None
    run_machine_hours: Hours | None = None
    #: pieces received into stock in the same act; "ready" are all that are good and not yet received
    receive: QuantityOrNone | Literal["ready"] = ZERO
    #: what they were sorted into, where the output is graded
    grades: Annotated[list[GradeReceived], Field(max_length=20)] = []
    #: what is received, where it is tracked; left out, numbered by the item's rule
    lots: LotsMade = []
    #: complete the order in the same act, or only when all of it is received then; leftovers go back
    complete: bool | Literal["when received"] = False
    happened_at: Moment | None = None
    reason: Note = ""

    def decided(self) -> Decimal:
        """Return the pieces that are good or lost."""
        scrapped: Decimal = sum((s.quantity for s in self.scrap), ZERO)
        return Decimal(self.good) + scrapped

    def hours(self, kind: InputKind) -> Decimal | None:
        """Return the hours stated for a kind of time; None where the standard counts."""
        stated: Decimal | None = getattr(self, f"{kind.value.replace(' ', '_')}_hours")
        return stated


class CorrectReport(Strict):
    """The report to take back, and what is right instead."""

    posting: PostingNumber
    report: Report


class Receive(Strict):
    """Pieces that leave an order into stock."""

    order: OrderNumber
    quantity: Quantity
    #: what they were sorted into, where the output is graded
    grades: Annotated[list[GradeReceived], Field(max_length=20)] = []
    #: of tracked output; left out, numbered by the item's rule
    lots: LotsMade = []
    place: Code | None = None
    complete: bool = False
    happened_at: Moment | None = None
    reason: Note = ""


@command("report", "Report", Role.OPERATOR, Role.CONTROLLER)
def report(context: Context, given: Report) -> None:
    """Post good and scrapped pieces, by-products, times, backflush and receipt, all or nothing."""
    book = OpenBook.lock(context, given.order)
    transaction = Transaction(context)
    _add_report(transaction, book, given)
    transaction.post()
    book.finish()


@command("correct-report", "Correct a report", Role.OPERATOR, Role.CONTROLLER)
def correct_report(context: Context, given: CorrectReport) -> None:
    """Take a report back and post the right one, as one act."""
    book = lock_act(context, given.posting)
    original, act = postings_of_act(given.posting)
    if book is None or original.kind != Posting.Kind.REPORT:
        raise NotAReport(original.pk, original.get_kind_display())
    if book.order.number != given.report.order:
        raise InvalidInput(
            [f"report.order: posting {original.pk} belongs to order {book.order.number}"]
        )
    transaction = Transaction(context)
    mirror_act(transaction, book, act, given.report.reason)
    _add_report(transaction, book, given.report)
    transaction.post()
    book.finish()


@command("receive", "Receive output", Role.STOREKEEPER, Role.OPERATOR, Role.CONTROLLER)
def receive(context: Context, given: Receive) -> None:
    """Put good pieces of an order into stock; WIP is credited at the frozen standard."""
    book = OpenBook.lock(context, given.order)
    transaction = Transaction(context)
    _add_receipt(transaction, book, given)
    check_flow(book.progress(), book.order.received)
    if given.complete:
        complete(transaction, book, charge_leftovers=False)
    transaction.post()
    book.finish()


def _add_report(transaction: Transaction, book: OpenBook, given: Report) -> None:
    book.require(Act.POST)
    book.operation(given.operation)
    before = book.progress()
    moved = moved_by(before, given.operation)
    if given.of_rework:
        _require_set_aside(book, given)
        book.ready_for_rework(given.operation)
        moved = [given.operation]
    document = transaction.open(
        Posting.Kind.REPORT,
        happened_at=given.happened_at,
        cost_object=book.order.cost_object,
        operation=given.operation,
        reason=given.reason,
    )
    _add_units(document, given, moved, book)
    _add_by_products(document, book, given)
    worked = ZERO if given.of_rework else given.decided() + given.rework
    times = {given.operation: 0}
    if not given.of_rework:
        times = _add_setups(document, book, given, moved, worked)
    _add_times(document, book, given, times, worked)
    _add_subcontract(document, book, given, moved, worked)
    if worked:
        _add_backflush(document, book, IssueRule.AT_OPERATION, times=times, worked=worked)
    close_document(book, document)
    quantity = given.receive
    if quantity == "ready":
        quantity = max(ZERO, book.operations[-1].good - book.order.received)
    if quantity:
        received = Receive(
            order=given.order,
            quantity=quantity,
            grades=given.grades,
            lots=given.lots,
            happened_at=given.happened_at,
            reason=given.reason,
        )
        _add_receipt(transaction, book, received)
    check_flow(book.progress(), book.order.received, before=before)
    if given.complete is True or (given.complete and book.order.received >= book.order.quantity):
        complete(transaction, book, charge_leftovers=False)


def _require_set_aside(book: OpenBook, given: Report) -> None:
    """Refuse to decide on more pieces than wait for rework."""
    if given.rework:
        raise InvalidInput(["rework: pieces that come out of rework are good or scrap"])
    if given.times_set_up:
        raise InvalidInput(["times_set_up: rework has no setups of its own; state its hours"])
    pending = book.operation(given.operation).rework
    if given.decided() > pending:
        raise MoreThanSetAside(given.operation, given.decided(), pending)


def _add_units(document: Document, given: Report, moved: list[int], book: OpenBook) -> None:
    """Add good and scrapped pieces; operations not reported by themselves pass all of them on."""
    item = book.order.item
    times = [given.hours(k) for k in TIME_ELEMENT]
    if not (given.decided() or given.rework or given.by_products or any(times)):
        raise InvalidInput(["good: nothing is reported: no pieces, no by-product, no time"])
    require_step("The good quantity", given.good, step=item.step, unit=item.unit)
    for s in given.scrap:
        require_step("The scrap quantity", s.quantity, step=item.step, unit=item.unit)
    reasons = scrap_reasons([s.reason for s in given.scrap])
    require_step("The quantity for rework", given.rework, step=item.step, unit=item.unit)
    for number in moved[:-1]:
        if passed_on := given.decided() + given.rework:
            document.units(number, passed_on, UnitLine.Kind.GOOD)
    set_aside = -given.decided() if given.of_rework else given.rework
    if set_aside:
        document.units(given.operation, set_aside, UnitLine.Kind.REWORK)
    if given.good:
        document.units(given.operation, given.good, UnitLine.Kind.GOOD)
    for s in given.scrap:
        document.units(given.operation, s.quantity, UnitLine.Kind.SCRAP, reasons[s.reason])
        if reasons[s.reason].is_written_off:
            _write_off(document, book, given.operation, s.quantity)


def _write_off(document: Document, book: OpenBook, operation: int, scrapped: Decimal) -> None:
    """Take abnormal scrap out of the order to expense, at the standard of a good unit."""
    for (_, at), each in worth_after(book.facts())[operation].items():
        line = book.inputs[at]
        amount = money(each * scrapped)
        document.charge(line.operation, -amount, split_from_json(line.split))
        document.journal(Account.SCRAP_EXPENSE, amount, operation=operation)


def _add_by_products(document: Document, book: OpenBook, given: Report) -> None:
    items = items_by_code(b.item for b in given.by_products)
    for b in given.by_products:
        line = book.find_output(given.operation, items[b.item])
        worth = money(b.quantity * line.price)
        document.put(
            items[b.item],
            b.quantity,
            out_of=book.wip_place,
            into=stock_place(b.place) if b.place else book.order.receipt_place,
            worth=worth,
            part=line.kind,
            operation=given.operation,
            pieces=[Pieces(lot=b.lot, quantity=b.quantity)] if b.lot else (),
        )
        document.charge(given.operation, -worth, split_from_json(line.split))


def _add_setups(
    document: Document, book: OpenBook, given: Report, moved: list[int], worked: Decimal
) -> dict[int, int]:
    """Note how often each operation was set up; left out, once, as soon as anything of it is reported.

    Returns
    -------
    dict of operation to times set up in this report
    """
    hours = any(given.hours(kind) for kind in SETUP_KINDS)
    found = {}
    for number in moved:
        is_reported = number == given.operation
        times = given.times_set_up if is_reported else None
        if times is None:
            begins = worked or (is_reported and hours)
            times = int(bool(begins) and not book.times_made(number))
        found[number] = times
        if times or (is_reported and given.times_set_up is not None):
            document.time(number, SET_UP, Decimal(times), ZERO)
    return found


def _add_times(
    document: Document, book: OpenBook, given: Report, times: dict[int, int], worked: Decimal
) -> None:
    """Charge times: as stated for the reported operation, else by the standard; at the day's rates."""
    grades = {o.number: o.labour_grade for o in book.operations if o.number in times}
    rates = hourly_rates(
        timezone.localdate(document.happened_at),
        {i.work_center.pk for i in book.inputs if i.work_center and i.operation in times},
        {grade.pk for grade in grades.values() if grade},
    )
    for i in book.inputs:
        kind = InputKind(i.kind)
        if kind not in TIME_ELEMENT or i.operation not in times or i.work_center is None:
            continue
        if i.is_rework != given.of_rework:
            continue
        hours = given.hours(kind) if i.operation == given.operation else None
        if hours is None and not given.of_rework:
            hours = _standard_hours(i, book, times[i.operation], worked)
        if hours:
            grade = grades.get(i.operation)
            rate = rates.hour(kind, i.work_center.code, grade.code if grade else "")
            amount = money(hours * rate.per_hour)
            document.time(i.operation, kind.value, hours, amount, is_rework=i.is_rework)
            for element, part in split_amount(amount, rate.split).items():
                document.charge(i.operation, part, {element: part})
                document.journal(ABSORBED.get(element, Account.OVERHEAD_ABSORBED), -part)
    stated = [k for k in TIME_ELEMENT if given.hours(k)]
    present = {i.kind for i in book.inputs if i.operation == given.operation}
    for kind in stated:
        if kind.value not in present:
            raise InvalidInput(
                [f"{kind.value.replace(' ', '_')}_hours: operation {given.operation} has no {kind}"]
            )


#: where the work done goes out of; overhead layers have an account of their own
ABSORBED = {
    Element.SETUP_LABOUR: Account.LABOUR_ABSORBED,
    Element.RUN_LABOUR: Account.LABOUR_ABSORBED,
    Element.MACHINE: Account.MACHINE_ABSORBED,
}


def _add_subcontract(
    document: Document, book: OpenBook, given: Report, moved: list[int], worked: Decimal
) -> None:
    """Charge what suppliers are paid for the pieces, by the payment basis."""
    for i in book.inputs:
        if i.kind != InputKind.SUBCONTRACT or i.operation not in moved:
            continue
        if not (worked or (i.is_per_good and given.good)):
            continue
        is_reported = i.operation == given.operation
        if i.is_per_order:
            pieces = i.allowed if not i.used else ZERO
        else:
            pieces = (given.good if i.is_per_good and is_reported else worked) * i.allowed
        pieces = round_to(pieces, UNIT_COST_STEP)
        price = i.price if i.agreed_price is None else i.agreed_price
        amount = money(pieces * price)
        if pieces:
            document.time(i.operation, i.kind, pieces, amount)
            document.charge(i.operation, amount, {Element.SUBCONTRACT: amount})
            document.journal(Account.GOODS_RECEIVED, -amount)


def _standard_hours(i: OrderInput, book: OpenBook, times: int, worked: Decimal) -> Decimal:
    """Return the hours that the standard grants for what a report says."""
    if i.kind in SETUP_KINDS:
        return round_to(i.allowed * times, HOUR_STEP) if worked else ZERO
    return backflush(
        per_unit=Fraction(i.allowed_exactly),
        units_to_date=book.done(i) + (times if i.is_per_order else worked),
        charged_so_far=i.covered,
        step=HOUR_STEP,
    )


def _add_backflush(
    document: Document,
    book: OpenBook,
    rule: IssueRule,
    *,
    times: Mapping[int, int] | None = None,
    worked: Decimal,
) -> None:
    """Charge the components of a rule for all that their operations did, a report of it included.

    Parameters
    ----------
    times : how often the reported operations were set up now; None: all operations, as they stand
    worked : units that these worked on now
    """
    for c in book.components(times):
        done = book.done(c)
        if times is not None:
            done += times[c.operation] if c.is_per_order else worked
        if c.issue_rule != rule or c.item is None or not done:
            continue
        due = backflush(
            per_unit=Fraction(c.allowed_exactly),
            units_to_date=done,
            charged_so_far=c.covered,
            step=c.item.step,
        )
        if due:
            issue(book, document, c, due, book.order.supply_place)


def _add_receipt(transaction: Transaction, book: OpenBook, given: Receive) -> None:
    """Gather what leaves an order into stock; what it is worth goes by what was credited by then."""
    book.require(Act.POST)
    order = book.order
    document = transaction.open(
        Posting.Kind.RECEIPT,
        happened_at=given.happened_at,
        cost_object=order.cost_object,
        reason=given.reason,
    )
    received = _sorted_into(book, given)
    to_date = book.worth_received({item.code: q for item, q in received})
    into = stock_place(given.place) if given.place else order.receipt_place
    for item, quantity in received:

        def worth(code: str = item.code) -> Decimal:
            return to_date[code] - book.credited()[code]

        document.put(
            item,
            quantity,
            out_of=book.wip_place,
            into=into,
            worth=worth,
            part=StockLine.Part.OUTPUT,
            pieces=[p.pieces() for p in given.lots if p.item in (None, item.code)],
        )

    def credit() -> None:
        put = sum((line.worth for line in document.lines), ZERO)
        whole = sum(book.credited().values(), ZERO) + put
        credits = book.receipt_credits(whole, transaction.wip.credits_of(order.cost_object))
        for (operation, element), amount in credits.items():
            document.journal(Account.WIP, -amount, operation=operation, element=element.value)

    document.follow(credit)
    close_document(book, document)
    _issue_at_receipt(transaction, book, document)


def _sorted_into(book: OpenBook, given: Receive) -> list[tuple[Item, Decimal]]:
    """Return what a receipt puts into stock: the item itself, or each grade's pieces."""
    if not book.grades:
        if given.grades:
            raise InvalidInput([f"grades: the output of {book.order.item.code} is not graded"])
        return [(book.order.item, given.quantity)]
    grades = {g.item.code: g.item for g in book.grades}
    unknown = [g.item for g in given.grades if g.item not in grades]
    if unknown:
        raise InvalidInput([f"grades: {unknown[0]} is none of {', '.join(grades)}"])
    whole = sum((g.quantity for g in given.grades), ZERO)
    if whole != given.quantity:
        raise NotAllGraded(book.order.number, given.quantity, whole, book.order.item.unit)
    sums: dict[str, Decimal] = {}
    for g in given.grades:
        sums[g.item] = sums.get(g.item, ZERO) + g.quantity
    return [(grades[code], quantity) for code, quantity in sums.items()]


def _issue_at_receipt(transaction: Transaction, book: OpenBook, receipt: Document) -> None:
    """Charge what is issued when output is received, in a posting of its own beside the receipt's.

    The receipt's own WIP lines are credits of the frozen standard, and are counted as such.
    """
    if not any(c.issue_rule == IssueRule.AT_RECEIPT for c in book.components()):
        return
    document = transaction.open(
        Posting.Kind.ISSUE,
        happened_at=receipt.happened_at,
        cost_object=book.order.cost_object,
        reason=receipt.reason,
    )
    _add_backflush(document, book, IssueRule.AT_RECEIPT, worked=ZERO)
    if document.moves:
        close_document(book, document)
    else:
        transaction.documents.remove(document)
