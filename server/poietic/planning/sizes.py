"""What is cut of stock forms: how many pieces of which size the demand behind a purchase is."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction

from django.db.models import Sum
from poietic_core.quantity import ONE, UNIT_COST_STEP, ZERO, round_to, round_up
from poietic_core.structure.requirement import entering_for_one, need_per_good_unit
from poietic_core.units import Measure, measured_piece

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..engineering.models import ComponentRow, Revision
from ..engineering.queries import in_force
from ..orders.models import OrderInput, PlannedNeed
from .models import PlanRun, ProposalState
from .uses import structures_on_day

#: keys of a made item and of what is taken for it
Taken = tuple[int, int]


@dataclass(frozen=True)
class SizeWanted:
    """Pieces of one size that are wanted for an item that is made."""

    item: Item
    measure: Measure
    #: whole pieces, and what they are of the stock unit
    pieces: Decimal
    quantity: Decimal


def sizes_wanted(
    items: Iterable[int], run: PlanRun, until: date | None, today: date
) -> dict[int, list[SizeWanted]]:
    """Return by bought item the sizes that orders and proposals cut of it, most of it first; what nothing measures is left out.

    Of proposals those that begin up to a day; what an order still takes of several sizes is shared by what each needs.
    """
    measured = ComponentRow.objects.filter(item__in=any_of(items), revision__in=in_force(today))
    rows = Revision.objects.filter(pk__in=measured.exclude(measured_by="").values("revision"))
    found: dict[int, list[SizeWanted]] = {}
    cut = structures_on_day(rows.select_related("item"), today)
    keys = dict(Item.objects.filter(pk__in=any_of(items)).values_list("code", "pk"))
    proposed = _proposed([r.item_id for r, _ in cut], run, until)
    still = _still([r.item_id for r, _ in cut], list(keys.values()))
    for revision, structure in cut:
        enter = entering_for_one(structure.operations)
        lot = revision.item.standard_lot
        needs = {
            n: need_per_good_unit(structure, line, enter, unit="", standard_lot=lot).value
            for n, line in enumerate(structure.components)
            if line.item in keys
        }
        for n, need in needs.items():
            line = structure.components[n]
            if line.measure is None or not need:
                continue
            of_item = sum((o for k, o in needs.items() if structure.components[k].item == line.item), ZERO)  # fmt: skip
            taken = still.get((revision.item_id, keys[line.item]), ZERO) * need / of_item
            # a need is a quotient: its last digits ask for no piece more
            quantity = round_to(proposed.get(revision.item_id, ZERO) * need + taken, UNIT_COST_STEP)
            piece = Fraction(measured_piece(line.measure, line.item).value) * Fraction(line.unit_factor)  # fmt: skip
            if quantity:
                pieces = round_up(Fraction(quantity) / piece, ONE)
                told = SizeWanted(revision.item, line.measure, pieces, quantity)
                found.setdefault(keys[line.item], []).append(told)
    for own in found.values():
        own.sort(key=lambda s: (-s.quantity, s.item.code))
    return found


def _proposed(makers: list[int], run: PlanRun, until: date | None) -> dict[int, Decimal]:
    """Return how much of what is made a run proposes, not decided yet, to begin up to a day."""
    rows = run.rows.filter(item__in=any_of(makers), state=ProposalState.OPEN)
    if until is not None:
        rows = rows.filter(order_on__lte=until)
    told = rows.order_by().values_list("item", "item__step").annotate(Sum("steps"))
    return {item: step * steps for item, step, steps in told}


def _still(makers: list[int], items: list[int]) -> dict[Taken, Decimal]:
    """Return how much of each item orders still take, by what they make."""
    found: dict[Taken, Decimal] = {}
    running = OrderInput.objects.filter(still__gt=ZERO)
    for rows, column in ((running, "still"), (PlannedNeed.objects.all(), "quantity")):
        own = rows.filter(item__in=any_of(items), order__item__in=any_of(makers)).order_by()
        for maker, item, quantity in own.values_list("order__item", "item").annotate(Sum(column)):
            found[maker, item] = found.get((maker, item), ZERO) + quantity
    return found
