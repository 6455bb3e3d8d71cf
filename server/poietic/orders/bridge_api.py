"""What an order took and cost against what it was allowed."""

from decimal import Decimal

from django.http import HttpRequest
from ninja import Router
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO, money
from poietic_core.variance.causes import Cause
from poietic_core.variance.reasons import yield_by_reason

from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..ledger.models import WipBalance
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.fields import Answer, DecimalText
from .as_built import AsBuiltOut, as_built
from .book import OrderBook

router = Router(tags=["orders"])


class CauseDetail(Answer):
    """One cause at one operation, with its derivation."""

    operation: int
    input: str
    code: str
    amount: DecimalText
    derivation: list[DerivationRow]


class CauseOut(Answer):
    """All of one kind of cause; unfavourable is positive."""

    kind: str
    amount: DecimalText
    details: list[CauseDetail]


class YieldOut(Answer):
    """What scrap of a reason at an operation cost beyond the yield."""

    operation: int
    reason: str
    amount: DecimalText


class BridgeOut(Answer):
    """From what an order was allowed to what it was charged, cause by cause."""

    order: int
    state: OrderState
    allowed: DecimalText
    charged: DecimalText
    variance: DecimalText
    wip: DecimalText
    causes: list[CauseOut]
    yield_by_reason: list[YieldOut]


@router.get("/orders/{number}/as-built", response={200: AsBuiltOut, 404: Problem})
def order_as_built(request: HttpRequest, number: int) -> AsBuiltOut:
    """Return what an order took against what it was allowed, row by row, and as a draft."""
    return as_built(OrderBook.read(number))


@router.get("/orders/{number}/bridge", auth=READ_COSTS, response={200: BridgeOut, 404: Problem})
def bridge(request: HttpRequest, number: int) -> BridgeOut:
    """Return the cost bridge of an order, at any moment of its life."""
    book = OrderBook.read(number)
    if book.order.standard is None:
        return BridgeOut(
            order=number,
            state=OrderState(book.order.state),
            allowed=ZERO,
            charged=ZERO,
            variance=ZERO,
            wip=ZERO,
            causes=[],
            yield_by_reason=[],
        )
    variance = book.variance()
    wip = sum((b.amount for b in WipBalance.objects.filter(cost_object=book.order.pk)), ZERO)
    return BridgeOut(
        order=number,
        state=OrderState(book.order.state),
        allowed=variance.allowed(),
        charged=variance.charged,
        variance=variance.to_date(),
        wip=wip,
        causes=_causes(variance.rounded_causes()),
        yield_by_reason=[
            YieldOut(operation=y.operation, reason=y.reason, amount=money(y.amount))
            for y in yield_by_reason(book.facts(book.scrap_by_reason()))
        ],
    )


def _causes(causes: list[tuple[Cause, Decimal]]) -> list[CauseOut]:
    """Return the causes by kind; each kind's amount is the sum of its rounded details."""
    grouped: dict[str, list[CauseDetail]] = {}
    for cause, amount in causes:
        grouped.setdefault(cause.kind.value, []).append(
            CauseDetail(
                operation=cause.operation,
                input=cause.input or "",
                code=cause.code,
                amount=amount,
                derivation=flatten(cause.amount),
            )
        )
    return [
        CauseOut(kind=kind, amount=sum((d.amount for d in details), ZERO), details=details)
        for kind, details in grouped.items()
    ]
