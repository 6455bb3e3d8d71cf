"""What may be promised of an item, and when a quantity of it can be there."""

from bisect import bisect_left
from collections.abc import Iterable
from datetime import date
from decimal import Decimal

from poietic_core.planning.capable import Promised, Source, capable_to_promise
from poietic_core.planning.days import working_days
from poietic_core.planning.model import Demand, Supply
from poietic_core.planning.model import Source as Kind
from poietic_core.planning.pegging import available_to_promise
from poietic_core.quantity import ZERO
from poietic_core.structure.model import Structure
from poietic_core.structure.phantom import inline
from poietic_core.structure.requirement import entering_for_one, need_per_good_unit

from ..catalog.models import Item
from ..engineering.models import Revision
from ..engineering.queries import in_force, phantoms_on, reached_from, revision_in_force
from .reading import expiries, expiring_stock, future_of_all, usable_stock_of

#: further ahead nothing is known
FAR = 300


def promises(
    on_hand: Decimal, demands: Iterable[Demand], supplies: Iterable[Supply], today: date
) -> list[tuple[date, Decimal]]:
    """Return what may be promised of stock and of each day's supply: what is only foreseen is no promise."""
    comes = {today: ZERO}
    for s in supplies:
        if s.comes is not None:
            day = max(today, s.comes)
            comes[day] = comes.get(day, ZERO) + s.quantity
    days = sorted(comes)
    committed = dict.fromkeys(days, ZERO)
    for d in demands:
        if d.source is not Kind.FORECAST:
            committed[max(day for day in days if day <= max(today, d.due))] += d.quantity
    free = available_to_promise(on_hand, [comes[d] for d in days], [committed[d] for d in days])
    return [(d, q) for d, q in zip(days, free, strict=True) if q]


def promise(
    item: Item, quantity: Decimal, today: date
) -> tuple[Promised, list[date], dict[str, Item]]:
    """Return when a quantity can be there, the working days that its days count, and the items on the way.

    What is not free is made or bought anew by lead times; what the plan proposes is no supply yet.
    """
    structures = _structures(item, today)
    codes = {item.code, *structures, *(c for own in structures.values() for c in own)}
    items = {i.code: i for i in Item.objects.filter(code__in=codes)}
    keys = [i.pk for i in items.values()]
    futures, on_hand = future_of_all(keys), usable_stock_of(today, keys)
    days, ends = working_days(today, FAR), expiring_stock(today, keys)
    sources = {}
    for code, one in items.items():
        future = futures[one.pk]
        demands, supplies = [d for d, _ in future.demands], [s for s, _ in future.supplies]
        demands += expiries(ends.get(one.pk, []), demands)
        free = promises(on_hand.get(one.pk, ZERO), demands, supplies, today)
        sources[code] = Source(
            free=[(0 if d <= today else bisect_left(days, d), q) for d, q in free],
            lead=0 if one.is_phantom else one.lead_time_days or 0,
            uses=structures.get(code, {}),
        )
    return capable_to_promise(item.code, quantity, sources), days, items


def _structures(item: Item, today: date) -> dict[str, dict[str, Decimal]]:
    """Return what one good unit takes of each component, of an item and all that it is made of.

    A grade takes the item that it is sorted out of, as much as one of it needs.
    """
    phantoms = phantoms_on(today)
    graded = {
        g["item"]: (r, Decimal(g["share"]))
        for r in in_force(today).exclude(grades=[]).select_related("item")
        for g in r.grades
    }
    found: dict[str, dict[str, Decimal]] = {}
    tops: list[Revision] = []
    if item.code in graded:
        revision, share = graded[item.code]
        found[item.code] = {revision.item.code: 1 / share}
        tops.append(revision)
    elif top := revision_in_force(item, today):
        tops.append(top)
    while tops:
        revisions, reached = reached_from(tops.pop(), today)
        for code, structure in reached.items():
            if code in phantoms or code in found:
                continue
            found[code] = _uses(
                inline(structure, phantoms).structure, revisions[code].item.standard_lot
            )
            for component in found[code]:
                if component in graded and component not in found:
                    revision, share = graded[component]
                    found[component] = {revision.item.code: 1 / share}
                    tops.append(revision)
    return found


def _uses(structure: Structure, lot: Decimal) -> dict[str, Decimal]:
    enter = entering_for_one(structure.operations)
    uses: dict[str, Decimal] = {}
    for line in structure.components:
        need = need_per_good_unit(structure, line, enter, unit="", standard_lot=lot)
        uses[line.item] = uses.get(line.item, ZERO) + need.value
    return uses
