"""What is used in the place of a component: its alternates, as inputs of the order."""

from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from poietic_core.errors import DomainError

from ...catalog.models import Item
from ...web_api.fields import plain
from ..models import OrderInput
from ..open_book import OpenBook
from ..own_inputs import component_beside_standard


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
    return book.add_input(
        component_beside_standard(book, component.operation, item, stands_for=stands_for)
    )
