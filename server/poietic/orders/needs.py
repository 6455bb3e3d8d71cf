"""What an order needs of its inputs: worked out at release, and explained by the same calculation."""

from collections.abc import Mapping
from decimal import Decimal
from fractions import Fraction

from poietic_core.derivation import Derivation, ratio
from poietic_core.order.need import need_of_item, need_of_work
from poietic_core.quantity import ONE
from poietic_core.structure.basis import Basis, spread

from .models import OrderInput


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
