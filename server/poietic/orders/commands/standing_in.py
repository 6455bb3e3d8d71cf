"""What is used in the place of a component: its alternates, as inputs of the order."""

from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from poietic_core.cost.model import InputKind
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO
from poietic_core.stock.valuation import NoStandard
from poietic_core.structure.basis import Basis

from ...catalog.models import Item
from ...costing.basis import split_to_json
from ...costing.models import Standard
from ...costing.queries import standards_in_force
from ...web_api.fields import plain
from ..book import OrderBook
from ..models import OrderInput
from ..open_book import OpenBook


@dataclass(eq=False)
class NotAnAlternate(DomainError):
    """An item that is not listed for use in a component's place."""

    item: str
    component: str
    alternates: list[str]
    code: ClassVar[str] = "order.not_an_alternate"
    what: ClassVar[str] = "{item} can't be used in the place of {component}."
    why: ClassVar[str] = "The order's structure lists these alternates of it: {alternates}."
    fix: ClassVar[str] = "Use one of them, or have {item} listed in the structure first."


@dataclass(eq=False)
class ComponentItself(DomainError):
    """An alternate that is a component at the same operation."""

    item: str
    operation: int
    code: ClassVar[str] = "order.component_itself"
    what: ClassVar[str] = "{item} can't be issued in the place of another item here."
    why: ClassVar[str] = "It is a component at operation {operation} itself."
    fix: ClassVar[str] = "Issue it as that component."


def alternate_of(book: OpenBook, component: OrderInput, item: Item) -> OrderInput:
    """Return the order's input of an alternate, made when it is first used."""
    assert component.item is not None
    ratios = {a["item"]: Decimal(a["ratio"]) for a in component.alternates}
    if item.code not in ratios:
        raise NotAnAlternate(item.code, component.item.code, list(ratios) or ["none"])
    stands_for = [{"input": component.pk, "times": "1", "per": plain(ratios[item.code])}]
    for i in book.inputs:
        if (i.kind, i.operation, i.item_id) == (component.kind, component.operation, item.pk):
            if i.stands_for != stands_for:
                raise ComponentItself(item.code, component.operation)
            return i
    return book.add_input(stand_in(book, component.operation, item, stands_for))


def stand_in(
    book: OrderBook, operation: int, item: Item, stands_for: list[dict[str, object]]
) -> OrderInput:
    """Return a new input that stands for others, at its standard in the set frozen with the order."""
    cost = _standard_of(book, item).as_item_cost()
    return OrderInput(
        order=book.order,
        operation=operation,
        kind=InputKind.COMPONENT.value,
        item=item,
        unit=item.unit,
        basis=Basis.ENTERING.value,
        standard_basis=Basis.ENTERING.value,
        allowed=ZERO,
        allowed_exactly="0",
        standard=ZERO,
        price=cost.price,
        split=split_to_json(dict(cost.split)),
        need=ZERO,
        stands_for=stands_for,
    )


def _standard_of(book: OrderBook, item: Item) -> Standard:
    """Return an item's standard in the set frozen with an order; of an item that came later, today's."""
    frozen = book.order.standard
    assert frozen is not None
    rows = Standard.objects.filter(cost_set=frozen.cost_set, item=item).select_related("item")
    found = rows.first() or standards_in_force([item]).get(item.code)
    if found is None:
        raise NoStandard(item.code)
    return found
