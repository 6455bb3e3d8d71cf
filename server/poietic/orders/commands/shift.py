"""What happened in a shift, one row each: every row a report, all in one act, faults told by row."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Annotated, Any, ClassVar, Literal

from django.db import transaction
from django.utils import timezone
from poietic_core.cost.model import RUN_KINDS, SETUP_KINDS, InputKind
from poietic_core.errors import DomainError
from poietic_core.order.attendance import Span, clock_hours, shared_hours
from poietic_core.quantity import ZERO
from pydantic import Field

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.transaction import Transaction
from ...statements.prepared import lock_keys
from ...web_api.errors import InvalidInput
from ...web_api.fields import (
    Code,
    Day,
    Hours,
    Note,
    OperationNumber,
    OrderNumber,
    QuantityOrNone,
    Reference,
    Strict,
)
from ..models import Order
from ..open_book import OpenBook
from .report_given import LotMade, PersonWorked, Report, ScrapGiven
from .reporting import add_report

#: rows of one sheet
MOST_ROWS = 500
#: hours and minutes, as 14:30
ClockTime = Annotated[str, Field(pattern=r"^([01][0-9]|2[0-3]):[0-5][0-9]$")]


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
    #: of people and of the machine, as far as the operation has them; left out, what passed from
    #: begin to end, else by the standard
    setup_hours: Hours | None = None
    run_hours: Hours | None = None
    #: whose hours these are; who is at several operations at once shares his time among them
    who: Reference | None = None
    #: of the shift's day; an end before the begin is the next day's
    started: ClockTime | None = None
    ended: ClockTime | None = None
    #: that what is received belongs to
    lot: Reference | None = None
    note: Note = ""


class PostShift(Strict):
    """The rows of a shift, and when it was; what is good at the last operation goes into stock if asked for."""

    rows: Annotated[list[ShiftRow], Field(min_length=1, max_length=MOST_ROWS)]
    receive: bool = False
    #: left out: today
    day: Day | None = None


@command("post-shift", "Post a shift", Role.OPERATOR, Role.CONTROLLER)
def post_shift(context: Context, given: PostShift) -> None:
    """Post a report for each row, in their order; in a preview what is wrong with a row is told beside it."""
    refused = []
    spans = [_span(row, given, context.now) for row in given.rows]
    attended = _attended(given.rows, spans)
    lock_keys(
        Order, "number", {row.order for row in given.rows}
    )  # all in one order, whatever theirs
    for n, row in enumerate(given.rows, 1):
        part = context.apart()
        try:
            with transaction.atomic():
                _post_row(part, row, given, spans[n - 1], attended.get(n - 1))
        except DomainError as err:
            said = err.explain()
            refused.append((n, f"{said['what']} {said['why']}"))
        else:
            context.take_in(part)
    if refused and not context.is_preview:
        raise RowsRefused([f"row {n}: {words}" for n, words in refused])
    for n, words in refused:
        context.effects.remark(f"row {n}", words)


def _span(row: ShiftRow, given: PostShift, now: datetime) -> Span | None:
    """Return when a row began and ended, where it says so."""
    if row.started is None or row.ended is None:
        return None
    day = given.day or timezone.localdate(now)
    begin, end = (timezone.make_aware(datetime.combine(day, time.fromisoformat(t))) for t in (row.started, row.ended))  # fmt: skip
    return begin, end if end > begin else end + timedelta(days=1)


def _attended(rows: Sequence[ShiftRow], spans: Sequence[Span | None]) -> dict[int, Decimal]:
    """Return the hours of people that rows bear by their begin and end, by place in the sheet."""
    by_person: dict[str, list[int]] = {}
    for n, (row, span) in enumerate(zip(rows, spans, strict=True)):
        if row.who and span and row.run_hours is None:
            by_person.setdefault(row.who, []).append(n)
    found: dict[int, Decimal] = {}
    for places in by_person.values():
        own = [span for n in places if (span := spans[n])]
        found |= dict(zip(places, shared_hours(own), strict=True))
    return found


def _post_row(
    context: Context, row: ShiftRow, given: PostShift, span: Span | None, attended: Decimal | None
) -> None:
    book = OpenBook.lock(context, row.order)
    book.operation(row.operation)
    is_last = bool(book.operations) and book.operations[-1].number == row.operation
    if row.scrap and row.why is None:
        raise InvalidInput(["why: say why pieces were scrapped"])
    if (row.started is None) != (row.ended is None):
        raise InvalidInput(["ended: say from when to when"])
    if row.lot and not (given.receive and is_last):
        raise InvalidInput(["lot: only what goes into stock from the last operation has a lot of its own"])  # fmt: skip
    scrap = [ScrapGiven(reason=row.why, quantity=row.scrap)] if row.scrap and row.why else []
    receive: Decimal | Literal["ready"] = "ready" if given.receive and is_last else ZERO
    said = Report(
        order=row.order,
        operation=row.operation,
        good=row.good,
        scrap=scrap,
        rework=row.rework,
        **_hours(book, row, span, attended),
        receive=row.good if row.lot else receive,
        lots=[LotMade(lot=row.lot, quantity=row.good)] if row.lot else [],
        happened_at=span[1] if span else _at_end_of(given.day, context.now),
        reason=row.note,
    )
    gathered = Transaction(context)
    add_report(gathered, book, said)
    gathered.post()
    book.finish()


def _at_end_of(day: date | None, now: datetime) -> datetime | None:
    """Return when a row happened that does not say it: at the end of a past day, else now."""
    if day is None or day >= timezone.localdate(now):
        return None
    return timezone.make_aware(datetime.combine(day, time(23, 59)))


def _hours(
    book: OpenBook, row: ShiftRow, span: Span | None, attended: Decimal | None
) -> dict[str, Any]:
    """Return the hours of a row by kind of time; of what the operation does not have, so that they are refused.

    Of who is named, they are his; the machine's are all that passed from begin to end.
    """
    own = {InputKind(i.kind) for i in book.inputs if i.operation == row.operation and not i.is_rework}  # fmt: skip
    run = row.run_hours if row.run_hours is not None or span is None else clock_hours(span)
    if row.who and run is None and row.setup_hours is None:
        raise InvalidInput([f"run_hours: say how long {row.who} worked, or from when to when"])
    found: dict[str, Any] = {}
    people = []
    for hours, kinds in ((row.setup_hours, SETUP_KINDS), (run, RUN_KINDS)):
        if hours is None:
            continue
        for kind in [k for k in kinds if k in own] or kinds[:1]:
            if row.who and kind in (InputKind.SETUP_LABOUR, InputKind.RUN_LABOUR):
                his = attended if kinds is RUN_KINDS and attended is not None else hours
                people.append(PersonWorked(person=row.who, hours=his, is_setup=kinds is SETUP_KINDS))  # fmt: skip
            else:
                found[f"{kind.value.replace(' ', '_')}_hours"] = hours
    return found | ({"people": people} if people else {})
