"""What an order took and cost against what it was allowed."""

from datetime import datetime
from decimal import Decimal
from itertools import groupby

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
from .as_of import leave_out, said_since
from .basis import Basis, basis_of
from .book import OrderBook
from .faulty import computed
from .standing import forecast

router = Router(tags=["orders"])
#: acts that an order's life is drawn of, the latest
MOST_POINTS = 120


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
    #: on what it stands
    basis: Basis
    variance: DecimalText
    wip: DecimalText
    #: what it will have been charged at its completion, as things stand; null: it is complete
    forecast: DecimalText | None
    causes: list[CauseOut]
    yield_by_reason: list[YieldOut]


class LifePoint(Answer):
    """How an order stood after something was posted to it."""

    at: datetime
    #: what was posted
    kinds: list[str]
    postings: list[int]
    allowed: DecimalText
    charged: DecimalText


class LifeOut(Answer):
    """Allowed against charged over an order's life, the oldest first; and whether it began before."""

    points: list[LifePoint]
    has_more: bool


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
            basis=Basis.STANDARD,
            variance=ZERO,
            wip=ZERO,
            forecast=None,
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
        basis=basis_of(book.order),
        variance=variance.to_date(),
        wip=wip,
        forecast=forecast(book),
        causes=_causes(variance.rounded_causes()),
        yield_by_reason=[
            YieldOut(operation=y.operation, reason=y.reason, amount=money(y.amount))
            for y in yield_by_reason(book.facts(book.scrap_by_reason()))
        ],
    )


@router.get("/orders/{number}/life", auth=READ_COSTS, response={200: LifeOut, 404: Problem})
def life(request: HttpRequest, number: int) -> LifeOut:
    """Return what an order was allowed and charged after each act that posted to it."""
    book = OrderBook.read(number)
    if book.order.standard is None:
        return LifeOut(points=[], has_more=False)
    said = said_since([book.order.pk], book.order.planned_at)
    acts = [list(own) for _, own in groupby(said, key=lambda s: s.entry)]
    points: list[LifePoint] = []
    for own in acts[:MOST_POINTS]:
        variance, _ = computed(book.variance)
        if variance:
            kinds = [s.name for s in own if s.what == "kind"]
            points.append(
                LifePoint(
                    at=own[0].happened_at,
                    kinds=list(dict.fromkeys(reversed(kinds))),
                    postings=sorted({s.posting for s in own}),
                    allowed=variance.allowed(),
                    charged=variance.charged,
                )
            )
        leave_out(book, own)
    return LifeOut(points=points[::-1], has_more=len(acts) > MOST_POINTS)


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
