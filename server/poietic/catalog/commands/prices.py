"""Commands on prices: what suppliers ask for an item, and what we ask for it."""

from collections.abc import Sequence
from datetime import date
from typing import Annotated, Any

from poietic_core.quantity import ZERO
from pydantic import Field

from ...commanding.reading import COST_READERS, READ_MARGINS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Price, QuantityOrNone, Strict
from ..models import Item, ListPrice, Partner, PriceRow


class DatedPriceGiven(Strict):
    """A price of one unit, from a quantity on, for a time."""

    price: Price
    from_quantity: QuantityOrNone = ZERO
    effective_from: Day | None = None
    effective_until: Day | None = None


class PriceGiven(DatedPriceGiven):
    """What a supplier asks."""

    supplier: Code


class SetPrices(Strict):
    """All prices of a bought item; the first supplier is the one that the standard buys from."""

    item: Code
    prices: Annotated[list[PriceGiven], Field(max_length=200)]


class ListPriceGiven(DatedPriceGiven):
    """What we ask of a customer; of everybody, where none is named."""

    customer: Code | None = None


class SetListPrices(Strict):
    """All list prices of an item."""

    item: Code
    prices: Annotated[list[ListPriceGiven], Field(max_length=200)]


@command(
    "set-prices",
    "Set the prices of an item",
    Role.ENGINEER,
    Role.CONTROLLER,
    Role.COST_ACCOUNTANT,
    told=COST_READERS,
)
def set_prices(context: Context, given: SetPrices) -> None:
    """Replace the prices of a bought item; the standard takes them at the next roll-up."""
    item = _item_to_price(context, given.item)
    if item.source == Item.Source.MAKE:
        raise InvalidInput([f"item: {item.code} is made; its cost is rolled up"])
    suppliers = _partners("supplier", [p.supplier for p in given.prices])
    _refuse_faulty(given.prices)
    _replace_prices(
        context,
        item,
        PriceRow,
        [
            PriceRow(
                item=item,
                supplier=suppliers[p.supplier],
                position=n,
                **p.model_dump(exclude={"supplier"}),
            )
            for n, p in enumerate(given.prices)
        ],
    )


@command(
    "set-list-prices",
    "Set the list prices of an item",
    Role.COST_ACCOUNTANT,
    Role.CONTROLLER,
    told=READ_MARGINS.roles,
)
def set_list_prices(context: Context, given: SetListPrices) -> None:
    """Replace what we ask for an item: of everybody, or of a customer; from a quantity on, for a time."""
    item = _item_to_price(context, given.item)
    customers = _partners("customer", [p.customer for p in given.prices if p.customer])
    _refuse_faulty(given.prices)
    _replace_prices(
        context,
        item,
        ListPrice,
        [
            ListPrice(
                item=item,
                customer=customers.get(p.customer or ""),
                position=n,
                **p.model_dump(exclude={"customer"}),
            )
            for n, p in enumerate(given.prices)
        ],
    )


def _item_to_price(context: Context, code: str) -> Item:
    return context.lock_one(Item.objects.filter(code=code), "item", NotFound("item", code))


def _partners(kind: str, codes: list[str]) -> dict[str, Partner]:
    """Return partners of a kind by code; the first that is none is refused by name."""
    rows = Partner.objects.filter(code__in=codes, **{f"is_{kind}": True})
    found = {p.code: p for p in rows}
    for code in codes:
        if code not in found:
            raise NotFound(kind, code)
    return found


def _refuse_faulty(prices: Sequence[DatedPriceGiven]) -> None:
    if faults := faults_of_prices(prices):
        raise InvalidInput([f"prices: line {n + 1}: {why}" for n, why in faults])


def faults_of_prices(prices: Sequence[DatedPriceGiven]) -> list[tuple[int, str]]:
    """Return what is wrong with a list of prices, each with the position of its line."""
    faults = []
    for n, price in enumerate(prices):
        first, last = _days(price)
        if last < first:
            faults.append((n, "its days are the wrong way round"))
        if not isinstance(price, ListPriceGiven):
            continue
        for m, other in enumerate(prices[:n]):
            begun, ended = _days(other)
            whose = isinstance(other, ListPriceGiven) and other.customer == price.customer
            alike = whose and other.from_quantity == price.from_quantity
            if alike and first <= ended and begun <= last:
                faults.append((n, f"line {m + 1} is for the same quantity and days"))
    return faults


def _days(price: DatedPriceGiven) -> tuple[date, date]:
    return price.effective_from or date.min, price.effective_until or date.max


def _replace_prices(
    context: Context, item: Item, model: type[PriceRow] | type[ListPrice], rows: Sequence[Any]
) -> None:
    standing = model.objects.filter(item=item)
    words = "prices" if model is PriceRow else "list prices"
    context.effects.field(f"item {item.code}", words, standing.count(), len(rows))
    standing.delete()
    model.objects.bulk_create(rows)
    item.change = context.change
    item.save(update_fields=["change"])
