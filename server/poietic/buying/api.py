"""Purchase orders, what came of them and is not invoiced, what is missing and is to be bought, invoices."""

from datetime import date, datetime
from typing import Annotated

from django.db import connection
from django.db.models import Count, F, Min, Q, QuerySet, Sum
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.buying.purchase import COMING, PurchaseAct, PurchaseState, acts_in
from poietic_core.quantity import UNIT_COST_STEP, ZERO, money, round_to
from pydantic import Field

from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS, Cost
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText, PageSize, ShortText, Skip
from .models import Delivery, Invoice, Purchase, PurchaseLine, SupplierReturn

router = Router(tags=["buying"])
#: of what is not a page of its own
MOST = 200


class PurchaseRow(Answer):
    """A purchase order in the list."""

    number: int
    supplier: str
    supplier_name: str
    state: PurchaseState
    lines: int
    #: the first day on which something of it is to come, and how many days ago that was
    comes_on: date | None
    days_late: int
    ordered_on: date | None
    #: ordered, without tax
    amount: Cost


class PurchasePage(Answer):
    """A part of the purchase orders."""

    rows: list[PurchaseRow]
    total: int


class DeliveryOut(Answer):
    """What came of a line at once."""

    delivery: int
    posting: int
    came_at: datetime
    note: str
    quantity: DecimalText
    returned: DecimalText
    invoiced: DecimalText
    value: Cost
    is_undone: bool


class ReturnOut(Answer):
    """What went back."""

    posting: int
    delivery: int
    line: int
    quantity: DecimalText
    is_replaced: bool
    is_undone: bool
    reason: str


class PurchaseLineOut(Answer):
    """A line of a purchase order; quantities of what came in the stock unit."""

    line: int
    item: str
    name: str
    unit: str
    per_unit: DecimalText
    stock_unit: str
    tracking: str
    is_inspected: bool
    quantity: DecimalText
    price: Cost
    amount: Cost
    asked_quantity: DecimalText | None
    asked_for: date | None
    comes_on: date
    days_late: int
    place: str
    place_name: str
    order: int | None
    operation: int | None
    #: it is work on the order's units, not goods
    is_work: bool
    received: DecimalText
    returned: DecimalText
    invoiced: DecimalText
    coming: DecimalText
    #: of that, in the line's own unit
    coming_units: DecimalText
    to_invoice: DecimalText
    #: and what that would cost as it was ordered
    to_invoice_units: DecimalText
    to_invoice_amount: Cost
    is_ended: bool
    deliveries: list[DeliveryOut]


class InvoiceRow(Answer):
    """An invoice or credit note."""

    invoice: int
    number: str
    supplier: str
    supplier_name: str
    dated: date
    is_credit: bool
    total: Cost
    #: what it asks beyond what was received
    difference: Cost
    posting: int
    is_taken_back: bool


class PurchaseOut(Answer):
    """A purchase order's page."""

    number: int
    supplier: str
    supplier_name: str
    state: PurchaseState
    ordered_on: date | None
    confirmed_on: date | None
    their_number: str
    note: str
    amount: Cost
    acts: list[PurchaseAct]
    lines: list[PurchaseLineOut]
    returns: list[ReturnOut]
    invoices: list[InvoiceRow]
    change: int


class WantedRow(Answer):
    """A bought item that is missing: how much, by when, what is on order, of whom it is bought."""

    item: str
    name: str
    unit: str
    #: missing for orders that run and are planned, less what is on order already
    short: DecimalText
    coming: DecimalText
    first_due: date | None
    orders: int
    supplier: str
    supplier_name: str
    lead_time_days: int | None


class OpenRow(Answer):
    """What came and is not invoiced."""

    delivery: int
    purchase: int
    line: int
    supplier: str
    supplier_name: str
    item: str
    name: str
    unit: str
    quantity: DecimalText
    #: of that, in the unit of the purchase order
    bought_in: str
    units: DecimalText
    value: Cost
    came_at: datetime
    days: int
    note: str


class OpenPage(Answer):
    """A part of what came and is not invoiced, with what all of it is worth."""

    rows: list[OpenRow]
    total: int
    value: Cost


StateFilter = Annotated[str, Field(pattern="^(open|all|draft|late|received|closed)$")]


def _chosen(which: str, day: date) -> Q:
    coming = [s.value for s in COMING]
    if which == "all":
        return Q()
    if which == "open":
        return Q(state__in=[PurchaseState.DRAFT.value, *coming])
    if which == "late":
        late = PurchaseLine.objects.filter(coming__gt=ZERO, comes_on__lt=day)
        return Q(pk__in=late.values("purchase"))
    return Q(state=which)


