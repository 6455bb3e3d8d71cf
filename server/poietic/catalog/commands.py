"""Commands on items, places and reasons."""

from typing import Literal

from django.db.models import Model, QuerySet
from poietic_core.units import UNITS, require_unit

from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..web_api.errors import Exists, InvalidInput, NotFound
from ..web_api.fields import Code, Name, NotNegative, Quantity, Strict
from .models import Item, Place, Reason
from .signals import item_defined


class DefineItem(Strict):
    """A new item."""

    code: Code
    name: Name
    unit: str
    step: Quantity | None = None
    source: Literal["buy", "make"]
    standard_lot: Quantity | None = None
    price: NotNegative | None = None


class ChangeItem(Strict):
    """Fields of an item to change; what is not named stays."""

    code: Code
    name: Name | None = None
    standard_lot: Quantity | None = None
    price: NotNegative | None = None
    is_active: bool | None = None


class DefinePlace(Strict):
    """A new place that holds stock."""

    code: Code
    name: Name
    kind: Literal["store", "floor"]


class DefineReason(Strict):
    """A new reason for scrap."""

    code: Code
    name: Name


def require_free(rows: QuerySet[Model], kind: str, code: str) -> None:
    """Refuse a code that is taken."""
    if rows.filter(code=code).exists():
        raise Exists(kind, code)


@command("define-item", "Define an item", Role.ENGINEER, Role.CONTROLLER)
def define_item(context: Context, given: DefineItem) -> None:
    """Make an item; bought ones are valued at moving average, made ones at standard."""
    require_free(Item.objects.all(), "item", given.code)
    require_unit(given.unit)
    if given.source == "make" and given.price is not None:
        raise InvalidInput(["price: a made item has no price, its cost is rolled up"])
    item = Item.objects.create(
        code=given.code,
        name=given.name,
        unit=given.unit,
        step=given.step or UNITS[given.unit].step,
        source=given.source,
        standard_lot=given.standard_lot or 1,
        price=given.price,
        change=context.change,
    )
    item_defined.send(Item, item=item)
    context.made["item"] = item.code
    context.effects.field(f"item {item.code}", "item", None, item.name)


@command("change-item", "Change an item", Role.ENGINEER, Role.CONTROLLER, Role.COST_ACCOUNTANT)
def change_item(context: Context, given: ChangeItem) -> None:
    """Change an item's name, standard lot, price or whether it is active."""
    item = context.lock_one(
        Item.objects.filter(code=given.code), "item", NotFound("item", given.code)
    )
    if item.is_made and given.price is not None:
        raise InvalidInput(["price: a made item has no price, its cost is rolled up"])
    for name, after in given.model_dump(exclude={"code"}, exclude_none=True).items():
        context.effects.field(
            f"item {item.code}", name.replace("_", " "), getattr(item, name), after
        )
        setattr(item, name, after)
    item.change = context.change
    item.save()


@command("define-place", "Define a place", Role.STOREKEEPER, Role.CONTROLLER)
def define_place(context: Context, given: DefinePlace) -> None:
    """Make a place that holds stock."""
    require_free(Place.objects.all(), "place", given.code)
    Place.objects.create(**given.model_dump(), change=context.change)
    context.made["place"] = given.code
    context.effects.field(f"place {given.code}", "place", None, given.name)


@command("define-reason", "Define a scrap reason", Role.ENGINEER, Role.CONTROLLER)
def define_reason(context: Context, given: DefineReason) -> None:
    """Make a reason that scrap can be reported with."""
    require_free(Reason.objects.all(), "reason", given.code)
    Reason.objects.create(**given.model_dump(), change=context.change)
    context.made["reason"] = given.code
    context.effects.field(f"reason {given.code}", "reason", None, given.name)
