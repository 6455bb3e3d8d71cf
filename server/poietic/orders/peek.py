"""One item at a glance, and what the master data still lacks."""

from datetime import date
from decimal import Decimal

from django.db.models import Sum
from poietic_core.order.states import RUNNING
from poietic_core.quantity import UNIT_COST_STEP, ZERO, round_to
from poietic_core.structure.model import OutputKind

from ..catalog.models import Item, PriceRow
from ..commanding.reading import Cost
from ..costing.queries import standards_in_force
from ..engineering.faults import Shop, faults_of
from ..engineering.models import OPEN_STATES, Revision, WorkCenter
from ..engineering.queries import in_force, with_rows
from ..engineering.where_used import where_used
from ..ledger.models import Holding, Posting, Reservation, StockLine
from ..ledger.reserving import free_stock
from ..web_api.fields import Answer, DecimalText
from .dates import UNRELEASED
from .models import Order
from .shortages import WAITING

#: orders told one by one
SHOWN = 20


class Expected(Answer):
    """An order that brings or takes a quantity of the item."""

    order: int
    name: str
    quantity: DecimalText
    due: date


class PeekOut(Answer):
    """An item at a glance."""

    item: str
    name: str
    unit: str
    source: str
    on_hand: DecimalText
    #: of it, kept for orders
    reserved: DecimalText
    #: usable, and kept for nobody
    free: DecimalText
    expected: list[Expected]
    wanted_by: list[Expected]
    #: paid at the last receipt [EUR/unit]
    last_price: Cost | None
    last_received: str | None
    standard: Cost | None
    used_in: list[str]


class LackOut(Answer):
    """Something that would stop an order, with the place to put it right."""

    place: str
    thing: str
    why: str
    fix: str


def peek_at(item: Item, today: date) -> PeekOut:
    """Return what is on hand, reserved, expected, wanted, paid, and where the item is used."""
    holding = Holding.objects.get(item=item)
    running = [s.value for s in RUNNING]
    wanted = [
        Expected(order=number, name=name, quantity=still, due=due)
        for number, name, still, due in WAITING.of(item.pk)[:SHOWN]
    ]
    reserved = Reservation.objects.filter(item=item).aggregate(sum=Sum("quantity"))["sum"]
    making = Order.objects.filter(item=item, state__in=[*(s.value for s in UNRELEASED), *running])
    paid = (
        StockLine.objects.filter(
            item=item,
            posting__kind=Posting.Kind.RECEIVE_MATERIAL,
            posting__reverses=None,
            posting__reversal=None,
        )
        .select_related("posting")
        .order_by("-posting__happened_at", "-pk")
        .first()
    )
    standard = standards_in_force([item]).get(item.code)
    return PeekOut(
        item=item.code,
        name=item.name,
        unit=item.unit,
        source=item.source,
        on_hand=holding.quantity,
        reserved=reserved or ZERO,
        free=free_stock([item.pk], today).get(item.pk, ZERO),
        expected=[
            Expected(order=o.number, name=o.item.name, quantity=o.quantity - o.received, due=o.due)
            for o in making.select_related("item").order_by("due", "number")[:SHOWN]
        ],
        wanted_by=wanted,
        last_price=_price(paid.worth, paid.quantity) if paid else None,
        last_received=paid.posting.happened_at.isoformat() if paid else None,
        standard=standard.total if standard else None,
        used_in=[u.revision.item.code for u in where_used(item, today) if u.level == 1][:SHOWN],
    )


def _price(worth: Decimal, quantity: Decimal) -> Decimal:
    return round_to(worth / quantity, UNIT_COST_STEP) if quantity else ZERO


def lacks(today: date) -> list[LackOut]:
    """Return what would stop the next order of anything: structures, prices, standards, rates."""
    found: list[LackOut] = []

    def lack(place: str, thing: str, why: str, fix: str) -> None:
        found.append(LackOut(place=place, thing=thing, why=why, fix=fix))

    standards = standards_in_force()
    standing = {r.item.code: r for r in with_rows(in_force(today))}
    drafts = {r.item.code: r for r in with_rows(Revision.objects.filter(state__in=OPEN_STATES))}
    used = {c.item.code for r in standing.values() for c in r.components.all()}
    beside = {
        code
        for r in standing.values()
        for code in (
            *(o.item.code for o in r.outputs.all() if o.kind == OutputKind.CO_PRODUCT),
            *(g["item"] for g in r.grades),
        )
    }
    shop = Shop.on(today)
    priced = set(PriceRow.objects.values_list("item_id", flat=True))
    for item in Item.objects.all():
        if not item.is_active:
            if item.code in used:
                lack(
                    f"item:{item.code}",
                    item.name,
                    f"{item.code} is inactive and structures in force use it.",
                    f"Replace {item.code}.",
                )
            continue
        if item.is_made and item.code not in standing and item.code not in beside:
            if item.code not in drafts:
                lack(
                    f"structure:{item.code}",
                    item.name,
                    f"{item.code} has no structure.",
                    "Draft one.",
                )
            else:
                faults = faults_of(drafts[item.code], shop)
                lack(
                    f"structure:{item.code}",
                    item.name,
                    f"{item.code} has only a draft{f': {faults[0]}' if faults else '.'}",
                    "Finish and approve it." if faults else "Approve it.",
                )
        if not item.is_made and item.price is None and item.pk not in priced:
            lack(
                f"item:{item.code}", item.name, f"{item.code} has no price.", "Enter what it costs."
            )
        has_price = item.price is not None or item.pk in priced
        if item.code not in standards and (item.code in standing or has_price):
            lack(
                f"standard:{item.code}",
                item.name,
                f"{item.code} has no standard.",
                "Freeze the standard.",
            )
    for center in WorkCenter.objects.filter(calendar=None):
        lack(
            f"work-center:{center.code}",
            center.name,
            f"{center.code} has no calendar: weekdays from 8 to 16 count.",
            "Give it one.",
        )
    return found
