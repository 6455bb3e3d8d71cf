"""Stocked, or a phantom whose content passes through to its parents: changed by one act."""

from datetime import date

from django.db.models import QuerySet
from django.utils import timezone
from poietic_core.order.states import RUNNING
from poietic_core.structure.phantom import inline

from ...catalog.models import Item
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.commands.structures import guard_graph
from ...engineering.models import Revision
from ...engineering.queries import in_force, phantoms_on
from ...engineering.structures import structures_of
from ...ledger.models import Holding
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Strict
from ..dates import working_days
from ..models import Order


class ChangePhantom(Strict):
    """An item to pass through to its parents from now on, or to stock again."""

    item: Code
    is_phantom: bool


@command("change-phantom", "Stock an item or pass it through", Role.ENGINEER, Role.CONTROLLER)
def change_phantom(context: Context, given: ChangePhantom) -> None:
    """Let orders of the parents make the item, or orders of its own; what runs stays as it is."""
    item = context.lock_one(
        Item.objects.filter(code=given.item), "item", NotFound("item", given.item)
    )
    if not item.is_made:
        raise InvalidInput([f"item: {item.code} is bought; only what is made can be a phantom"])
    if item.is_phantom == given.is_phantom:
        state = "a phantom" if item.is_phantom else "stocked"
        raise InvalidInput([f"is_phantom: {item.code} is {state} already"])
    today = timezone.localdate(context.now)
    parents = in_force(today).filter(components__item=item).distinct()
    before = _spans(parents, today)
    item.is_phantom = given.is_phantom
    item.change = context.change
    item.save(update_fields=["is_phantom", "change"])
    guard_graph(context)  # what is approved meanwhile goes by what is said here, or this by that
    thing = f"item {item.code}"
    words = ("stocked", "phantom")
    context.effects.field(thing, "supply", words[not given.is_phantom], words[given.is_phantom])
    _tell_own(context, item, today, becomes_phantom=given.is_phantom)
    for code, after in _spans(parents, today).items():
        operations, days = after
        was_operations, was_days = before[code]
        context.effects.field(f"orders of {code}", "operations", was_operations, operations)
        context.effects.field(f"orders of {code}", "working days", was_days, days)


def _spans(parents: QuerySet[Revision], today: date) -> dict[str, tuple[int, int]]:
    """Return how many operations an order of each parent has, and how long its lot takes.

    Raises NoRoomForPhantom or PhantomClash where a parent can't take the phantom in.
    """
    found = {}
    phantoms = phantoms_on(today)
    structures = structures_of(parents)
    for revision in parents:
        structure = inline(structures[revision.pk].on(today), phantoms).structure
        days = working_days(structure, revision.item.standard_lot, today)
        found[revision.item.code] = (len(structure.operations), days)
    return found


def _tell_own(context: Context, item: Item, today: date, *, becomes_phantom: bool) -> None:
    """Say what becomes of the item's own orders, stock and time."""
    running = Order.objects.filter(item=item, state__in=RUNNING)
    held = Holding.objects.get(item=item)
    if becomes_phantom:
        for order in running.order_by("number"):
            context.effects.remark(f"order {order.number}", f"stays and goes on making {item.code}")
        if held.quantity:
            context.effects.remark(
                item.code,
                f"{held.quantity.normalize():f} {item.unit} on hand, worth {held.value} EUR, "
                "are no longer taken by new orders of its parents",
            )
    revision = in_force(today).filter(item=item).first()
    if revision is None:
        return
    structure = inline(
        structures_of([revision])[revision.pk].on(today), phantoms_on(today)
    ).structure
    days = working_days(structure, item.standard_lot, today)
    words = (
        "is made within the orders of its parents" if becomes_phantom else "needs orders of its own"
    )
    context.effects.remark(
        item.code,
        f"{words}; a lot of {item.standard_lot.normalize():f} takes {days} working day{'s' * (days != 1)}",
    )
