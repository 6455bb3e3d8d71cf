"""Commands on sites and places, and the places that partners have by being partners."""

from collections.abc import Iterable
from typing import Annotated, Literal

from pydantic import Field

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Name, Note, Reference, Strict
from ..models import Partner, Place, Site
from ..queries import require_free

#: how long a transfer to a site is on its way [working days]
TransferDays = Annotated[int, Field(ge=0, le=200)]
WalkOrder = Annotated[int, Field(ge=0, le=99_999)]


class DefineSite(Strict):
    """A new site: where stores and floor places stand together."""

    code: Code
    name: Name
    address: Note = ""
    transfer_days: TransferDays = 1


class ChangeSite(Strict):
    """Fields of a site to change; what is not named stays."""

    code: Code
    name: Name | None = None
    address: Note | None = None
    transfer_days: TransferDays | None = None


class DefinePlace(Strict):
    """A new place that holds stock; the site may be left out where there is only one."""

    code: Code
    name: Name
    kind: Literal["store", "floor"]
    site: Code | None = None
    #: who walks from place to place goes in this order
    walk_order: WalkOrder = 0
    #: what is scanned there; left out: its code
    scan_code: Reference | None = None


class ChangePlace(Strict):
    """Fields of a place to change; what is not named stays."""

    code: Code
    name: Name | None = None
    site: Code | None = None
    walk_order: WalkOrder | None = None
    scan_code: Reference | None = None


@command("define-site", "Define a site", Role.STOREKEEPER, Role.CONTROLLER)
def define_site(context: Context, given: DefineSite) -> None:
    """Make a site."""
    require_free(Site.objects.all(), "site", given.code)
    Site.objects.create(**given.model_dump(), change=context.change)
    context.made["site"] = given.code
    context.effects.field(f"site {given.code}", "site", None, given.name)


@command("change-site", "Change a site", Role.STOREKEEPER, Role.CONTROLLER)
def change_site(context: Context, given: ChangeSite) -> None:
    """Change what a site is called, or how its address stands on papers."""
    rows = Site.objects.filter(code=given.code)
    site = context.lock_one(rows, "site", NotFound("site", given.code))
    for name, after in given.model_dump(exclude={"code"}, exclude_none=True).items():
        context.effects.field(f"site {site.code}", name, getattr(site, name), after)
        setattr(site, name, after)
    site.change = context.change
    site.save()


@command("define-place", "Define a place", Role.STOREKEEPER, Role.CONTROLLER)
def define_place(context: Context, given: DefinePlace) -> None:
    """Make a place that holds stock."""
    require_free(Place.objects.all(), "place", given.code)
    if given.scan_code:
        _require_unscanned(given.scan_code)
    scan_code = given.scan_code or given.code
    said = given.model_dump(exclude={"site", "scan_code"})
    Place.objects.create(
        **said, site=_site(given.site, context.change), scan_code=scan_code, change=context.change
    )
    context.made["place"] = given.code
    context.effects.field(f"place {given.code}", "place", None, given.name)


@command("change-place", "Change a place", Role.STOREKEEPER, Role.CONTROLLER)
def change_place(context: Context, given: ChangePlace) -> None:
    """Change a place's name, its site, when it is walked to, or what is scanned there."""
    rows = Place.objects.filter(code=given.code, kind__in=(Place.Kind.STORE, Place.Kind.FLOOR))
    place = context.lock_one(rows, "place", NotFound("store or floor place", given.code))
    said = given.model_dump(exclude={"code"}, exclude_none=True)
    if "site" in said:
        said["site"] = _site(given.site, context.change)
    if given.scan_code and given.scan_code != place.scan_code:
        _require_unscanned(given.scan_code)
    for name, after in said.items():
        before = getattr(place, name)
        context.effects.field(f"place {place.code}", name.replace("_", " "), before, after)
        setattr(place, name, after)
    place.change = context.change
    place.save()


def _site(code: str | None, change: int) -> Site:
    """Return a site, or the only one there is, made where there is none, or refuse."""
    if code is not None:
        found = Site.objects.filter(code=code).first()
        if found is None:
            raise NotFound("site", code)
        return found
    sites = list(Site.objects.all()[:2])
    if len(sites) > 1:
        raise InvalidInput(["site: say which, there are several"])
    return sites[0] if sites else Site.objects.create(code="MAIN", name="Main site", change=change)


def _require_unscanned(scan_code: str) -> None:
    taken = Place.objects.filter(scan_code=scan_code).first()
    if taken:
        raise InvalidInput([f"scan_code: {scan_code} is scanned at {taken.code} already"])


def give_places(partners: Iterable[Partner], change: int) -> None:
    """Give partners the places that they have by what they are: a supplier's, a customer's."""
    wanted = [
        Place(
            code=f"{kind.value}:{p.code}",
            scan_code=f"{kind.value}:{p.code}",
            name=p.name,
            kind=kind,
            partner=p,
            change=change,
        )
        for p in partners
        for kind, has in (
            (Place.Kind.SUPPLIER, p.is_supplier),
            (Place.Kind.CUSTOMER, p.is_customer),
        )
        if has
    ]
    Place.objects.bulk_create(
        wanted,
        update_conflicts=True,
        unique_fields=["partner", "kind"],
        update_fields=["name"],
    )
