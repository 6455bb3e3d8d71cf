"""From when on a variance is worth a look, by item or by work center."""

from typing import Any

from django.db.models import QuerySet

from ...catalog.models import Item
from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.models import WorkCenter
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Budget as Amount
from ...web_api.fields import Code, Share, Strict


class SetVarianceThreshold(Strict):
    """An item or a work center; both amounts left out, the usual counts again."""

    item: Code | None = None
    work_center: Code | None = None
    #: a variance of less money is not told of [EUR]
    amount: Amount | None = None
    #: nor one that is a smaller share of what is allowed
    share: Share | None = None


@command(
    "set-variance-threshold",
    "Set when a variance is told of",
    Role.COST_ACCOUNTANT,
    Role.CONTROLLER,
    told=COST_READERS,
)
def set_variance_threshold(context: Context, given: SetVarianceThreshold) -> None:
    """Say from when on the variance of an item's orders, or of those made somewhere, needs a decision."""
    if (given.item is None) == (given.work_center is None):
        raise InvalidInput(["item: name an item or a work center, one of them"])
    if (given.amount is None) != (given.share is None):
        raise InvalidInput(["share: give both an amount and a share, or neither"])
    rows: QuerySet[Any] = Item.objects.filter(code=given.item)
    kind, code = "item", given.item or ""
    if given.work_center is not None:
        rows = WorkCenter.objects.filter(code=given.work_center)
        kind, code = "work center", given.work_center
    row = context.lock_one(rows, kind, NotFound(kind, code))
    for name, after in (("variance_from", given.amount), ("variance_share", given.share)):
        context.effects.field(f"{kind} {code}", name.replace("_", " "), getattr(row, name), after)
        setattr(row, name, after)
    row.change = context.change
    row.save(update_fields=["variance_from", "variance_share", "change"])
