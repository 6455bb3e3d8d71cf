"""Reporting what an operation did, and correcting it."""

from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from poietic_core.errors import DomainError
from poietic_core.order.report import check_flow, moved_by
from poietic_core.order.states import Act
from poietic_core.order.working import OperationFinished
from poietic_core.quantity import (
    ZERO,
)
from poietic_core.structure.model import IssueRule

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput
from ..open_book import OpenBook
from .completion import complete
from .losing import follow_loss
from .material import close_document
from .operation_work import (
    add_backflush,
    add_by_products,
    add_setups,
    add_subcontract,
    add_times,
    add_units,
)
from .receiving import add_receipt, require_within
from .report_given import CorrectReport, Receive, Report
from .taking_back import lock_act, mirror_act, postings_of_act
from .working import turn


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
class MoreThanSetAside(DomainError):
    """More pieces come out of rework than went in."""

    operation: int
    quantity: Decimal
    pending: Decimal
    code: ClassVar[str] = "report.more_than_set_aside"
    what: ClassVar[str] = "{quantity} pieces can't come out of rework."
    why: ClassVar[str] = "{pending} are set aside at operation {operation}."
    fix: ClassVar[str] = "Report {pending} or fewer, or report the others as worked on now."


@command("report", "Report", Role.OPERATOR, Role.CONTROLLER)
def report(context: Context, given: Report) -> None:
    """Post good and scrapped pieces, by-products, times, backflush and receipt, all or nothing."""
    book = OpenBook.lock(context, given.order)
    transaction = Transaction(context)
    add_report(transaction, book, given)
    transaction.post()
    follow_loss(book, given.then)
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
    add_report(transaction, book, given.report)
    transaction.post()
    follow_loss(book, given.report.then)
    book.finish()


def add_report(transaction: Transaction, book: OpenBook, given: Report) -> None:
    """Gather all that a report of a locked order says."""
    book.require(Act.POST)
    operation = book.operation(given.operation)
    if operation.is_finished:
        raise OperationFinished(operation.number, book.order.number)
    if operation.working:
        turn(operation, operation.clock().reported(transaction.context.now))
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
    add_units(document, given, moved, book)
    add_by_products(document, book, given)
    worked = ZERO if given.of_rework else given.decided() + given.rework
    times = {given.operation: 0}
    if not given.of_rework:
        times = add_setups(document, book, given, moved, worked)
    add_times(document, book, given, times, worked)
    add_subcontract(document, book, given, moved, worked)
    if worked:
        add_backflush(document, book, IssueRule.AT_OPERATION, times=times, worked=worked)
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
        add_receipt(transaction, book, received)
    check_flow(book.progress(), book.order.received, before=before)
    if given.operation == book.operations[-1].number:
        require_within(book, book.operations[-1].good, given.reason)
    if given.complete is True or (given.complete and book.order.received >= book.order.quantity):
        complete(transaction, book, charge_leftovers=False, reason=given.reason)


def _require_set_aside(book: OpenBook, given: Report) -> None:
    """Refuse to decide on more pieces than wait for rework."""
    if given.rework:
        raise InvalidInput(["rework: pieces that come out of rework are good or scrap"])
    if given.times_set_up:
        raise InvalidInput(["times_set_up: rework has no setups of its own; state its hours"])
    pending = book.operation(given.operation).rework
    if given.decided() > pending:
        raise MoreThanSetAside(given.operation, given.decided(), pending)
