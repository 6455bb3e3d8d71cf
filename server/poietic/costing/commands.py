"""Freezing the standard."""

from decimal import Decimal
from typing import Annotated

from django.utils import timezone
from poietic_core.cost.rollup import RollUp
from poietic_core.quantity import ZERO, money
from poietic_core.stock.valuation import Method
from pydantic import Field

from ..catalog.models import Item
from ..catalog.queries import items_by_code
from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..ledger.document import Document, Stock
from ..ledger.models import Account, Posting
from ..web_api.fields import Code, Note, Strict
from .basis import cost_to_json, structure_to_json
from .models import CostSet, Standard
from .queries import roll_up_now, standards_in_force


class FreezeStandard(Strict):
    """The items to roll up and freeze; all active ones where none are named."""

    items: Annotated[list[Code], Field(max_length=10_000)] | None = None
    note: Note = ""


@command("freeze-standard", "Freeze the standard", Role.COST_ACCOUNTANT)
def freeze_standard(context: Context, given: FreezeStandard) -> None:
    """Roll up, put the result in force as a new set, and revalue stock at standard.

    Items that lack something keep the standard they had; each lack is told. Open orders
    keep the standard frozen at their release.
    """
    only = None if given.items is None else set(items_by_code(given.items))
    rolled = roll_up_now(timezone.localdate(context.now), only)
    for lack in rolled.missing:
        context.effects.remark(lack.item, f"{lack.why} {lack.fix}")
    before = standards_in_force()
    cost_set = CostSet.objects.create(frozen_at=context.now, note=given.note, change=context.change)
    after = _rows(cost_set, rolled, before, only)
    Standard.objects.bulk_create(after.values())
    for code, row in after.items():
        old = before[code].total if code in before else None
        context.effects.field(f"item {code}", "standard", old, row.total)
    _revalue(context, {c: r.total for c, r in after.items() if r.item.method is Method.STANDARD})
    context.made["standards"] = str(len(after))


def _rows(
    cost_set: CostSet, rolled: RollUp, before: dict[str, Standard], only: set[str] | None
) -> dict[str, Standard]:
    """Return the rows of the new set: what was rolled, and what stays as it was."""
    items = items_by_code([*rolled.costs, *before])
    rows: dict[str, Standard] = {}
    for code, item in sorted(items.items()):
        kept = before.get(code)
        if code in rolled.costs and not (only is not None and code not in only and kept):
            cost = rolled.costs[code].cost
            basis = rolled.bases.get(code)
            rows[code] = Standard(
                cost_set=cost_set,
                item=item,
                total=cost.total(),
                cost=cost_to_json(cost),
                basis=structure_to_json(basis) if basis else None,
            )
        elif kept:
            rows[code] = Standard(
                cost_set=cost_set, item=item, total=kept.total, cost=kept.cost, basis=kept.basis
            )
    return rows


def _revalue(context: Context, standards: dict[str, Decimal]) -> None:
    """Put standard-costed stock at its new standard, in one balanced posting."""
    stock = Stock.lock(context, Item.objects.filter(code__in=standards))
    document = Document(
        context=context, kind=Posting.Kind.REVALUATION, stock=stock, happened_at=context.now
    )
    total = ZERO
    for holding in stock.holdings.values():
        standard = standards[holding.item.code]
        if holding.standard == standard:
            continue
        holding.standard = standard
        holding.change = context.change
        gain = money(standard * holding.quantity) - holding.value
        holding.value += gain
        if gain:
            document.journal(Account.STOCK, gain, item=holding.item)
            document.journal(Account.STOCK_REVALUATION, -gain)
        total += abs(gain)
    stock.save()
    if total:
        document.save()
