"""Inputs that an order has beside its standard: nothing is allowed for them by what it is costed with."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from fractions import Fraction
from typing import Any

from poietic_core.cost.model import Element, InputKind
from poietic_core.quantity import ZERO, decimal_of
from poietic_core.stock.valuation import NoStandard
from poietic_core.structure.basis import Basis

from ..catalog.models import Item
from ..costing.basis import split_to_json
from ..costing.models import Standard
from ..costing.queries import standards_in_force
from ..engineering.models import WorkCenter
from .book import OrderBook
from .models import OrderInput


def beside_standard(
    book: OrderBook,
    operation: int,
    kind: InputKind,
    *,
    unit: str,
    price: Decimal,
    split: Mapping[Element, Decimal],
    item: Item | None = None,
    work_center: WorkCenter | None = None,
    code: str = "",
    base: str = "",
    basis: Basis = Basis.ENTERING,
    allowed: Fraction = Fraction(0),
    stands_for: Sequence[dict[str, Any]] = (),
) -> OrderInput:
    """Return a new input of an order that its standard does not have.

    Parameters
    ----------
    price : standard cost of one unit [money/unit], with its split over the elements
    code : of an overhead, or the element of an extra cost
    allowed : by the order's structure, for what `basis` says [unit]
    """
    return OrderInput(
        order=book.order,
        operation=operation,
        kind=kind.value,
        item=item,
        work_center=work_center,
        unit=unit,
        basis=basis.value,
        standard_basis=basis.value,
        overhead=code,
        base=base,
        allowed=decimal_of(allowed),
        allowed_exactly=str(allowed),
        standard=ZERO,
        price=price,
        split=split_to_json(dict(split)),
        need=ZERO,
        stands_for=list(stands_for),
    )


def component_beside_standard(
    book: OrderBook,
    operation: int,
    item: Item,
    *,
    basis: Basis = Basis.ENTERING,
    allowed: Fraction = Fraction(0),
    stands_for: Sequence[dict[str, Any]] = (),
) -> OrderInput:
    """Return a new component of an order, at its standard in the set frozen with the order.

    Raises NoStandard (cost.no_standard) where it has none there, nor in the set in force.
    """
    cost = standard_of(book, item).as_item_cost()
    return beside_standard(
        book,
        operation,
        InputKind.COMPONENT,
        unit=item.unit,
        price=cost.price,
        split=cost.split,
        item=item,
        basis=basis,
        allowed=allowed,
        stands_for=stands_for,
    )


def standard_of(book: OrderBook, item: Item) -> Standard:
    """Return an item's standard in the set frozen with an order; of an item that came later, today's."""
    frozen = book.order.standard
    assert frozen is not None
    rows = Standard.objects.filter(cost_set=frozen.cost_set, item=item).select_related("item")
    found = rows.first() or standards_in_force([item]).get(item.code)
    if found is None:
        raise NoStandard(item.code)
    return found
