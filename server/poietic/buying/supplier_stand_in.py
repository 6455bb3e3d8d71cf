"""A stand-in for suppliers: what one would confirm of an order sent to him, send, and invoice.

It knows nothing real: days later, fewer pieces and dearer prices are drawn by rules that can be set, always
the same for the same order and rules.
"""

from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from random import Random

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from poietic_core.buying.purchase import PurchaseAct, PurchaseState, require_purchase_state
from poietic_core.quantity import ZERO, money, round_to

from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .commands.simulating import rules_of
from .models import Purchase, PurchaseLine
from .ubl.writing import write_despatch, write_invoice

router = Router(tags=["stand-ins"])


@dataclass(frozen=True, slots=True)
class Drawn:
    """What he does with a line."""

    line: PurchaseLine
    quantity: Decimal
    comes_on: date
    price: Decimal


class LineAnswered(Answer):
    """What he confirms of a line."""

    line: int
    quantity: DecimalText
    comes_on: date


class SupplierAnswer(Answer):
    """What he confirms of an order."""

    their_number: str
    lines: list[LineAnswered]


def draw(purchase: Purchase) -> list[Drawn]:
    """Return what the supplier does with each line of an order."""
    rules = rules_of(purchase.supplier)
    found = []
    lines = PurchaseLine.objects.filter(purchase=purchase).select_related("item", "order")
    for n in lines.order_by("number"):
        chance = Random(f"{rules.seed} {purchase.number} {n.number}")
        is_late, is_short, is_dearer = (chance.randrange(100) < p for p in (rules.late, rules.short, rules.dearer))  # fmt: skip
        asked, asked_for = n.asked_quantity or n.quantity, n.asked_for or n.comes_on
        quantity = asked
        if is_short and not n.is_work:
            step = n.item.step / n.per_unit
            less = round_to(asked * rules.missing / 100, step)
            quantity = asked - less if less < asked else asked
        days = chance.randint(1, rules.days) if is_late else 0
        price = round_to(n.price * (100 + rules.more) / 100, Decimal("0.0001")) if is_dearer else n.price  # fmt: skip
        found.append(Drawn(n, quantity, asked_for + timedelta(days=days), price))
    return found


def _sent(number: int) -> Purchase:
    found = Purchase.objects.select_related("supplier").filter(number=number).first()
    if found is None:
        raise NotFound("purchase order", str(number))
    return found


@router.get(
    "/stand-ins/supplier/{number}", response={200: SupplierAnswer, 404: Problem, 409: Problem}
)
def answer(request: HttpRequest, number: int) -> SupplierAnswer:
    """Return what the supplier confirms of an order that was sent to him."""
    purchase = _sent(number)
    state = PurchaseState(purchase.state)
    if state in (PurchaseState.DRAFT, PurchaseState.CANCELLED):
        require_purchase_state(number, state, PurchaseAct.CONFIRM)
    return SupplierAnswer(
        their_number=f"S-{number}",
        lines=[
            LineAnswered(line=d.line.number, quantity=d.quantity, comes_on=d.comes_on)
            for d in draw(purchase)
        ],
    )


@router.get("/stand-ins/supplier/{number}/despatch.xml", response={404: Problem})
def despatch(request: HttpRequest, number: int) -> HttpResponse:
    """Return his despatch advice, as UBL 2.1, for what he has not sent yet; without lines, where nothing is."""
    purchase = _sent(number)
    lines = []
    drawn = draw(purchase)
    for d in drawn:
        n = d.line
        left = min(n.coming / n.per_unit, d.quantity - n.received / n.per_unit)
        if left > 0:
            lines.append((n, left, f"S{number}-{n.number}" if n.item.tracking == "lot" and not n.is_work else ""))  # fmt: skip
    comes_on = max((d.comes_on for d in drawn), default=timezone.localdate())
    came = sum((d.line.received for d in drawn), ZERO).normalize()
    made = write_despatch(purchase, f"S-{number}-{came:f}", timezone.localdate(), comes_on, lines)
    return HttpResponse(made, content_type="application/xml")


@router.get("/stand-ins/supplier/{number}/invoice.xml", auth=READ_COSTS, response={404: Problem})
def invoice(request: HttpRequest, number: int) -> HttpResponse:
    """Return his invoice, as UBL 2.1, for what came and is not invoiced yet; without lines, where nothing is."""
    purchase = _sent(number)
    asked = []
    for d in draw(purchase):
        n = d.line
        open_ = (n.received - n.returned - n.invoiced) / n.per_unit
        if open_ > 0:
            asked.append((n, open_, money(open_ * d.price)))
    made = write_invoice(purchase, f"S-{number}-{len(asked)}-{sum((a for _, _, a in asked), ZERO)}", timezone.localdate(), asked)  # fmt: skip
    return HttpResponse(made, content_type="application/xml")
