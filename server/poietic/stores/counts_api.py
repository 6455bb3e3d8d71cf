"""Counts, with what was counted and how it differs."""

from decimal import Decimal

from django.db.models import Count as Number
from django.http import HttpRequest
from ninja import Router
from poietic_core.quantity import ZERO
from poietic_core.stock.counting import needs_recount

from ..catalog.models import OWN_KINDS
from ..commanding.api import Problem
from ..ledger.models import StockBalance
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .models import Count, CountLine

router = Router(tags=["stores"])


class CountRow(Answer):
    """A count, and how far it has come."""

    number: int
    what: str
    state: str
    is_blind: bool
    opened_at: str
    lines: int
    counted: int


class CountLineOut(Answer):
    """A line of a count; what the books say is told once it was counted, or where the count is not blind."""

    item: str
    name: str
    unit: str
    place: str
    place_name: str
    lot: str
    on_hand: DecimalText | None
    counted: DecimalText | None
    difference: DecimalText | None
    again: bool


class CountOut(Answer):
    """A count with its lines in walking order."""

    number: int
    what: str
    state: str
    is_blind: bool
    tolerance: DecimalText
    lines: list[CountLineOut]


@router.get("/stores/counts", response=list[CountRow])
def counts(request: HttpRequest) -> list[CountRow]:
    """Return the counts that are open, and the last that were ended; 50 at most."""
    rows = Count.objects.select_related("place", "item").annotate(
        whole=Number("lines"), done=Number("lines__counted")
    )
    return [
        CountRow(
            number=c.pk,
            what=_what(c),
            state=c.state,
            is_blind=c.is_blind,
            opened_at=c.opened_at.isoformat(),
            lines=c.whole,
            counted=c.done,
        )
        for c in sorted(rows.order_by("-pk")[:50], key=lambda c: c.state != Count.State.OPEN)
    ]


@router.get("/stores/counts/{number}", response={200: CountOut, 404: Problem})
def one_count(request: HttpRequest, number: int) -> CountOut:
    """Return a count with its lines."""
    count = Count.objects.select_related("place", "item").filter(pk=number).first()
    if count is None:
        raise NotFound("count", str(number))
    lines = count.lines.select_related("item", "place", "lot")
    now = {} if count.is_blind else _on_hand(count)
    return CountOut(
        number=count.pk,
        what=_what(count),
        state=count.state,
        is_blind=count.is_blind,
        tolerance=count.tolerance,
        lines=[
            _count_line(count, n, now)
            for n in lines.order_by("place__walk_order", "place__code", "item__code", "lot__pk")
        ],
    )


def _what(count: Count) -> str:
    return count.place.name if count.place else f"{count.item} everywhere"


def _on_hand(count: Count) -> dict[tuple[int, int, int | None], Decimal]:
    rows = StockBalance.objects.filter(place__kind__in=OWN_KINDS)
    rows = rows.filter(place=count.place_id) if count.place_id else rows.filter(item=count.item_id)
    return {(b.item_id, b.place_id, b.lot_id): b.quantity for b in rows}


def _count_line(
    count: Count, n: CountLine, now: dict[tuple[int, int, int | None], Decimal]
) -> CountLineOut:
    again = (
        n.counted is not None
        and n.on_hand is not None
        and needs_recount(n.on_hand, n.counted, count.tolerance, n.times)
    )
    known = n.on_hand
    if known is None and not count.is_blind:
        known = now.get((n.item_id, n.place_id, n.lot_id), ZERO)
    hidden = count.is_blind and (known is None or again)
    return CountLineOut(
        item=n.item.code,
        name=n.item.name,
        unit=n.item.unit,
        place=n.place.code,
        place_name=n.place.name,
        lot=n.lot.code if n.lot else "",
        on_hand=None if hidden else known,
        counted=n.counted,
        difference=None if hidden or n.counted is None or known is None else n.counted - known,
        again=again,
    )
