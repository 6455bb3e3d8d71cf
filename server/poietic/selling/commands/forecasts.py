"""What is foreseen to be wanted: by item, or by group of items in shares, for spans of days."""

from datetime import date
from decimal import Decimal
from typing import Annotated

from poietic_core.quantity import ZERO, round_parts
from pydantic import Field

from ...catalog.models import Item
from ...catalog.queries import items_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, ItemGroup, QuantityOrNone, Share, Strict
from ..models import Forecast

#: a span is no longer than that: what is wanted in it counts evenly
MOST_DAYS = 400


class ShareOfGroup(Strict):
    """What part of a group's forecast an item is."""

    item: Code
    share: Share


class Foreseen(Strict):
    """What will be wanted in a span: of an item, or of a group whose items have shares; 0 takes it away."""

    item: Code | None = None
    item_group: ItemGroup = ""
    #: of a group; left out, all its items alike
    shares: Annotated[list[ShareOfGroup], Field(max_length=500)] = []
    first_day: Day
    last_day: Day
    quantity: QuantityOrNone


class EnterForecast(Strict):
    """Forecasts, as a pasted table has them; each replaces what was foreseen from the same day on."""

    forecasts: Annotated[list[Foreseen], Field(min_length=1, max_length=1000)]


@command("enter-forecast", "Enter a forecast", Role.CONTROLLER)
def enter_forecast(context: Context, given: EnterForecast) -> None:
    """Say what will be wanted; orders of customers consume what is foreseen for the days that they want."""
    context.guard("forecasts")
    wanted: dict[tuple[str, date], tuple[date, Decimal]] = {}
    for n, one in enumerate(given.forecasts, 1):
        if bool(one.item) == bool(one.item_group):
            raise InvalidInput([f"forecasts.{n}: name an item or a group, one of both"])
        if not 0 <= (one.last_day - one.first_day).days < MOST_DAYS:
            raise InvalidInput([f"forecasts.{n}.last_day: a span has from 1 to {MOST_DAYS} days"])
        for named, part in _parts(one):
            wanted[named, one.first_day] = (one.last_day, part)
    items = items_by_code(code for code, _ in wanted)
    for (code, first), (last, quantity) in wanted.items():
        item = items[code]
        rows = Forecast.objects.filter(item=item, first_day=first)
        was = rows.first()
        rows.delete()
        others = Forecast.objects.filter(item=item, first_day__lte=last, last_day__gte=first)
        if quantity and (other := others.first()):
            raise InvalidInput([f"forecasts: {code} is foreseen from {other.first_day} to {other.last_day} already, which overlaps {first} to {last}"])  # fmt: skip
        if quantity:
            Forecast.objects.create(
                item=item,
                first_day=first,
                last_day=last,
                quantity=quantity,
                change=context.change,
            )
        field = f"forecast from {first} to {last}"
        context.effects.field(code, field, was.quantity if was else None, quantity)


def _parts(one: Foreseen) -> list[tuple[str, Decimal]]:
    """Return what is foreseen of each item, in its own steps, and adding up."""
    whole = one.quantity or ZERO
    if one.item:
        return [(one.item, whole)]
    items = {i.code: i for i in Item.objects.filter(item_group=one.item_group, is_active=True)}
    if not items:
        raise NotFound("item group", one.item_group)
    shares = {s.item: s.share for s in one.shares} or {
        code: Decimal(1) / len(items) for code in items
    }
    if strange := sorted(shares.keys() - items.keys()):
        raise InvalidInput([f"shares: {strange[0]} is not of the group {one.item_group}"])
    total = sum(shares.values(), ZERO)
    if not total:
        raise InvalidInput(["shares: they add up to 0"])
    step = max(items[code].step for code in shares)
    steps = (whole / step).to_integral_value()
    parts = round_parts([steps * s / total for s in shares.values()], steps, Decimal(1))
    return [(code, part * step) for code, part in zip(shares, parts, strict=True)]
