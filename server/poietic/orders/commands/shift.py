"""What happened in a shift, one row each: every row a report, all in one act, faults told by row."""

from dataclasses import dataclass
from typing import Annotated, Any, ClassVar

from django.db import transaction
from poietic_core.cost.model import RUN_KINDS, SETUP_KINDS, InputKind
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO
from pydantic import Field

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.transaction import Transaction
from ...statements.prepared import lock_keys
from ...web_api.errors import InvalidInput
from ...web_api.fields import (
    Code,
    Hours,
    Moment,
    Note,
    OperationNumber,
    OrderNumber,
    QuantityOrNone,
    Strict,
)
from ..models import Order
from ..open_book import OpenBook
from .report_given import Report, ScrapGiven
from .reporting import add_report

#: rows of one sheet
MOST_ROWS = 500


@dataclass(eq=False)
class RowsRefused(DomainError):
    """Rows of a shift that can't be posted; nothing of the shift is."""

    rows: list[str]
    code: ClassVar[str] = "shift.rows_refused"
    what: ClassVar[str] = "The shift is not posted: {rows}"
    why: ClassVar[str] = "Each row is posted as it stands, or none."
    fix: ClassVar[str] = "Put the rows right, or leave them out and post the others."

    def explain(self) -> dict[str, str]:
        """Tell every row with what is wrong with it."""
        return {"what": self.what.format(rows=" ".join(self.rows)), "why": self.why, "fix": self.fix}  # fmt: skip


class ShiftRow(Strict):
    """What happened at one operation."""

    order: OrderNumber
    operation: OperationNumber
    good: QuantityOrNone = ZERO
    scrap: QuantityOrNone = ZERO
    #: of the scrap
    why: Code | None = None
    rework: QuantityOrNone = ZERO
    #: of people and of the machine, as far as the operation has them; left out, by the standard
    setup_hours: Hours | None = None
    run_hours: Hours | None = None
    note: Note = ""


class PostShift(Strict):
    """The rows of a shift, and when it was; what is good at the last operation goes into stock if asked for."""

    rows: Annotated[list[ShiftRow], Field(min_length=1, max_length=MOST_ROWS)]
    receive: bool = False
    happened_at: Moment | None = None


@command("post-shift", "Post a shift", Role.OPERATOR, Role.CONTROLLER)
def post_shift(context: Context, given: PostShift) -> None:
    """Post a report for each row, in their order; in a preview what is wrong with a row is told beside it."""
    refused = []
    lock_keys(
        Order, "number", {row.order for row in given.rows}
    )  # all in one order, whatever theirs
    for n, row in enumerate(given.rows, 1):
        part = context.apart()
        try:
            with transaction.atomic():
                _post_row(part, row, given)
        except DomainError as err:
            said = err.explain()
            refused.append((n, f"{said['what']} {said['why']}"))
        else:
            context.take_in(part)
    if refused and not context.is_preview:
        raise RowsRefused([f"row {n}: {words}" for n, words in refused])
    for n, words in refused:
        context.effects.remark(f"row {n}", words)


def _post_row(context: Context, row: ShiftRow, given: PostShift) -> None:
    book = OpenBook.lock(context, row.order)
    book.operation(row.operation)
    is_last = bool(book.operations) and book.operations[-1].number == row.operation
    if row.scrap and row.why is None:
        raise InvalidInput(["why: say why pieces were scrapped"])
    scrap = [ScrapGiven(reason=row.why, quantity=row.scrap)] if row.scrap and row.why else []
    said = Report(
        order=row.order,
        operation=row.operation,
        good=row.good,
        scrap=scrap,
        rework=row.rework,
        **_hours(book, row),
        receive="ready" if given.receive and is_last else ZERO,
        happened_at=given.happened_at,
        reason=row.note,
    )
    gathered = Transaction(context)
    add_report(gathered, book, said)
    gathered.post()
    book.finish()


def _hours(book: OpenBook, row: ShiftRow) -> dict[str, Any]:
    """Return the hours of a row by kind of time; of what the operation does not have, so that they are refused."""
    own = {InputKind(i.kind) for i in book.inputs if i.operation == row.operation and not i.is_rework}  # fmt: skip
    found: dict[str, Any] = {}
    for hours, kinds in ((row.setup_hours, SETUP_KINDS), (row.run_hours, RUN_KINDS)):
        if hours is not None:
            for kind in [k for k in kinds if k in own] or kinds[:1]:
                found[f"{kind.value.replace(' ', '_')}_hours"] = hours
    return found
