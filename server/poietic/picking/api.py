"""Pick lists as they are walked, and how far the parts of orders have come."""

from collections.abc import Iterable
from datetime import datetime
from decimal import Decimal

from django.db.models import Count, Q, Sum
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.quantity import ZERO

from ..catalog.models import Item, Place
from ..catalog.queries import any_of
from ..commanding.api import Problem
from ..ledger.models import Reservation, StockBalance
from ..ledger.reserving import free_stock
from ..orders.models import Order, OrderInput, Tranche
from ..stores.labels import scans_of_item, scans_of_lot
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText, PageSize, Skip
from .models import PickLine, PickList

router = Router(tags=["picking"])


class PickListRow(Answer):
    """A pick list: for which orders, and how much of it is taken."""

    number: int
    orders: str
    state: PickList.State
    made_at: datetime
    person: str
    lines: int
    #: lines of which nothing is left to take, and of which less was there
    picked: int
    short: int


class PickListPage(Answer):
    """Some pick lists, those that are open first."""

    rows: list[PickListRow]
    whole: int


class InsteadOut(Answer):
    """An item that may be used in a component's place."""

    item: str
    name: str
    free: DecimalText
    unit: str


class PickLineOut(Answer):
    """A line of a pick list."""

    line: int
    order: int
    #: of the order: what is made
    makes: str
    operation: int
    tranche: int | None
    item: str
    name: str
    unit: str
    step: DecimalText
    #: "" where whichever lies there is taken
    lot: str
    tracking: str
    #: of the lot, in words: what makes it the one to take
    lot_words: str
    #: the component that it is taken in the place of, "" if it is that itself
    instead_of: str
    place: str
    place_name: str
    #: a carrier: where it stands
    place_at: str
    target: str
    target_name: str
    quantity: DecimalText
    picked: DecimalText
    left: DecimalText
    state: PickLine.State
    #: what is taken for the place, the item and the lot when it is scanned
    place_scans: list[str]
    item_scans: list[str]
    lot_scans: list[str]
    #: items that may be taken in its place, and what of them is free
    alternates: list[InsteadOut]


class TargetOut(Answer):
    """Where what is taken can be put."""

    code: str
    name: str
    scan_code: str


class PickListOut(Answer):
    """A pick list with its lines, in walking order."""

    number: int
    orders: str
    state: PickList.State
    made_at: datetime
    lines: list[PickLineOut]
    targets: list[TargetOut]
    #: orders of which something stands ready on the floor
    ready: list[int]


class TrancheLineOut(Answer):
    """How far a component of a part has come."""

    operation: int
    item: str
    name: str
    unit: str
    released: DecimalText
    picked: DecimalText
    staged: DecimalText
    issued: DecimalText


class TrancheOut(Answer):
    """A part of an order that was released: what of it is picked, staged, issued."""

    #: null: the order was released as a whole
    number: int | None
    first: int | None
    last: int | None
    quantity: DecimalText
    unit: str
    #: as it was said, such as 1 crate
    words: str
    released_at: datetime | None
    lines: list[TrancheLineOut]


class TranchesOut(Answer):
    """The parts of an order, what is left to release, and its open pick lists."""

    is_in_parts: bool
    parts: list[TrancheOut]
    pick_lists: list[PickListRow]


@router.get("/picks", response=PickListPage)
def pick_lists(request: HttpRequest, skip: Skip = 0, limit: PageSize = 50) -> PickListPage:
    """Return pick lists: those that are open first, then the latest."""
    rows = PickList.objects.order_by("-state", "-pk")
    return PickListPage(rows=_rows(rows[skip : skip + limit]), whole=rows.count())


def _rows(lists: Iterable[PickList]) -> list[PickListRow]:
    listed = list(lists)
    is_picked = Q(lines__state=PickLine.State.PICKED)
    counted = PickList.objects.filter(pk__in=any_of([p.pk for p in listed])).annotate(
        n=Count("lines"),
        done=Count("lines", filter=is_picked),
        less=Count("lines", filter=Q(lines__state=PickLine.State.SHORT)),
    )
    of = {p.pk: p for p in counted.select_related("person")}
    return [
        PickListRow(
            number=p.pk,
            orders=p.words,
            state=PickList.State(p.state),
            made_at=p.made_at,
            person=str(of[p.pk].person) if of[p.pk].person else "",
            lines=of[p.pk].n,
            picked=of[p.pk].done,
            short=of[p.pk].less,
        )
        for p in listed
    ]


