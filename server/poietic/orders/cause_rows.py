"""What a finished order varied by, in parts that can be asked across orders: where, by what, by whom."""

from collections.abc import Iterable, Mapping
from datetime import date
from decimal import Decimal

from django.db.models import Sum
from poietic_core.cost.model import InputKind
from poietic_core.quantity import ZERO, round_parts
from poietic_core.variance.causes import Cause, CauseKind, Variance
from poietic_core.variance.reasons import yield_by_reason

from ..ledger.models import TimeLine
from ..statements.bulk import insert_rows
from .book import OrderBook, named_by
from .models import CauseRow, OrderInput

LABOUR = (InputKind.SETUP_LABOUR, InputKind.RUN_LABOUR)
#: hours of people by operation and kind
Hours = Mapping[tuple[int, str], list[tuple[int | None, Decimal]]]
#: operation, work center, component, supplier, grade, person, reason
Where = tuple[int, int | None, int | None, int | None, int | None, int | None, str]
FIELDS = ("order", "finished_on", "item", "kind", "operation", "work_center", "component", "supplier", "grade", "person", "reason", "amount")  # fmt: skip


def keep_causes(book: OrderBook, variance: Variance, finished: date) -> None:
    """Store the causes of a finished order in the place of those that were known; its row is locked."""
    CauseRow.objects.filter(order=book.order.pk).delete()
    sums: dict[tuple[str, Where], Decimal] = {}
    for kind, where, amount in _parts(book, variance):
        at = (kind.value, where)
        sums[at] = sums.get(at, ZERO) + amount
    own = (book.order.pk, finished, book.order.item_id)
    insert_rows(
        CauseRow,
        FIELDS,
        [(*own, kind, *where, amount) for (kind, where), amount in sums.items() if amount],
    )


def _parts(book: OrderBook, variance: Variance) -> Iterable[tuple[CauseKind, Where, Decimal]]:
    rounded = variance.rounded_causes()
    hours = _hours(book) if any(c.input in LABOUR for c, _ in rounded) else {}
    lost = ZERO
    for cause, amount in rounded:
        if cause.kind is CauseKind.YIELD:
            lost += amount
        elif cause.input in LABOUR and (worked := hours.get((cause.operation, cause.input.value))):
            shares = _shared(amount, [h for _, h in worked])
            for (person, _), share in zip(worked, shares, strict=True):
                yield cause.kind, _where(book, cause, person), share
        else:
            yield cause.kind, _where(book, cause, None), amount
    yield from _by_reason(book, lost)


def _by_reason(book: OrderBook, lost: Decimal) -> Iterable[tuple[CauseKind, Where, Decimal]]:
    """Return what was lost by operation and reason; the cents as of all that must add up."""
    if not lost and not any(o.scrap for o in book.operations):
        return
    shares = yield_by_reason(book.facts(book.scrap_by_reason()))
    if not shares:
        yield CauseKind.YIELD, (0, None, None, None, None, None, ""), lost
        return
    for share, amount in zip(shares, round_parts([s.amount for s in shares], lost), strict=True):
        center = book.operation(share.operation).work_center_id
        yield (
            CauseKind.YIELD,
            (share.operation, center, None, None, None, None, share.reason),
            amount,
        )


def _shared(amount: Decimal, weights: list[Decimal]) -> list[Decimal]:
    whole = sum(weights, ZERO)
    return round_parts([amount * w / whole for w in weights], amount)


def _hours(book: OrderBook) -> Hours:
    """Return who worked how long at which operation; hours that nobody's name was given with are nobody's."""
    rows = (
        TimeLine.objects.filter(
            posting__cost_object=book.order.pk, kind__in=[k.value for k in LABOUR], is_rework=False
        )
        .values_list("operation", "kind", "person")
        .annotate(hours=Sum("quantity"))
        .order_by("operation", "kind", "person")
    )
    found: dict[tuple[int, str], list[tuple[int | None, Decimal]]] = {}
    for operation, kind, person, quantity in rows:
        if quantity > 0:
            found.setdefault((operation, kind), []).append((person, quantity))
    return found


def _where(book: OrderBook, cause: Cause, person: int | None) -> Where:
    """Return where a cause arose, by what and by whom."""
    operation = next((o for o in book.operations if o.number == cause.operation), None)
    center = operation.work_center_id if operation else None
    used = _input(book, cause)
    if used is None:
        return (cause.operation, center, None, None, None, person, "")
    grade = operation.labour_grade_id if operation and cause.input in LABOUR else None
    center = used.work_center_id or center
    return (cause.operation, center, used.item_id, used.supplier_id, grade, person, "")


def _input(book: OrderBook, cause: Cause) -> OrderInput | None:
    """Return the input that a cause is of."""
    for i in book.inputs:
        if (i.operation, i.kind) == (cause.operation, cause.input) and named_by(
            i
        ).code == cause.code:
            return i
    return None
