"""What an order needs of its inputs: worked out at release, and explained by the same calculation."""

from collections.abc import Iterable, Mapping
from decimal import Decimal
from fractions import Fraction

from poietic_core.derivation import Derivation, given, ratio, total
from poietic_core.order.need import need_of_item, need_of_work
from poietic_core.quantity import ONE
from poietic_core.structure.basis import Basis, spread

from .models import OrderInput, OrderOperation


def need_of(
    i: OrderInput, enter: Mapping[int, Derivation], yields: Mapping[int, Decimal]
) -> Derivation:
    """Return how the whole order's need of an input comes about, from what it is allowed."""
    basis = Basis(i.basis)
    allowed = ratio(f"allowed per {basis}", Fraction(i.allowed_exactly), unit=i.unit)
    number = i.operation
    over = spread(basis, enter.get(number), operation=number, yield_share=yields.get(number, ONE))
    if i.item:
        return need_of_item(allowed, over, step=i.item.step)
    return need_of_work(allowed, over)


def with_replenished(
    operations: Iterable[OrderOperation], enter: Mapping[int, Derivation]
) -> dict[int, Derivation]:
    """Return the units that operations take material for: those of the plan, and what makes up for losses."""
    return {
        o.number: total(
            "units to work on",
            (enter[o.number], given(_beyond_plan(o.replenished), o.replenished)),
        )
        if o.replenished
        else enter[o.number]
        for o in operations
    }


def _beyond_plan(units: Decimal) -> str:
    """Say why so many units more, or fewer, are worked on than the plan has."""
    return "in the place of what was lost" if units > 0 else "that came without the planned loss"