#: what belongs to them is asked for apart: a join of eleven tables was once planned so that it did not end
LINES = (
    PickLine.objects.select_related("item", "place")
    .prefetch_related("order__item", "input__item", "tranche", "lot", "place__stands_at", "target")
    .order_by("place__walk_order", "place__code", "item__code", "pk")
)


@router.get("/picks/{int:number}", response={200: PickListOut, 404: Problem})
def pick_list(request: HttpRequest, number: int) -> PickListOut:
    """Return a pick list in walking order, with all that a scanner may read for it."""
    found = PickList.objects.filter(pk=min(number, 2**62)).first()
    if found is None:
        raise NotFound("pick list", str(number))
    lines = list(LINES.filter(pick_list=found))
    codes = {a["item"] for n in lines for a in n.input.alternates}
    instead = _instead(codes)
    sites = {n.place.site_id for n in lines}
    targets = Place.objects.filter(site__in=sites, kind=Place.Kind.FLOOR)
    carriers = Place.objects.filter(pk__in={n.target_id for n in lines})
    orders = {n.order_id for n in lines}
    floor = Q(place__kind=Place.Kind.FLOOR) | Q(place__stands_at__kind=Place.Kind.FLOOR)
    ready = Reservation.objects.filter(floor, cost_object__in=orders)
    return PickListOut(
        number=found.pk,
        orders=found.words,
        state=PickList.State(found.state),
        made_at=found.made_at,
        lines=[_line(n, instead) for n in lines],
        targets=[
            TargetOut(code=p.code, name=p.name, scan_code=p.scan_code)
            for p in (targets | carriers).order_by("walk_order", "code").distinct()
        ],
        ready=sorted(set(ready.values_list("cost_object__number", flat=True))),
    )


def _instead(codes: set[str]) -> dict[str, InsteadOut]:
    items = list(Item.objects.filter(code__in=codes)) if codes else []
    free = free_stock([i.pk for i in items], timezone.localdate()) if items else {}
    return {
        i.code: InsteadOut(item=i.code, name=i.name, free=free.get(i.pk, ZERO), unit=i.unit)
        for i in items
    }


def _line(n: PickLine, instead: dict[str, InsteadOut]) -> PickLineOut:
    component = n.input.item
    at = n.place.stands_at
    return PickLineOut(
        line=n.pk,
        order=n.order.number,
        makes=n.order.item.code,
        operation=n.input.operation,
        tranche=n.tranche.number if n.tranche else None,
        item=n.item.code,
        name=n.item.name,
        unit=n.item.unit,
        step=n.item.step,
        lot=n.lot.code if n.lot else "",
        tracking=n.item.tracking,
        lot_words=_lot_words(n),
        instead_of=component.code if component and component != n.item else "",
        place=n.place.code,
        place_name=n.place.name,
        place_at=at.name if at else "",
        target=n.target.code,
        target_name=n.target.name,
        quantity=n.quantity,
        picked=n.picked,
        left=max(ZERO, n.quantity - n.picked),
        state=PickLine.State(n.state),
        place_scans=sorted({n.place.scan_code, n.place.code}),
        item_scans=scans_of_item(n.item),
        lot_scans=scans_of_lot(n.item, n.lot) if n.lot else [],
        alternates=[instead[a["item"]] for a in n.input.alternates if a["item"] in instead],
    )


def _lot_words(n: PickLine) -> str:
    if n.lot is None:
        return ""
    if n.lot.expires_on:
        return f"use until {n.lot.expires_on:%d %b}"
    return f"in since {n.lot.made_on:%d %b}" if n.lot.made_on else ""


