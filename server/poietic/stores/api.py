"""Queries on stores: stock by item and place, its future, and lots."""

from datetime import date

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.planning.projection import project
from poietic_core.quantity import ZERO

from ..catalog.models import Place
from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..ledger.lots import as_core
from ..ledger.models import Lot, StockBalance, StockLine
from ..web_api.errors import NotFound
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, PageSize, ShortText, Skip
from .future import Future, future_of
from .stock_list import ItemStock, stock_list

router = Router(tags=["stores"])


class ItemStockOut(Answer):
    """Stock of an item at all places asked for, and what is wanted and to come of it."""

    item: str
    name: str
    unit: str
    on_hand: DecimalText
    reserved: DecimalText
    free: DecimalText
    #: quarantined, rejected or expired
    held: DecimalText
    on_the_way: DecimalText
    #: what open supply will bring, and what is still wanted
    expected: DecimalText
    wanted: DecimalText


class StockListOut(Answer):
    """A page of it, and in how many items there is something."""

    rows: list[ItemStockOut]
    whole: int


class PieceOut(Answer):
    """Stock of an item at a place, of a lot where it has one."""

    place: str
    place_name: str
    site: str
    lot: str
    state: str
    expires_on: date | None
    supplier_code: str
    #: the posting that made it or brought it
    came_by: int | None
    on_hand: DecimalText
    reserved: DecimalText
    may_be_used: bool
    is_on_the_way: bool


class FutureStepOut(Answer):
    """What changes the stock of an item on a day, and what there is after it."""

    day: date
    kind: str
    number: int
    words: str
    change: DecimalText
    projected: DecimalText


class ItemStoresOut(Answer):
    """Where an item lies, and its future."""

    item: str
    name: str
    unit: str
    tracking: str
    on_hand: DecimalText
    reserved: DecimalText
    free: DecimalText
    held: DecimalText
    on_the_way: DecimalText
    pieces: list[PieceOut]
    #: how many pieces there are; 200 are told
    whole: int
    #: that may be used today: where the future begins
    begins_at: DecimalText
    steps: list[FutureStepOut]
    whole_steps: int
    #: supply of which nobody knows the day
    undated: DecimalText
    today: date


@router.get("/stores/stock", response=StockListOut)
def stock(
    request: HttpRequest,
    filter: ShortText = "",
    place: ShortText = "",
    site: ShortText = "",
    limit: PageSize = MOST_ROWS,
    skip: Skip = 0,
) -> StockListOut:
    """Return the items that there is stock of, by code."""
    rows = stock_list(
        timezone.localdate(), words=filter, place=place, site=site, limit=limit, skip=skip
    )
    futures = future_of(r.key for r in rows)
    return StockListOut(
        rows=[_item_stock(r, futures[r.key]) for r in rows], whole=rows[0].found if rows else 0
    )


def _item_stock(r: ItemStock, future: Future) -> ItemStockOut:
    return ItemStockOut(
        item=r.code,
        name=r.name,
        unit=r.unit,
        on_hand=r.on_hand,
        reserved=r.reserved,
        free=r.free,
        held=r.held,
        on_the_way=r.on_the_way,
        expected=sum((s.quantity for s, _ in future.supplies), ZERO),
        wanted=sum((d.quantity for d, _ in future.demands), ZERO),
    )


@router.get("/stores/items/{code}", response={200: ItemStoresOut, 404: Problem})
def item_stores(request: HttpRequest, code: str) -> ItemStoresOut:
    """Return where an item lies and who wants it by when; 200 rows of each at most."""
    item = item_by_code(code)
    day = timezone.localdate()
    rows = StockBalance.objects.filter(item=item, quantity__gt=0).select_related(
        "place__site", "lot"
    )
    listed = rows.order_by("place__walk_order", "place__code", "lot__pk")[:MOST_ROWS]
    nothing = ItemStock(item.pk, item.code, item.name, item.unit, ZERO, ZERO, ZERO, ZERO, 0)
    there = next(iter(stock_list(day, item=item.code, limit=1, skip=0)), nothing)
    usable = there.free + there.reserved
    future = future_of([item.pk])[item.pk]
    words = {(d.source, d.number): w for d, w in future.demands}
    words |= {(s.source, s.number): w for s, w in future.supplies}
    steps = project(usable, [d for d, _ in future.demands], [s for s, _ in future.supplies], day)
    return ItemStoresOut(
        item=item.code,
        name=item.name,
        unit=item.unit,
        tracking=item.tracking,
        on_hand=there.on_hand,
        reserved=there.reserved,
        free=there.free,
        held=there.held,
        on_the_way=there.on_the_way,
        pieces=[_piece(b, day) for b in listed],
        whole=rows.count(),
        begins_at=usable,
        steps=[
            FutureStepOut(
                day=s.day,
                kind=s.source.value,
                number=s.number,
                words=words[s.source, s.number],
                change=s.change,
                projected=s.projected,
            )
            for s in steps[:MOST_ROWS]
        ],
        whole_steps=len(steps),
        undated=sum((s.quantity for s, _ in future.supplies if s.comes is None), ZERO),
        today=day,
    )


