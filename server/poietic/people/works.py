"""Commands on the works itself."""

from ..commanding.models import Entry
from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..web_api.errors import InvalidInput
from ..web_api.fields import Strict, Zone
from ..works.models import Works


class SetZone(Strict):
    """The time zone that the works' days are counted in."""

    zone: Zone


@command("set-zone", "Set the works' time zone", Role.ADMINISTRATOR)
def set_zone(context: Context, given: SetZone) -> None:
    """Set the time zone, once: days that were counted in another one would move."""
    works = works_to_change(context)
    if Entry.objects.exclude(command__in=BEFORE).exists():
        raise InvalidInput([f"zone: work has begun; its days are counted in {works.zone}"])
    context.effects.field("works", "time zone", works.zone, given.zone)
    works.zone = given.zone
    works.save()


#: what may have been done before the zone is set
BEFORE = ("add-person", "set-roles", "set-zone", "open-demo")


def works_to_change(context: Context) -> Works:
    """Return the works' row, locked; made where there is none yet."""
    Works.objects.get_or_create(pk=1, defaults={"change": context.change})
    works = context.lock(Works.objects.filter(pk=1), "works")[0]
    works.change = context.change
    return works