@router.get("/purchases", response=PurchasePage)
def purchases(
    request: HttpRequest,
    which: StateFilter = "open",
    supplier: ShortText = "",
    item: ShortText = "",
    skip: Skip = 0,
    take: PageSize = 50,
) -> PurchasePage:
    """Return purchase orders: those first of which something comes first."""
    day = timezone.localdate()
    rows = Purchase.objects.filter(_chosen(which, day))
    if supplier:
        rows = rows.filter(supplier__code=supplier)
    if item:
        rows = rows.filter(pk__in=PurchaseLine.objects.filter(item__code=item).values("purchase"))
    total = rows.count()
    told = (
        rows.select_related("supplier")
        .annotate(
            count=Count("lines"),
            first=Min("lines__comes_on", filter=Q(lines__coming__gt=ZERO)),
            drafted=Min("lines__comes_on"),
            amount=Sum(F("lines__quantity") * F("lines__price")),
        )
        .order_by(F("first").asc(nulls_last=True), "-number")
    )
    return PurchasePage(
        rows=[
            PurchaseRow(
                number=p.number,
                supplier=p.supplier.code,
                supplier_name=p.supplier.name,
                state=PurchaseState(p.state),
                lines=p.count,
                comes_on=p.first or p.drafted,
                days_late=max(0, (day - p.first).days) if p.first else 0,
                ordered_on=p.ordered_on,
                amount=money(p.amount or ZERO),
            )
            for p in told[skip : skip + take]
        ],
        total=total,
    )


#: of each bought item what orders are short of beyond what is on order or drafted, the first due first
WANTED = """
WITH lacks AS (
  SELECT s.item_id, s.quantity, o.due, s.order_id FROM orders_shortage s
  JOIN orders_order o ON o.id = s.order_id
  UNION ALL
  SELECT n.item_id, n.short, o.due, n.order_id FROM orders_plannedneed n
  JOIN orders_order o ON o.id = n.order_id WHERE n.short > 0),
sums AS (
  SELECT l.item_id, sum(l.quantity) AS short, min(l.due) AS first_due,
         count(DISTINCT l.order_id) AS orders
  FROM lacks l JOIN catalog_item i ON i.id = l.item_id AND i.source <> 'make' GROUP BY 1),
bought AS (
  SELECT n.item_id, sum(CASE WHEN p.state = 'draft' THEN n.quantity * n.per_unit ELSE n.coming END) AS coming
  FROM buying_purchaseline n JOIN buying_purchase p ON p.id = n.purchase_id
  WHERE n.item_id IN (SELECT item_id FROM sums) AND NOT n.is_work AND (n.coming > 0 OR p.state = 'draft') GROUP BY 1)
SELECT i.code, i.name, i.unit, s.short - coalesce(b.coming, 0), coalesce(b.coming, 0), s.first_due,
       s.orders, coalesce(x.code, ''), coalesce(x.name, ''), i.lead_time_days
FROM sums s JOIN catalog_item i ON i.id = s.item_id LEFT JOIN bought b USING (item_id)
LEFT JOIN LATERAL (
  SELECT a.code, a.name FROM catalog_pricerow r JOIN catalog_partner a ON a.id = r.supplier_id
  WHERE r.item_id = s.item_id ORDER BY r.position, r.id LIMIT 1) x ON true
WHERE s.short > coalesce(b.coming, 0) ORDER BY s.first_due, i.code LIMIT %s
"""


@router.get("/purchases/wanted", response=list[WantedRow])
def wanted(request: HttpRequest) -> list[WantedRow]:
    """Return the bought items that orders are short of beyond what is on order, the first wanted first."""
    with connection.cursor() as cursor:
        cursor.execute(WANTED, [MOST])
        names = list(WantedRow.model_fields)
        return [WantedRow(**dict(zip(names, row, strict=True))) for row in cursor.fetchall()]


@router.get("/purchases/to-invoice", response=OpenPage)
def to_invoice(
    request: HttpRequest, supplier: ShortText = "", skip: Skip = 0, take: PageSize = 50
) -> OpenPage:
    """Return what came and is not invoiced, the oldest first."""
    rows = Delivery.objects.filter(is_open=True)
    if supplier:
        rows = rows.filter(line__purchase__supplier__code=supplier)
    sums = rows.aggregate(
        count=Count("pk"), value=Sum(F("value") - F("returned_value") - F("cleared"))
    )
    now = timezone.now()
    told = rows.select_related("line__item", "line__purchase__supplier").order_by("came_at", "pk")
    return OpenPage(
        rows=[
            OpenRow(
                delivery=d.pk,
                purchase=d.line.purchase.number,
                line=d.line.number,
                supplier=d.line.purchase.supplier.code,
                supplier_name=d.line.purchase.supplier.name,
                item=d.line.item.code,
                name=d.line.item.name,
                unit=d.line.item.unit,
                quantity=d.open.quantity,
                bought_in=d.line.unit,
                units=round_to(d.open.quantity / d.line.per_unit, UNIT_COST_STEP),
                value=d.open.value,
                came_at=d.came_at,
                days=(now - d.came_at).days,
                note=d.note,
            )
            for d in told[skip : skip + take]
        ],
        total=sums["count"],
        value=sums["value"] or ZERO,
    )


