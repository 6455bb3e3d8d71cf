"""How the simulated supplier behaves: rules, and a seed for what chance decides."""

from typing import Annotated

from pydantic import Field

from ...catalog.models import Partner
from ...catalog.queries import supplier_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import NotFound
from ...web_api.fields import Code, Strict
from ..models import StandIn

Percent = Annotated[int, Field(ge=0, le=100)]


class Rules(Strict):
    """How often a supplier does otherwise than he was asked, and by how much [%, days]."""

    late: Percent = 40
    days: Annotated[int, Field(ge=1, le=90)] = 8
    short: Percent = 20
    missing: Percent = 10
    dearer: Percent = 30
    more: Percent = 8
    seed: Annotated[int, Field(ge=0, le=10**9)] = 0


class SetStandIn(Rules):
    """How the stand-in plays a supplier."""

    supplier: Code


@command("set-stand-in", "Say how a simulated supplier behaves", Role.CONTROLLER)
def set_stand_in(context: Context, given: SetStandIn) -> None:
    """Have the stand-in play a supplier by other rules."""
    supplier = supplier_by_code(given.supplier)
    lacking = NotFound("supplier", given.supplier)
    context.lock_one(Partner.objects.filter(pk=supplier.pk), "supplier", lacking)
    before = rules_of(supplier)
    for name in Rules.model_fields:
        thing = f"simulated {supplier.code}"
        context.effects.field(thing, name, getattr(before, name), getattr(given, name))
    said = {name: getattr(given, name) for name in Rules.model_fields}
    StandIn.objects.update_or_create(supplier=supplier, defaults=said)


def rules_of(supplier: Partner) -> Rules:
    """Return the rules that the stand-in plays a supplier by."""
    found = StandIn.objects.filter(supplier=supplier).values(*Rules.model_fields).first()
    return Rules(**found) if found else Rules()
