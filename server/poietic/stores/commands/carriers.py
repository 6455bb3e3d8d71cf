"""Carriers: pallets, boxes and trolleys with a code, moved with all that lies on them."""

from ...catalog.models import OWN_KINDS, Place
from ...catalog.queries import require_free
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Name, Reference, Strict


class DefineCarrier(Strict):
    """A new carrier and where it stands."""

    code: Code
    name: Name | None = None
    stands_at: Code
    #: what is scanned on it; left out: its code
    scan_code: Reference | None = None


class MoveCarrier(Strict):
    """A carrier that is brought to another place of its site."""

    carrier: Code
    to_place: Code


@command("define-carrier", "Define a carrier", Role.STOREKEEPER, Role.CONTROLLER)
def define_carrier(context: Context, given: DefineCarrier) -> None:
    """Make a carrier, with nothing on it."""
    require_free(Place.objects.all(), "place", given.code)
    at = _standing(given.stands_at)
    scanned = given.scan_code or given.code
    if taken := Place.objects.filter(scan_code=scanned).first():
        raise InvalidInput([f"scan_code: {scanned} is scanned at {taken.code} already"])
    Place.objects.create(
        code=given.code,
        name=given.name or given.code,
        kind=Place.Kind.CARRIER,
        site=at.site,
        stands_at=at,
        walk_order=at.walk_order,
        scan_code=scanned,
        change=context.change,
    )
    context.made["place"] = given.code
    context.effects.field(f"carrier {given.code}", "stands at", None, at.name)


@command("move-carrier", "Move a carrier", Role.STOREKEEPER, Role.OPERATOR, Role.CONTROLLER)
def move_carrier(context: Context, given: MoveCarrier) -> None:
    """Bring a carrier to another place; what lies on it stays on it, and kept for whom it is kept."""
    rows = Place.objects.filter(code=given.carrier, kind=Place.Kind.CARRIER)
    carrier = context.lock_one(
        rows.select_related("stands_at"), "carrier", NotFound("carrier", given.carrier)
    )
    at = _standing(given.to_place)
    assert carrier.stands_at is not None
    if at == carrier.stands_at:
        raise InvalidInput([f"to_place: {carrier.name} stands there already"])
    if at.site_id != carrier.site_id:
        raise InvalidInput([f"to_place: {at.name} is at another site; send a transfer"])
    context.effects.field(f"carrier {carrier.code}", "stands at", carrier.stands_at.name, at.name)
    for b in carrier.stockbalance_set.filter(quantity__gt=0).select_related("item", "lot"):
        lot = f" {b.lot.code}" if b.lot else ""
        words = f"{b.quantity.normalize():f} {b.item.unit}{lot} go with {carrier.code} to {at.name}"
        context.effects.remark(b.item.code, words)
    carrier.stands_at, carrier.walk_order = at, at.walk_order
    carrier.change = context.change
    carrier.save(update_fields=["stands_at", "walk_order", "change"])


def _standing(code: str) -> Place:
    """Return a store or floor place that a carrier can stand at, or refuse by name."""
    kinds = [k for k in OWN_KINDS if k != Place.Kind.CARRIER]
    place = Place.objects.filter(code=code, kind__in=kinds).first()
    if place is None:
        raise NotFound("store or floor place", code)
    return place
