"""Commands on items, their documents and notes, partners and reasons."""

from collections.abc import Callable, Container
from typing import Annotated, Any, Literal

from poietic_core.cost.prices import Form, mass_of
from poietic_core.errors import DomainError
from poietic_core.planning.lot_sizing import LotRule
from poietic_core.quantity import ONE, ZERO
from poietic_core.stock.lots import Tracking
from poietic_core.stock.valuation import Method
from poietic_core.units import UNITS, require_unit
from pydantic import AfterValidator, Field

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...papers.gs1 import is_gtin, why_no_gtin
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import (
    Code,
    Days,
    ItemGroup,
    Name,
    Note,
    Price,
    Quantity,
    QuantityOrNone,
    Share,
    Size,
    Strict,
    Text,
    UnitName,
)
from ..files import file_brought
from ..models import (
    Item,
    ItemDocument,
    ItemUnit,
    Partner,
    Reason,
    WrittenNote,
)
from ..queries import form_of, item_by_code, require_free
from ..signals import item_changing, item_defined
from .places import give_places

#: letters and digits with {year}, {number} or {number:4} where they count
NumberRule = Annotated[
    str, Text(60), Field(pattern=r"^(?:[\w ./-]|\{year\}|\{number(?::[1-9])?\})*$")
]


#: how it is made sure that a thing is there which a note is written on, by its kind
NOTED: dict[str, Callable[[str], object]] = {"item": item_by_code}

WrittenWords = Annotated[str, Text(1000, 1, lines=True)]
InactiveReason = Annotated[str, Text(200)]


def _gtin(value: str) -> str:
    if value and not is_gtin(value):
        raise ValueError(f"{value} is no Global Trade Item Number: {why_no_gtin(value)}")
    return value


#: 8, 12, 13 or 14 digits, the last one checking the others; "" takes it away
Gtin = Annotated[str, Text(14), AfterValidator(_gtin)]


class ItemFields(Strict):
    """What may be said of an item, new or not; sizes in mm, density in kg/m³."""

    standard_lot: Quantity | None = None
    price: Price | None = None
    #: "kg" where a form is priced by its mass
    price_per: Literal["", "kg"] | None = None
    density: Size | None = None
    form: Form | Literal[""] | None = None
    form_length: Size | None = None
    form_width: Size | None = None
    form_thickness: Size | None = None
    tracking: Tracking | None = None
    #: what a supplier sends waits in quarantine until it is judged
    is_inspected: bool | None = None
    number_rule: NumberRule | None = None
    gtin: Gtin | None = None
    #: what it belongs to in forecasts and books, such as TELESCOPES; "" takes it away
    item_group: ItemGroup | None = None
    lot_rule: LotRule | None = None
    lead_time_days: Days | None = None
    lot_minimum: Quantity | None = None
    lot_multiple: Quantity | None = None
    lot_maximum: Quantity | None = None
    #: working days that one lot covers
    lot_days: Days | None = None
    #: of one order, or of setting up once [EUR]
    ordering_cost: Price | None = None
    safety_stock: QuantityOrNone | None = None
    #: by which share more than ordered may be received without a reason
    over_receipt: Share | None = None
    #: and that may be missing at its completion without a reason; null: any
    under_receipt: Share | None = None


class DefineItem(ItemFields):
    """A new item."""

    code: Code
    name: Name
    unit: UnitName
    step: Quantity | None = None
    source: Item.Source
    #: left out: bought items at moving average, made ones at standard
    valuation: Method | None = None


#: how a unit of an item's own may be called
OWN_UNIT = r"[^\W\d_][\w -]{0,19}"


class OwnUnit(Strict):
    """A unit of an item's own: how much of the stock unit one of it is."""

    name: Annotated[str, Text(20), Field(pattern=f"^{OWN_UNIT}$")]
    quantity: Quantity


class ChangeItem(ItemFields):
    """Fields of an item to change; what is not named stays."""

    code: Code
    name: Name | None = None
    source: Item.Source | None = None
    valuation: Method | None = None
    own_units: Annotated[list[OwnUnit], Field(max_length=50)] | None = None
    is_active: bool | None = None
    inactive_reason: InactiveReason | None = None


class AttachDocument(Strict):
    """A file that was brought, as a drawing or picture of an item; the same name replaces."""

    item: Code
    file: Annotated[int, Field(ge=1, le=2**62)]
    name: Name | None = None