@router.get("/orders/{number}/parts", response={200: TranchesOut, 404: Problem})
def parts(request: HttpRequest, number: int) -> TranchesOut:
    """Return what is released, picked, staged and issued of an order, part by part."""
    order = Order.objects.select_related("item").filter(number=min(number, 2**31 - 1)).first()
    if order is None:
        raise NotFound("order", str(number))
    components = OrderInput.objects.filter(order=order, kind="component").select_related("item")
    inputs = {i.pk: i for i in components}
    picked = _picked(order)
    staged = _on_floor(order, inputs)
    lists = PickList.objects.filter(lines__order=order, state=PickList.State.OPEN).distinct()
    made = order.tranches.prefetch_related("lines")
    found = [_part(t, inputs, picked, staged) for t in made]
    if not order.is_in_parts and inputs:
        found = [_whole(order, inputs, picked, staged)]
    return TranchesOut(is_in_parts=order.is_in_parts, parts=_issued(found, inputs), pick_lists=_rows(lists))  # fmt: skip


#: by input and part: what was picked
Picked = dict[tuple[int, int | None], Decimal]


def _picked(order: Order) -> Picked:
    rows = PickLine.objects.filter(order=order).values_list("input", "tranche")
    return {(i, t): q for i, t, q in rows.annotate(q=Sum("picked")) if q}


def _on_floor(order: Order, inputs: dict[int, OrderInput]) -> dict[int, Decimal]:
    """Return what was picked and is not yet where it is wanted, by input: it lies on a carrier in a store."""
    carried = StockBalance.objects.filter(
        place__kind=Place.Kind.CARRIER, place__stands_at__kind=Place.Kind.STORE, quantity__gt=0
    )
    places = set(carried.values_list("place", flat=True))
    by_item: dict[tuple[int, int], Decimal] = {}
    for r in order.cost_object.reservations.filter(place__in=places):
        key = (r.operation, r.item_id)
        by_item[key] = by_item.get(key, ZERO) + r.quantity
    return {i.pk: by_item.get((i.operation, i.item_id or 0), ZERO) for i in inputs.values()}


def _part(
    t: Tranche, inputs: dict[int, OrderInput], picked: Picked, waiting: dict[int, Decimal]
) -> TrancheOut:
    words = f"{t.units.normalize():f} {t.unit}" if t.units is not None else ""
    lines = [(inputs[n.input_id], n.quantity) for n in t.lines.all() if n.input_id in inputs]
    return TrancheOut(
        number=t.number,
        first=t.first,
        last=t.last,
        quantity=t.quantity,
        unit="",
        words=words,
        released_at=t.released_at,
        lines=[_part_line(i, q, picked.get((i.pk, t.pk), ZERO), waiting) for i, q in lines],
    )


def _whole(
    order: Order, inputs: dict[int, OrderInput], picked: Picked, waiting: dict[int, Decimal]
) -> TrancheOut:
    lines = [i for i in inputs.values() if not i.stands_for]
    return TrancheOut(
        number=None,
        first=None,
        last=None,
        quantity=order.quantity,
        unit=order.item.unit,
        words="",
        released_at=order.released_at,
        lines=[_part_line(i, i.need, picked.get((i.pk, None), ZERO), waiting) for i in lines],
    )


def _part_line(
    i: OrderInput, released: Decimal, picked: Decimal, waiting: dict[int, Decimal]
) -> TrancheLineOut:
    """Return a line; of what waits on a carrier, the part that was picked last is not staged yet."""
    assert i.item is not None
    late = min(picked, waiting.get(i.pk, ZERO))
    waiting[i.pk] = waiting.get(i.pk, ZERO) - late
    return TrancheLineOut(
        operation=i.operation,
        item=i.item.code,
        name=i.item.name,
        unit=i.unit,
        released=released,
        picked=picked,
        staged=picked - late,
        issued=ZERO,
    )


def _issued(parts: list[TrancheOut], inputs: dict[int, OrderInput]) -> list[TrancheOut]:
    """Share what was issued over the parts, the first released first."""
    left = {(i.operation, i.item.code): i.covered for i in inputs.values() if i.item and not i.stands_for}  # fmt: skip
    for n in (n for part in parts for n in part.lines):
        n.issued = min(n.released, left.get((n.operation, n.item), ZERO))
        left[n.operation, n.item] = left.get((n.operation, n.item), ZERO) - n.issued
    return parts