def _piece(b: StockBalance, day: date) -> PieceOut:
    lot = b.lot
    return PieceOut(
        place=b.place.code,
        place_name=b.place.name,
        site=b.place.site.name if b.place.site else "",
        lot=lot.code if lot else "",
        state=lot.state if lot else "",
        expires_on=lot.expires_on if lot else None,
        supplier_code=lot.supplier_code if lot else "",
        came_by=lot.came_by_id if lot else None,
        on_hand=b.quantity,
        reserved=b.reserved,
        may_be_used=lot is None or as_core(lot, b.quantity).may_be_used(day),
        is_on_the_way=b.place.kind == Place.Kind.TRANSIT,
    )


class LotMoveOut(Answer):
    """A movement of a lot."""

    posting: int
    kind: str
    happened_at: str
    order: int | None
    from_place: str
    to_place: str
    quantity: DecimalText


class LotChangeOut(Answer):
    """What was put right of a lot, when, by whom, and why."""

    field: str
    before: str
    after: str
    why: str
    person: str
    at: str


class LotOut(Answer):
    """All that is known of a lot or serial."""

    item: str
    name: str
    unit: str
    lot: str
    kind: str
    state: str
    supplier_code: str
    made_on: date | None
    expires_on: date | None
    pieces: list[PieceOut]
    moves: list[LotMoveOut]
    #: how often it moved; the last 200 are told
    whole: int
    changes: list[LotChangeOut]


@router.get("/stores/items/{code}/lots/{lot}", response={200: LotOut, 404: Problem})
def one_lot(request: HttpRequest, code: str, lot: str) -> LotOut:
    """Return a lot: where it lies, how it moved, what was put right of it."""
    item = item_by_code(code)
    found = Lot.objects.filter(item=item, code=lot).first()
    if found is None:
        raise NotFound(f"lot or serial of {code}", lot)
    day = timezone.localdate()
    balances = StockBalance.objects.filter(lot=found, quantity__gt=0)
    lines = StockLine.objects.filter(lot=found)
    rows = lines.select_related("posting__cost_object", "from_place", "to_place").order_by("-pk")
    changes = found.changes.select_related("entry__person")[:MOST_ROWS]
    return LotOut(
        item=item.code,
        name=item.name,
        unit=item.unit,
        lot=found.code,
        kind=found.kind,
        state=found.state,
        supplier_code=found.supplier_code,
        made_on=found.made_on,
        expires_on=found.expires_on,
        pieces=[
            _piece(b, day)
            for b in balances.select_related("place__site", "lot").order_by("place__code")[
                :MOST_ROWS
            ]
        ],
        moves=[
            LotMoveOut(
                posting=n.posting_id,
                kind=n.posting.kind,
                happened_at=n.posting.happened_at.isoformat(),
                order=n.posting.cost_object.number if n.posting.cost_object else None,
                from_place=n.from_place.name,
                to_place=n.to_place.name,
                quantity=n.quantity,
            )
            for n in rows[:MOST_ROWS]
        ],
        whole=lines.count(),
        changes=[
            LotChangeOut(
                field=c.field.replace("_", " "),
                before=c.before,
                after=c.after,
                why=c.why,
                person=str(c.entry.person or ""),
                at=c.entry.entered_at.isoformat(),
            )
            for c in changes
        ],
    )
