"""What our stock of an item is worth, and on what that stands."""

from decimal import Decimal

from django.db.models import F
from django.http import HttpRequest
from ninja import Router
from poietic_core.order.states import OrderState
from poietic_core.quantity import UNIT_COST_STEP, ZERO, round_to
from poietic_core.stock.valuation import Method

from ..buying.models import PurchaseLine
from ..catalog.models import Item
from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..ledger.models import Correction, Holding
from ..orders.basis import Basis
from ..orders.models import Order
from ..web_api.fields import Answer, DecimalText

router = Router(tags=["settling"])
#: purchase orders and orders that are named
NAMED = 5


class WorthOut(Answer):
    """All our stock of an item, with its value."""

    item: str
    unit: str
    quantity: DecimalText
    #: [EUR], and of one
    value: DecimalText
    unit_cost: DecimalText | None
    valuation: Method
    basis: Basis
    #: what may still change it, in sentences
    waits_for: list[str]


@router.get("/items/{code}/worth", auth=READ_COSTS, response={200: WorthOut, 404: Problem})
def worth(request: HttpRequest, code: str) -> WorthOut:
    """Return what our stock of an item is worth: at standard, provisional, at what it cost, or corrected since."""
    item = item_by_code(code)
    held = Holding.objects.filter(pk=item.pk).first()
    quantity, value = (held.quantity, held.value) if held else (ZERO, ZERO)
    waits_for = _waits_for(item)
    return WorthOut(
        item=item.code,
        unit=item.unit,
        quantity=quantity,
        value=value,
        unit_cost=round_to(Decimal(value) / quantity, UNIT_COST_STEP) if quantity else None,
        valuation=Method(item.valuation),
        basis=_basis(item, waits_for),
        waits_for=waits_for,
    )


def _basis(item: Item, waits_for: list[str]) -> Basis:
    if item.valuation == Method.STANDARD:
        return Basis.STANDARD
    if waits_for:
        return Basis.PROVISIONAL
    is_corrected = Correction.objects.filter(line__item=item).exists()
    return Basis.CORRECTED if is_corrected else Basis.ACTUAL


def _waits_for(item: Item) -> list[str]:
    """Return what is not settled of what is in stock at what it cost: receipts without invoice, output of open orders."""
    if item.valuation == Method.STANDARD:
        return []
    came = PurchaseLine.objects.filter(item=item, is_work=False)
    open_lines = came.filter(received__gt=F("returned") + F("invoiced")).order_by("-pk")
    open_orders = Order.objects.filter(item=item, received__gt=ZERO)
    open_orders = open_orders.exclude(state__in=[OrderState.CLOSED.value, OrderState.CANCELLED.value])  # fmt: skip
    purchases = open_lines.values_list("purchase__number", flat=True)[:NAMED]
    orders = open_orders.order_by("-number").values_list("number", flat=True)[:NAMED]
    return [
        *(f"purchase order {n} is not invoiced in full" for n in dict.fromkeys(purchases)),
        *(f"order {n} is not closed" for n in orders),
    ]
