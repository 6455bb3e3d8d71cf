"""What keeps a revision from being approved, and what would stop the next order of an item."""

from datetime import date

from poietic_core.errors import DomainError
from poietic_core.structure.model import Structure
from poietic_core.structure.phantom import inline
from poietic_core.structure.rules import problems_of

from ..catalog.models import Item
from .models import Revision, WorkCenter
from .queries import phantoms_on, structure_of

Phantoms = dict[str, Structure]


def faults_of(revision: Revision, day: date, phantoms: Phantoms | None = None) -> list[str]:
    """Return everything that keeps a revision from being approved.

    `phantoms` are those in force on the day, where the caller has them already.
    """
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
    if problems:
        return problems
    try:
        inline(structure.on(day), phantoms_on(day) if phantoms is None else phantoms)
    except DomainError as err:
        return [f"structure: {err}"]
    return []


def _unknown(model: type[Item] | type[WorkCenter], codes: set[str]) -> list[str]:
    known = model.objects.filter(code__in=codes).values_list("code", flat=True) if codes else ()
    return sorted(codes - set(known))
