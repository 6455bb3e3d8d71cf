"""What keeps a revision from being approved, and what would stop the next order of an item."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from poietic_core.cost.rates import ShopRates
from poietic_core.errors import DomainError
from poietic_core.stock.lots import Tracking
from poietic_core.structure.model import StepKind, Structure
from poietic_core.structure.phantom import inline
from poietic_core.structure.rules import problems_of

from ..catalog.models import Item
from .models import Revision, WorkCenter
from .queries import phantoms_on
from .rates import shop_rates
from .structures import structure_of, structures_of
from .where_used import users_above


@dataclass(frozen=True)
class Shop:
    """What else of a day decides whether a structure can be made: its phantoms and its rates."""

    day: date
    phantoms: dict[str, Structure]
    rates: ShopRates

    @classmethod
    def on(cls, day: date) -> "Shop":
        """Return the shop as it is on a day."""
        return cls(day, phantoms_on(day), shop_rates(day))


def faults_of(revision: Revision, shop: Shop) -> list[str]:
    """Return everything that keeps a revision from being approved."""
    structure = structure_of(revision)
    problems = [
        f"{p.place}: {p.why} {p.fix}"
        for p in problems_of(structure, is_phantom=revision.item.is_phantom)
    ]
    problems += [
        f"component:{c.item.code}: It is inactive. Make it active or remove it."
        for c in revision.components.all()
        if not c.item.is_active
    ]
    noted = {s.item for o in structure.operations for s in o.steps if s.kind is StepKind.LOT}
    problems += [
        f"component:{c.item.code}: Its lot is noted, but its pieces aren't told apart. Track it by lot or serial, or remove the step."
        for c in revision.components.all()
        if c.item.code in noted and c.item.tracking == Tracking.NONE
    ]
    problems += _unlike_mixes(revision)
    if not revision.item.is_made:
        problems.append(
            f"item:{revision.item.code}: It is bought. Define what is made as an item to make."
        )
    lines = structure.components
    named = {a.item for c in lines for a in c.alternates} | {g.item for g in structure.grades}
    problems += [f"item:{c}: There is no such item. Define it." for c in _unknown(Item, named)]
    centers = {c for o in structure.operations for c in o.alternate_centers}
    problems += [
        f"work-center:{c}: There is none. Define it." for c in _unknown(WorkCenter, centers)
    ]
    problems += _unrated(structure, shop)
    if problems:
        return problems
    try:
        inline(structure.on(shop.day), shop.phantoms)
    except DomainError as err:
        return [f"structure: {err}"]
    return []


def _unlike_mixes(revision: Revision) -> list[str]:
    """Return the mixes whose components have no unit in common: their quantities can't be added up."""
    units: dict[tuple[int, str], dict[str, str]] = {}
    for c in revision.components.all():
        if c.mix:
            units.setdefault((c.operation, c.mix), {})[c.item.unit] = c.item.code
    return [
        f"component:{code}: The mix {mark} is kept in {' and '.join(own)}. Mix what is kept in one unit."
        for (_, mark), own in units.items()
        if len(own) > 1
        for code in (*own.values(),)[-1:]
    ]


def refuse_unfit(fresh: Iterable[Revision], day: date) -> None:
    """Refuse revisions put in force on a day where something that uses one can't take it in.

    Raises NoRoomForPhantom or PhantomClash, by the name of what uses the phantom.
    """
    takers: dict[str, Revision] = {}
    for revision in fresh:
        if revision.item.is_phantom:
            takers |= users_above([revision.item_id], day, beyond=lambda item: item.is_phantom)
    phantoms = phantoms_on(day) if takers else {}
    for structure in structures_of(takers.values()).values():
        inline(structure.on(day), phantoms)


def _unrated(structure: Structure, shop: Shop) -> list[str]:
    """Return what has no rate in force on the day: an hour there would cost nothing."""
    centers = {o.work_center for o in structure.operations} - set(shop.rates.centers)
    grades = {o.labour_grade for o in structure.operations if o.labour_grade}
    grades -= set(shop.rates.grades)
    return [
        f"work-center:{c}: It has no rate on {shop.day}. Enter its rates." for c in sorted(centers)
    ] + [f"labour-grade:{g}: It has no rate on {shop.day}. Enter one." for g in sorted(grades)]


def _unknown(model: type[Item] | type[WorkCenter], codes: set[str]) -> list[str]:
    known = model.objects.filter(code__in=codes).values_list("code", flat=True) if codes else ()
    return sorted(codes - set(known))
