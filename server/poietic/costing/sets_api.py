"""Queries on cost sets: which there are, and two against each other."""

from dataclasses import replace
from datetime import date
from decimal import Decimal

import numpy as np
from django.db.models import Count
from django.http import HttpRequest
from ninja import Router
from poietic_core.cost.arrays import Floats
from poietic_core.cost.screen import Screened, screened
from poietic_core.cost.sets import Cause
from poietic_core.quantity import UNIT_COST_STEP, ZERO, round_parts, round_to

from ..catalog.models import Item
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..web_api.fields import Answer, DecimalText
from .models import CostSet, Standard
from .queries import cost_set_by_number
from .sets import set_in_arrays

router = Router(tags=["cost sets"])
SHOWN_MOST = 500
PLACES = 6
#: a difference that is but the rounding of floats [money/unit]
UNSEEN = 0.000_01
#: what causes may leave open by rounding level by level, of money per unit and as a share of it;
#: more is the standard that an item kept
UNEXPLAINED, UNEXPLAINED_SHARE = Decimal("0.001"), Decimal("1e-8")


class WhatIfChange(Answer):
    """A change of a what-if."""

    kind: str
    code: str
    to: DecimalText | None = None
    by: DecimalText | None = None


class SetLack(Answer):
    """What kept an item from a standard."""

    item: str
    why: str
    fix: str


class CostSetOut(Answer):
    """A set of standards."""

    number: int
    state: str
    name: str
    as_of: date | None
    frozen_at: str
    activated_at: str | None
    items: int
    base: int | None
    changes: list[WhatIfChange]
    missing: list[SetLack]
    note: str


class CausePart(Answer):
    """A part of a difference, and why."""

    cause: str
    amount: DecimalText


class DifferenceOut(Answer):
    """An item's cost in two sets [money/unit]."""

    item: str
    name: str
    unit: str
    is_made: bool
    old: DecimalText
    new: DecimalText
    difference: DecimalText
    causes: list[CausePart]


class AgainstOut(Answer):
    """A set against another: what differs, the largest effect first."""

    old: int
    new: int
    #: items that both have, and how many of them differ
    items: int
    different: int
    #: items that one of them lacks, the first of them
    only_old: list[str]
    only_new: list[str]
    causes: list[str]
    rows: list[DifferenceOut]


@router.get("/cost-sets", auth=READ_COSTS, response=list[CostSetOut])
def cost_sets(request: HttpRequest) -> list[CostSetOut]:
    """Return the sets: in force, next, what-ifs, and those that were in force, the latest first."""
    order = {s: n for n, s in enumerate(("current", "next", "what-if", "past"))}
    rows = CostSet.objects.annotate(count=Count("standards")).order_by("-pk")
    return [
        CostSetOut(
            number=s.pk,
            state=s.state,
            name=str(s),
            as_of=s.as_of,
            frozen_at=s.frozen_at.isoformat(),
            activated_at=s.activated_at.isoformat() if s.activated_at else None,
            items=s.count,
            base=s.base_id,
            changes=[WhatIfChange(**c) for c in s.changes],
            missing=[SetLack(**m) for m in s.missing],
            note=s.note,
        )
        for s in sorted(rows, key=lambda s: order[s.state])
    ]


@router.get(
    "/cost-sets/{int:new}/against/{int:old}",
    auth=READ_COSTS,
    response={200: AgainstOut, 404: Problem},
)
def against(request: HttpRequest, new: int, old: int) -> AgainstOut:
    """Return a set against another: items by the size of the difference, with its causes.

    Screened in arrays; an item that is opened is computed exactly.
    """
    left, right = cost_set_by_number(old), cost_set_by_number(new)
    found = screened(set_in_arrays(left), set_in_arrays(right))
    moved = np.nan_to_num(np.abs(found.causes).sum(axis=1))
    shared = ~np.isnan(found.old - found.new)
    size = np.abs(np.nan_to_num(found.new - found.old)).round(PLACES)
    if left.base_id is None and right.base_id is None:
        # an item that kept its standard did not move, whatever follows from the set
        found = replace(found, old=_frozen(left, found), new=_frozen(right, found))
        size = np.abs(np.nan_to_num(found.new - found.old)).round(PLACES)
        moved = size
    order = np.lexsort((found.names, -size))
    shown = [int(n) for n in order[:SHOWN_MOST] if moved[n] > UNSEEN]
    items = {i.code: i for i in Item.objects.filter(code__in=found.names[shown].tolist())}
    costed = {n: ~np.isnan(costs) for n, costs in ((old, found.old), (new, found.new))}
    return AgainstOut(
        old=old,
        new=new,
        items=int(shared.sum()),
        different=int((moved > UNSEEN).sum()),
        only_old=found.names[costed[old] & ~costed[new]][:SHOWN_MOST].tolist(),
        only_new=found.names[costed[new] & ~costed[old]][:SHOWN_MOST].tolist(),
        causes=[c.value for c in Cause],
        rows=[_difference(found, n, items[str(found.names[n])]) for n in shown],
    )


def _frozen(cost_set: CostSet, found: Screened) -> Floats:
    """Return the standards of a stored set by name, as they are frozen; nan where it has none."""
    rows = Standard.objects.filter(cost_set=cost_set).values_list("item__code", "total")
    totals = {code: float(total) for code, total in rows}
    return np.array([totals.get(name, np.nan) for name in found.names.tolist()])


def _difference(found: Screened, n: int, item: Item) -> DifferenceOut:
    """Return a row as screened: rounded so that the causes add up; without them where they can't."""
    old, new = (_six(Decimal(float(costs[n]))) for costs in (found.old, found.new))
    causes = [Decimal(float(c)) for c in found.causes[n]]
    explains = abs(sum(causes, old - new)) < UNEXPLAINED + UNEXPLAINED_SHARE * new
    amounts = round_parts(causes, new - old, step=UNIT_COST_STEP) if explains else [ZERO] * len(causes)  # fmt: skip
    return DifferenceOut(
        item=item.code,
        name=item.name,
        unit=item.unit,
        is_made=item.is_made,
        old=old,
        new=new,
        difference=new - old,
        causes=[
            CausePart(cause=c.value, amount=a) for c, a in zip(Cause, amounts, strict=True) if a
        ],
    )


def _six(value: Decimal) -> Decimal:
    return round_to(value, UNIT_COST_STEP)
