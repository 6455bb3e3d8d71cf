"""Commands on items, places and reasons."""

from typing import Annotated, Literal

from django.db.models import Model, QuerySet
from poietic_core.units import UNITS, require_unit
from pydantic import Field, StringConstraints

from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..web_api.errors import Exists, InvalidInput, NotFound
from ..web_api.fields import Code, Name, Note, NotNegative, Quantity, Strict
from .models import Item, ItemUnit, Place, Reason, WrittenNote
from .queries import item_by_code
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
    density: Quantity | None = None


class OwnUnit(Strict):
    """A unit of an item's own: how much of the stock unit one of it is."""

    name: Annotated[str, StringConstraints(pattern=r"^[^\W\d_][\w -]{0,19}$")]
    quantity: Quantity


class ChangeItem(Strict):
    """Fields of an item to change; what is not named stays."""

    code: Code
    name: Name | None = None
    standard_lot: Quantity | None = None
    price: NotNegative | None = None
    density: Quantity | None = None
    own_units: Annotated[list[OwnUnit], Field(max_length=50)] | None = None
    is_active: bool | None = None
    inactive_reason: Note | None = None


class WriteNote(Strict):
    """Words on a thing, for whoever comes next."""

    kind: Literal["item", "work center"]
    code: Code
    text: Annotated[str, StringConstraints(min_length=1, max_length=1000, pattern=r"^[^\x00]*$")]


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
        density=given.density,
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
    if given.is_active is False and not given.inactive_reason:
        raise InvalidInput(["inactive_reason: say why nothing new is to use the item"])
    if given.is_active:
        item.inactive_reason = ""
    if given.own_units is not None:
        _write_units(context, item, given.own_units)
    changed = given.model_dump(exclude={"code", "own_units"}, exclude_none=True)
    for name, after in changed.items():
        context.effects.field(
            f"item {item.code}", name.replace("_", " "), getattr(item, name), after
        )
        setattr(item, name, after)
    item.change = context.change
    item.save()


def _write_units(context: Context, item: Item, units: list[OwnUnit]) -> None:
    """Replace an item's own units; a name of a unit of measure is refused."""
    for unit in units:
        if unit.name in UNITS:
            raise InvalidInput([f"own_units: {unit.name} is a unit of measure for all items"])
    before = ", ".join(f"{u.name} = {u.quantity.normalize():f}" for u in item.own_units.all())
    item.own_units.all().delete()
    ItemUnit.objects.bulk_create(ItemUnit(item=item, **u.model_dump()) for u in units)
    after = ", ".join(f"{u.name} = {u.quantity.normalize():f}" for u in units)
    context.effects.field(f"item {item.code}", "own units", before, after)


@command(
    "write-note",
    "Write a note",
    Role.ENGINEER,
    Role.CONTROLLER,
    Role.STOREKEEPER,
    Role.OPERATOR,
    Role.COST_ACCOUNTANT,
)
def write_note(context: Context, given: WriteNote) -> None:
    """Write a note on an item or a work center; notes stay, with their author and time."""
    if given.kind == "item":
        item_by_code(given.code)
    WrittenNote.objects.create(
        **given.model_dump(),
        person_id=context.person.pk if context.person else None,
        written_at=context.now,
    )
    context.effects.field(f"{given.kind} {given.code}", "note", None, given.text)


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
