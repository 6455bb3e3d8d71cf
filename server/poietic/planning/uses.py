"""What one good unit takes of each component, phantoms passed through: of all below an item, or of what uses some."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from poietic_core.planning.labour import Labour, labour_of
from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.model import Structure
from poietic_core.structure.phantom import inline
from poietic_core.structure.requirement import entering_for_one, need_per_good_unit

from ..catalog.models import Item
from ..engineering.models import OutputRow, Revision, WorkCenter
from ..engineering.queries import in_force, phantoms_on, reached_from, revision_in_force
from ..engineering.structures import structures_of
from ..engineering.where_used import users_above


@dataclass(frozen=True)
class Way:
    """How an item is made: what one takes of each component, by code, and what a lot takes of work centers."""

    uses: dict[str, Decimal]
    works: Sequence[Labour] = ()


def ways_below(item: Item, today: date) -> dict[str, Way]:
    """Return how an item, and all that it is made of, is made, by code.

    A grade takes the item that it is sorted out of, as much as one of it needs.
    """
    paces = dict(WorkCenter.objects.values_list("code", "efficiency"))
    phantoms = phantoms_on(today)
    graded = {g["item"]: (r, Decimal(g["share"])) for r in graded_in_force(today) for g in r.grades}
    found: dict[str, Way] = {}
    tops: list[Revision] = []
    if item.code in graded:
        revision, share = graded[item.code]
        found[item.code] = Way({revision.item.code: 1 / share})
        tops.append(revision)
    elif top := revision_in_force(item, today):
        tops.append(top)
    while tops:
        revisions, reached = reached_from(tops.pop(), today)
        for code, structure in reached.items():
            if code in phantoms or code in found:
                continue
            whole = inline(structure, phantoms).structure
            enter = entering_for_one(whole.operations)
            works = [
                labour_of(o, enter[o.number].value, paces.get(o.work_center, ONE))
                for o in whole.operations
                if o.subcontract is None
            ]
            found[code] = Way(_uses_of(whole, revisions[code].item.standard_lot), works)
            for component in found[code].uses:
                if component in graded and component not in found:
                    revision, share = graded[component]
                    found[component] = Way({revision.item.code: 1 / share})
                    tops.append(revision)
    return found


def users_of(items: Iterable[int], today: date) -> dict[Item, dict[str, Decimal]]:
    """Return the items that take one of some, straight or through phantoms, with what one takes of each component."""
    phantoms = phantoms_on(today)
    above = [
        r for code, r in users_above(items, today, beyond=lambda i: i.is_phantom).items()
        if code not in phantoms
    ]  # fmt: skip
    return {
        r.item: _uses(structure, phantoms, r.item.standard_lot)
        for r, structure in structures_on_day(above, today)
    }


def uses_of(items: Iterable[int], today: date) -> dict[int, dict[str, Decimal]]:
    """Return what one of each item takes of each component, by code; items without a structure are left out."""
    wanted = list(items)
    if not wanted:
        return {}
    phantoms = phantoms_on(today)
    rows = in_force(today).filter(item__in=wanted).select_related("item")
    return {
        r.item_id: _uses(structure, phantoms, r.item.standard_lot)
        for r, structure in structures_on_day(rows, today)
    }


def given_beside(items: Iterable[int], today: date) -> dict[int, set[int]]:
    """Return what each item is sorted into, and what comes beside it, by key."""
    found: dict[int, set[int]] = {}
    wanted = set(items)
    rows = OutputRow.objects.filter(revision__item__in=wanted, revision__in=in_force(today))
    for giver, item in rows.values_list("revision__item", "item"):
        found.setdefault(giver, set()).add(item)
    graded = {
        r.item_id: [g["item"] for g in r.grades]
        for r in graded_in_force(today)
        if r.item_id in wanted
    }
    codes = {code for own in graded.values() for code in own}
    keys = dict(Item.objects.filter(code__in=codes).values_list("code", "pk")) if codes else {}
    for giver, own in graded.items():
        found.setdefault(giver, set()).update(keys[code] for code in own)
    return found


def givers_of(items: Iterable[int], today: date) -> dict[Item, dict[str, Decimal]]:
    """Return the items with which some come, sorted out of them or beside them, with what comes with one, by code."""
    wanted = dict(Item.objects.filter(pk__in=items).values_list("code", "pk"))
    beside = OutputRow.objects.filter(item__in=wanted.values(), revision__in=in_force(today))
    revisions = Revision.objects.filter(pk__in=beside.values("revision")).select_related("item")
    found = {r.item: given_with_one(s) for r, s in structures_on_day(revisions, today)}
    for revision in graded_in_force(today):
        if any(g["item"] in wanted for g in revision.grades):
            shares = {g["item"]: Decimal(g["share"]) for g in revision.grades}
            found[revision.item] = found.get(revision.item, {}) | shares
    return {
        giver: {code: q for code, q in given.items() if code in wanted}
        for giver, given in found.items()
    }


def given_in_force(today: date) -> list[tuple[int, int, float]]:
    """Return what comes beside what by all structures in force: giver, what it gives, how much with one good unit."""
    rows = in_force(today).filter(pk__in=OutputRow.objects.values("revision"))
    given = {r.item_id: given_with_one(s) for r, s in structures_on_day(rows.select_related("item"), today)}  # fmt: skip
    keys = dict(Item.objects.filter(by_product_of__isnull=False).values_list("code", "pk"))
    return [(giver, keys[code], float(q)) for giver, own in given.items() for code, q in own.items()]  # fmt: skip


def given_with_one(structure: Structure) -> dict[str, Decimal]:
    """Return what comes beside one good unit of a structure, by code."""
    enter = entering_for_one(structure.operations)
    found: dict[str, Decimal] = {}
    for out in structure.outputs:
        batch = out.batch or structure.batch_quantity
        entering = enter[out.operation].value if out.operation in enter else ONE
        comes = out.quantity / batch * entering
        found[out.item] = found.get(out.item, ZERO) + comes
    return found


def structures_on_day(
    revisions: Iterable[Revision], today: date
) -> list[tuple[Revision, Structure]]:
    """Return revisions with their structures as of a day."""
    listed = list(revisions)
    read = structures_of(listed)
    return [(r, read[r.pk].on(today)) for r in listed]


def graded_in_force(today: date) -> list[Revision]:
    """Return the structures in force whose output is sorted into grades."""
    return list(in_force(today).exclude(grades=[]).select_related("item"))


def _uses(structure: Structure, phantoms: dict[str, Structure], lot: Decimal) -> dict[str, Decimal]:
    return _uses_of(inline(structure, phantoms).structure, lot)


def _uses_of(whole: Structure, lot: Decimal) -> dict[str, Decimal]:
    enter = entering_for_one(whole.operations)
    uses: dict[str, Decimal] = {}
    for line in whole.components:
        need = need_per_good_unit(whole, line, enter, unit="", standard_lot=lot)
        uses[line.item] = uses.get(line.item, ZERO) + need.value
    return uses