class DetachDocument(Strict):
    """A drawing or picture that an item shows no longer."""

    item: Code
    name: Name


class DefinePartner(Strict):
    """A new firm that supplies us or buys from us."""

    code: Code
    name: Name
    is_supplier: bool = True
    is_customer: bool = False
    address: Note = ""


class ChangePartner(Strict):
    """Fields of a partner to change; what is not named stays."""

    code: Code
    name: Name | None = None
    is_supplier: bool | None = None
    is_customer: bool | None = None
    address: Note | None = None


class WriteNote(Strict):
    """Words on a thing, for whoever comes next."""

    #: of a structure the code is that of its revision, such as MA-200 rev B
    kind: Literal["item", "structure", "work center", "order"]
    code: Code
    text: WrittenWords


class DefineReason(Strict):
    """A new reason, with what it is given for."""

    code: Code
    name: Name
    use: Reason.Use = Reason.Use.SCRAP
    #: scrap of this reason goes to expense, instead of staying in the order
    is_written_off: bool = False


@command("define-item", "Define an item", Role.ENGINEER, Role.CONTROLLER)
def define_item(context: Context, given: DefineItem) -> None:
    """Make an item; bought ones are valued at moving average, made ones at standard."""
    require_free(Item.objects.all(), "item", given.code)
    require_unit(given.unit)
    said = _said(given)
    method = Method.MOVING_AVERAGE if given.source == Item.Source.BUY else Method.STANDARD
    defaults = {"step": UNITS[given.unit].step, "valuation": method, "standard_lot": ONE}
    item = Item(**(defaults | said), change=context.change)
    _check(item)
    item.save()
    item_defined.send(Item, item=item)
    context.made["item"] = item.code
    context.effects.field(f"item {item.code}", "item", None, item.name)


@command("change-item", "Change an item", Role.ENGINEER, Role.CONTROLLER, Role.COST_ACCOUNTANT)
def change_item(context: Context, given: ChangeItem) -> None:
    """Change an item's name, standard lot, price or whether it is active."""
    item = context.lock_one(
        Item.objects.filter(code=given.code), "item", NotFound("item", given.code)
    )
    was = (item.source, item.valuation, item.tracking)
    if given.is_active is False and not given.inactive_reason:
        raise InvalidInput(["inactive_reason: say why nothing new is to use the item"])
    if given.is_active:
        item.inactive_reason = ""
    if given.own_units is not None:
        _write_units(context, item, given.own_units)
    for name, after in _said(given, without={"code", "own_units"}).items():
        context.effects.field(
            f"item {item.code}", name.replace("_", " "), getattr(item, name), after
        )
        setattr(item, name, after)
    _check(item)
    now = (item.source, item.valuation, item.tracking)
    if now != was:
        item_changing.send(Item, item=item, is_revalued=now[1:] != was[1:])
    item.change = context.change
    item.save()


def _said(given: ItemFields, without: Container[str] = ()) -> dict[str, Any]:
    """Return what is said of an item, in the types that it is kept in."""
    fields = {n: getattr(given, n) for n in type(given).model_fields if n not in without}
    return {n: value for n, value in fields.items() if value is not None}


def _check(item: Item) -> None:
    """Refuse fields that contradict each other."""
    if faults := faults_of_item(item):
        raise InvalidInput(faults)


def faults_of_item(item: Item) -> list[str]:
    """Return what contradicts itself in an item, as "field: why"."""
    faults = []
    if item.source == Item.Source.MAKE and item.price is not None:
        faults.append("price: a made item has no price, its cost is rolled up")
    if item.is_phantom and not item.is_made:
        faults.append("is_phantom: only what is made can be a phantom")
    if item.price_per and not item.form:
        faults.append("price_per: a price per kg needs the form that has the mass")
    elif item.price_per:
        try:
            mass_of(form_of(item), item.code, item.unit)  # refuses what its mass lacks
        except DomainError as err:
            faults.append(f"form: {err}")
    least = max(item.step, item.lot_minimum or ZERO, item.lot_multiple or ZERO)
    if item.lot_maximum is not None and item.lot_maximum < least:
        faults.append(f"lot_maximum: one order is at least {least.normalize():f}")
    if item.tracking != Tracking.NONE and not item.number_rule:
        faults.append("number_rule: say how its numbers are made, such as HT-{year}-{number:4}")
    if item.tracking == Tracking.SERIAL and item.step % 1:
        faults.append(f"tracking: serials are whole pieces, the step of {item.code} is {item.step}")
    if item.tracking == Tracking.NONE and item.is_inspected:
        faults.append("is_inspected: only lots and serials can wait to be judged; have it tracked")
    if item.tracking == Tracking.NONE and item.valuation == Method.LOT_ACTUAL:
        faults.append("valuation: lot actual needs an item tracked by lot or serial")
    return faults


