"""Orders that can be closed, what the night closes by itself, and who follows up on variances."""

from datetime import date, datetime
from decimal import Decimal

from django.db.models import Count, Sum
from django.db.models.functions import Abs
from django.http import HttpRequest
from ninja import Router
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO

from ..commanding.api import Problem
from ..commanding.models import Entry
from ..commanding.reading import READ_COSTS
from ..orders.basis import Basis, bases_of
from ..orders.models import CauseRow, Order, Outcome
from ..web_api.errors import NotFound
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, OrderNumber
from .models import ClosingRule, FollowUp

router = Router(tags=["settling"])
#: acts that closed orders, the latest first; earlier follow-ups of an item
MOST_RUNS, MOST_EARLIER = 20, 20


class ToClose(Answer):
    """A completed order."""

    order: int
    item: str
    name: str
    finished: date
    quantity: DecimalText
    charged: DecimalText
    variance: DecimalText
    basis: Basis
    #: its largest cause
    cause: str
    cause_amount: DecimalText


class ClosedRun(Answer):
    """An act that closed orders, by hand or at night."""

    at: datetime
    person: str
    closed: list[int]
    left: int


class ClosingOut(Answer):
    """Completed orders, those that vary most first; the rule of the night, and what closed before."""

    rows: list[ToClose]
    whole: int
    variance: DecimalText
    is_on: bool
    most: DecimalText
    days: int
    runs: list[ClosedRun]


class FollowedUp(Answer):
    """A note on a variance, and who looks after it."""

    order: int
    cause: str
    note: str
    owner: str
    look_again_on: date | None
    is_done: bool
    #: what the cause came to on that order
    amount: DecimalText


class FollowUpsOut(Answer):
    """Notes on an order's variance, and those on earlier orders of the item whose causes are back."""

    own: list[FollowedUp]
    earlier: list[FollowedUp]


@router.get("/closing", auth=READ_COSTS, response=ClosingOut)
def closing(request: HttpRequest) -> ClosingOut:
    """Return the orders that can be closed, what the night closes, and what was closed lately."""
    rows = Outcome.objects.filter(order__state=OrderState.COMPLETED)
    listed = rows.select_related("order__item").order_by(Abs("variance").desc(), "order")[
        :MOST_ROWS
    ]
    bases = bases_of([o.order_id for o in listed])
    sums = rows.aggregate(whole=Count("pk"), variance=Sum("variance"))
    rule = ClosingRule.objects.filter(pk=1).first() or ClosingRule(most=ZERO)
    entries = Entry.objects.filter(command="close-orders")
    return ClosingOut(
        rows=[_to_close(o, bases[o.order_id]) for o in listed],
        whole=sums["whole"],
        variance=sums["variance"] or ZERO,
        is_on=rule.is_on,
        most=rule.most,
        days=rule.days,
        runs=[_run(e) for e in entries.select_related("person").order_by("-pk")[:MOST_RUNS]],
    )


def _to_close(o: Outcome, basis: Basis) -> ToClose:
    causes = {kind: Decimal(amount) for kind, amount in o.causes.items()}
    largest = max(causes, key=lambda kind: abs(causes[kind]), default="")
    return ToClose(
        order=o.order.number,
        item=o.order.item.code,
        name=o.order.item.name,
        finished=o.finished_on,
        quantity=o.received,
        charged=o.charged,
        variance=o.variance,
        basis=basis,
        cause=largest,
        cause_amount=causes.get(largest, ZERO),
    )


def _run(entry: Entry) -> ClosedRun:
    fields = entry.answer["consequences"]["fields"]
    closed = [int(f["thing"].removeprefix("order ")) for f in fields if f["field"] == "state" and f["after"] == "closed"]  # fmt: skip
    remarks = entry.answer["consequences"]["remarks"]
    left = sum(r["text"].startswith("left open") for r in remarks)
    return ClosedRun(at=entry.entered_at, person=str(entry.person or ""), closed=closed, left=left)


@router.get(
    "/orders/{number}/follow-ups", auth=READ_COSTS, response={200: FollowUpsOut, 404: Problem}
)
def follow_ups(request: HttpRequest, number: OrderNumber) -> FollowUpsOut:
    """Return who looks after an order's variance, and what was found when its causes were there before."""
    outcome = Outcome.objects.filter(order__number=number).first()
    own = FollowUp.objects.filter(order__number=number)
    earlier = FollowUp.objects.none()
    if outcome:
        back = [kind for kind, amount in outcome.causes.items() if Decimal(amount) > 0]
        earlier = FollowUp.objects.filter(order__item=outcome.item_id, kind__in=[*back, ""])
        earlier = earlier.exclude(order=outcome.order_id)
    elif not Order.objects.filter(number=number).exists():
        raise NotFound("order", str(number))
    return FollowUpsOut(
        own=_followed(list(own.select_related("order", "owner")[:MOST_EARLIER])),
        earlier=_followed(list(earlier.select_related("order", "owner")[:MOST_EARLIER])),
    )


def _followed(rows: list[FollowUp]) -> list[FollowedUp]:
    amounts: dict[tuple[int, str], Decimal] = {}
    for c in CauseRow.objects.filter(order__in=[f.order_id for f in rows]):
        for kind in (c.kind, ""):
            amounts[c.order_id, kind] = amounts.get((c.order_id, kind), ZERO) + c.amount
    return [
        FollowedUp(
            order=f.order.number,
            cause=f.kind,
            note=f.note,
            owner=str(f.owner or ""),
            look_again_on=f.look_again_on,
            is_done=f.is_done,
            amount=amounts.get((f.order_id, f.kind), ZERO),
        )
        for f in rows
    ]