@router.get("/invoices", response=list[InvoiceRow], auth=READ_COSTS)
def invoices(
    request: HttpRequest, supplier: ShortText = "", skip: Skip = 0, take: PageSize = 50
) -> list[InvoiceRow]:
    """Return invoices and credit notes, the latest first."""
    rows = Invoice.objects.all()
    if supplier:
        rows = rows.filter(supplier__code=supplier)
    return _invoice_rows(rows.order_by("-pk")[skip : skip + take])


def _invoice_rows(rows: QuerySet[Invoice]) -> list[InvoiceRow]:
    listed = list(rows.select_related("supplier"))
    differences = dict(
        Invoice.objects.filter(pk__in=[v.pk for v in listed])
        .annotate(
            difference=Sum(
                F("lines__amount") - F("lines__cleared"),
                filter=Q(is_taken_back=False),
            )
        )
        .values_list("pk", "difference")
    )
    return [
        InvoiceRow(
            invoice=v.pk,
            number=v.number,
            supplier=v.supplier.code,
            supplier_name=v.supplier.name,
            dated=v.dated,
            is_credit=v.is_credit,
            total=v.total,
            difference=differences.get(v.pk) or ZERO,
            posting=v.posting_id,
            is_taken_back=v.is_taken_back,
        )
        for v in listed
    ]


@router.get("/purchases/{number}", response={200: PurchaseOut, 404: Problem})
def purchase(request: HttpRequest, number: int) -> PurchaseOut:
    """Return a purchase order's page."""
    p = Purchase.objects.select_related("supplier").filter(number=number).first()
    if p is None:
        raise NotFound("purchase order", str(number))
    day = timezone.localdate()
    lines = list(
        PurchaseLine.objects.filter(purchase=p)
        .select_related("item", "place", "order")
        .order_by("number")
    )
    came: dict[int, list[Delivery]] = {}
    for d in Delivery.objects.filter(line__purchase=p).order_by("pk"):
        came.setdefault(d.line_id, []).append(d)
    invoiced = Invoice.objects.filter(lines__delivery__line__purchase=p).distinct()
    returns = SupplierReturn.objects.filter(delivery__line__purchase=p)
    return PurchaseOut(
        number=p.number,
        supplier=p.supplier.code,
        supplier_name=p.supplier.name,
        state=PurchaseState(p.state),
        ordered_on=p.ordered_on,
        confirmed_on=p.confirmed_on,
        their_number=p.their_number,
        note=p.note,
        amount=sum((money(n.quantity * n.price) for n in lines), ZERO),
        acts=acts_in(PurchaseState(p.state)),
        lines=[_line(n, came.get(n.pk, []), day) for n in lines],
        returns=[
            ReturnOut(
                posting=r.posting_id,
                delivery=r.delivery_id,
                line=r.delivery.line.number,
                quantity=r.quantity,
                is_replaced=r.is_replaced,
                is_undone=r.is_undone,
                reason=r.posting.reason,
            )
            for r in returns.select_related("posting", "delivery__line")[:MOST]
        ],
        invoices=_invoice_rows(invoiced.order_by("-pk")[:MOST]),
        change=p.change,
    )


def _line(n: PurchaseLine, came: list[Delivery], day: date) -> PurchaseLineOut:
    stands = n.stands()
    open_ = stands.kept - n.invoiced
    is_late = n.coming > 0 and n.comes_on < day
    return PurchaseLineOut(
        line=n.number,
        item=n.item.code,
        name=n.item.name,
        unit=n.unit,
        per_unit=n.per_unit,
        stock_unit=n.item.unit,
        tracking=n.item.tracking,
        is_inspected=n.item.is_inspected,
        quantity=n.quantity,
        price=n.price,
        amount=money(n.quantity * n.price),
        asked_quantity=n.asked_quantity,
        asked_for=n.asked_for,
        comes_on=n.comes_on,
        days_late=(day - n.comes_on).days if is_late else 0,
        place=n.place.code,
        place_name=n.place.name,
        order=n.order.number if n.order else None,
        operation=n.operation,
        is_work=n.is_work,
        received=n.received,
        returned=n.returned,
        invoiced=n.invoiced,
        coming=n.coming,
        coming_units=round_to(n.coming / n.per_unit, UNIT_COST_STEP),
        to_invoice=open_,
        to_invoice_units=round_to(open_ / n.per_unit, UNIT_COST_STEP),
        to_invoice_amount=sum((d.open.value for d in came if not d.is_undone), ZERO),
        is_ended=n.is_ended,
        deliveries=[
            DeliveryOut(
                delivery=d.pk,
                posting=d.posting_id,
                came_at=d.came_at,
                note=d.note,
                quantity=d.quantity,
                returned=d.returned,
                invoiced=d.invoiced,
                value=d.value,
                is_undone=d.is_undone,
            )
            for d in came[-MOST:]
        ],
    )