def _locked(context: Context, code: str) -> Item:
    """Lock an item whose lists are changed: that changes the item."""
    item = context.lock_one(Item.objects.filter(code=code), "item", NotFound("item", code))
    item.change = context.change
    item.save(update_fields=["change"])
    return item


@command("attach-document", "Attach a document", Role.ENGINEER, Role.CONTROLLER)
def attach_document(context: Context, given: AttachDocument) -> None:
    """Show a file with an item, wherever the item stands."""
    item = _locked(context, given.item)
    kept = file_brought(given.file)
    name = given.name or kept.name
    before = ItemDocument.objects.filter(item=item, name=name).first()
    ItemDocument.objects.update_or_create(item=item, name=name, defaults={"kept": kept})
    context.effects.field(f"item {item.code}", "document", before and before.name, name)


@command("detach-document", "Detach a document", Role.ENGINEER, Role.CONTROLLER)
def detach_document(context: Context, given: DetachDocument) -> None:
    """Show a file with an item no longer; the file is kept."""
    item = _locked(context, given.item)
    found = ItemDocument.objects.filter(item=item, name=given.name)
    if not found.delete()[0]:
        raise NotFound(f"document of {item.code}", given.name)
    context.effects.field(f"item {item.code}", "document", given.name, None)


@command("define-partner", "Define a partner", Role.ENGINEER, Role.CONTROLLER)
def define_partner(context: Context, given: DefinePartner) -> None:
    """Make a supplier or customer."""
    require_free(Partner.objects.all(), "partner", given.code)
    partner = Partner.objects.create(**given.model_dump(), change=context.change)
    give_places([partner], context.change)
    context.made["partner"] = given.code
    context.effects.field(f"partner {given.code}", "partner", None, given.name)


@command("change-partner", "Change a partner", Role.ENGINEER, Role.CONTROLLER)
def change_partner(context: Context, given: ChangePartner) -> None:
    """Change a partner's name, or whether it supplies us or buys from us."""
    partner = context.lock_one(
        Partner.objects.filter(code=given.code), "partner", NotFound("partner", given.code)
    )
    for name, after in given.model_dump(exclude={"code"}, exclude_none=True).items():
        context.effects.field(
            f"partner {partner.code}", name.replace("_", " "), getattr(partner, name), after
        )
        setattr(partner, name, after)
    partner.change = context.change
    partner.save()
    give_places([partner], context.change)


def _write_units(context: Context, item: Item, units: list[OwnUnit]) -> None:
    """Replace an item's own units; a name of a unit of measure is refused."""
    names = [u.name for u in units]
    for name in names:
        if name in UNITS:
            raise InvalidInput([f"own_units: {name} is a unit of measure for all items"])
        if names.count(name) > 1:
            raise InvalidInput([f"own_units: {name} stands there twice"])
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
    if given.kind in NOTED:
        NOTED[given.kind](given.code)
    WrittenNote.objects.create(
        **given.model_dump(),
        person_id=context.person.pk if context.person else None,
        written_at=context.now,
    )
    context.effects.field(f"{given.kind} {given.code}", "note", None, given.text)


@command("define-reason", "Define a reason", Role.ENGINEER, Role.CONTROLLER)
def define_reason(context: Context, given: DefineReason) -> None:
    """Make a reason for scrap, over-issue, a hold or an adjustment."""
    require_free(Reason.objects.all(), "reason", given.code)
    if given.is_written_off and given.use != Reason.Use.SCRAP:
        raise InvalidInput(["is_written_off: only scrap is written off"])
    Reason.objects.create(**given.model_dump(), change=context.change)
    context.made["reason"] = given.code
    context.effects.field(f"reason {given.code}", "reason", None, given.name)
