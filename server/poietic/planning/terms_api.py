"""On what terms a customer can have a quantity of an item: shown while a line is typed."""

from datetime import date
from decimal import Decimal

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.quantity import money

from ..catalog.models import Item
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..costing.queries import current_set
from ..costing.storing import totals_of
from ..selling.commands.ordering import customer_by_code, list_price, reached_price
from ..selling.margins import what_is_left
from ..web_api.fields import Answer, Price, Quantity, ShortText
from .promising import promise

router = Router(tags=["planning"])


class Terms(Answer):
    """What a quantity costs a customer, what that leaves, and when it can be there."""

    item: str
    name: str
    unit: str
    #: of one: what was agreed, else the list's; null: no list says
    price: Cost | None
    amount: Cost | None
    #: over the standard in force: of all of it, and as a share of the price
    margin: Cost | None
    share: Cost | None
    #: the earliest day, and what decides it in words
    day: date
    decides: str


class TermsPage(Answer):
    """The terms of an item; null while no item is called so, as it is typed."""

    terms: Terms | None


@router.get("/plan/terms/{item}", response={200: TermsPage, 404: Problem})
def terms(
    request: HttpRequest,
    item: str,
    quantity: Quantity = Decimal(1),
    customer: ShortText = "",
    price: Price | None = None,
) -> TermsPage:
    """Return on what terms a customer can have a quantity of an item."""
    known, today = Item.objects.filter(code=item).first(), timezone.localdate()
    if known is None:
        return TermsPage(terms=None)
    if price is None and customer:
        prices = list_price([known], customer_by_code(customer), today)
        price = reached_price(prices, known, quantity)
    left, share = what_is_left(price, totals_of(current_set(), [known]).get(known.pk), quantity)
    made = promise(known, quantity, today)
    last = made.found.path[-1]
    told = Terms(
        item=known.code,
        name=known.name,
        unit=known.unit,
        price=price,
        amount=None if price is None else money(price * quantity),
        margin=left,
        share=share,
        day=made.on(made.found.day),
        decides=f"{made.items[last.item].name} {made.how(last)}",
    )
    return TermsPage(terms=told)
