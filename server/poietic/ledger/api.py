"""Queries on postings and stock."""

from django.http import HttpRequest
from ninja import Router
from poietic_core.quantity import ZERO

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..web_api.errors import NotFound
from ..web_api.fields import MOST_ROWS, Answer, DecimalText
from .models import Posting, StockBalance, StockLine

router = Router(tags=["ledger"])


class StockRow(Answer):
    """Stock of an item at a place."""

    item: str
    place: str
    #: "" where its pieces are not told apart
    lot: str
    quantity: DecimalText
    reserved: DecimalText


class PostingStock(Answer):
    """A stock line of a posting."""

    item: str
    name: str
    unit: str
    lot: str
    from_place: str
    to_place: str
    quantity: DecimalText
    value: Cost
    operation: int | None


class PostingMoney(Answer):
    """A journal line of a posting: debit above zero."""

    account: str
    #: whose stock it is; "" of other accounts
    item: str
    amount: Cost
    operation: int | None
    element: str


class PostingTime(Answer):
    """A time line of a posting."""

    operation: int
    kind: str
    quantity: DecimalText
    amount: Cost
    #: who worked, and how many of the hours were overtime; "" where it was not said
    person: str
    person_name: str
    overtime: DecimalText
    is_rework: bool


class PostingHandover(Answer):
    """Material or output that went over to another order (below zero), or came from one."""

    item: str
    name: str
    unit: str
    lot: str
    quantity: DecimalText
    amount: Cost
    operation: int


class PostingUnits(Answer):
    """A unit line of a posting."""

    operation: int
    kind: str
    reason: str
    quantity: DecimalText


class ReceivedOut(Answer):
    """Output that an act received: the order's item, or one of its grades."""

    item: str
    quantity: DecimalText


class PostingOut(Answer):
    """A posting with its lines."""

    number: int
    kind: str
    order: int | None
    operation: int | None
    person: str
    happened_at: str
    entered_at: str
    reason: str
    reverses: int | None
    taken_back_by: int | None
    #: of a report: what its act received and whether it completed the order
    act_received: list[ReceivedOut]
    act_received_quantity: DecimalText
    act_completes: bool
    stock: list[PostingStock]
    money: list[PostingMoney]
    times: list[PostingTime]
    handed_over: list[PostingHandover]
    units: list[PostingUnits]


class StockPage(Answer):
    """Stock of an item by place and lot, the oldest lots first; and in how many there is some."""

    rows: list[StockRow]
    whole: int


@router.get("/items/{code}/stock", response={200: StockPage, 404: Problem})
def stock(request: HttpRequest, code: str) -> StockPage:
    """Return the stock of an item by place and lot; 200 rows at most."""
    there = StockBalance.objects.filter(item=item_by_code(code), quantity__gt=0)
    rows = [
        StockRow(
            item=code,
            place=b.place.code,
            lot=b.lot.code if b.lot else "",
            quantity=b.quantity,
            reserved=b.reserved,
        )
        for b in there.select_related("place", "lot").order_by("place__code", "lot__pk")[:MOST_ROWS]
    ]
    return StockPage(rows=rows, whole=len(rows) if len(rows) < MOST_ROWS else there.count())


@router.get("/postings/{number}", response={200: PostingOut, 404: Problem})
def posting(request: HttpRequest, number: int) -> PostingOut:
    """Return a posting with its lines."""
    found = (
        Posting.objects.select_related("person", "cost_object", "reversal")
        .filter(pk=number)
        .first()
        if 0 < number < 2**62
        else None
    )
    if found is None:
        raise NotFound("posting", str(number))
    reversal = getattr(found, "reversal", None)
    act = Posting.objects.filter(entry=found.entry_id, reverses=None, reversal=None)
    outputs = StockLine.objects.filter(posting__in=act, part=StockLine.Part.OUTPUT)
    received = [
        ReceivedOut(item=code, quantity=quantity)
        for code, quantity in outputs.order_by("pk").values_list("item__code", "quantity")
    ]
    return PostingOut(
        number=found.pk,
        kind=found.kind,
        order=found.cost_object.number if found.cost_object else None,
        operation=found.operation,
        person=str(found.person or ""),
        happened_at=found.happened_at.isoformat(),
        entered_at=found.entered_at.isoformat(),
        reason=found.reason,
        reverses=found.reverses_id,
        taken_back_by=reversal.pk if reversal else None,
        act_received=received,
        act_received_quantity=sum((r.quantity for r in received), ZERO),
        act_completes=act.filter(kind=Posting.Kind.COMPLETION).exists(),
        stock=[
            PostingStock(
                item=s.item.code,
                name=s.item.name,
                unit=s.item.unit,
                lot=s.lot.code if s.lot else "",
                from_place=s.from_place.name,
                to_place=s.to_place.name,
                quantity=s.quantity,
                value=s.value,
                operation=s.operation,
            )
            for s in found.stock_lines.select_related("item", "lot", "from_place", "to_place")
        ],
        money=[
            PostingMoney(
                account=j.account,
                item=j.item.code if j.item else "",
                amount=j.amount,
                operation=j.operation,
                element=j.element,
            )
            # what is debited first, as journals are read
            for j in sorted(found.journal_lines.select_related("item"), key=lambda j: j.amount < 0)
        ],
        times=[
            PostingTime(
                operation=t.operation,
                kind=t.kind,
                quantity=t.quantity,
                amount=t.amount,
                person=t.person.name if t.person else "",
                person_name=t.person.full_name if t.person else "",
                overtime=t.overtime,
                is_rework=t.is_rework,
            )
            for t in found.time_lines.select_related("person").order_by("pk")
        ],
        handed_over=[
            PostingHandover(
                item=h.item.code,
                name=h.item.name,
                unit=h.item.unit,
                lot=h.lot.code if h.lot else "",
                quantity=h.quantity,
                amount=h.amount,
                operation=h.operation,
            )
            for h in found.handover_lines.select_related("item", "lot").order_by("pk")
        ],
        units=[
            PostingUnits(
                operation=u.operation,
                kind=u.kind,
                reason=u.reason.name if u.reason else "",
                quantity=u.quantity,
            )
            for u in found.unit_lines.select_related("reason")
        ],
    )
