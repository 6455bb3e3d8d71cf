"""The holding that each item has, from when it is defined; what moves it waits while the item changes."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Any, ClassVar

from poietic_core.errors import DomainError

from ..catalog.models import Item
from .models import Holding


@dataclass(eq=False)
class HasStock(DomainError):
    """Neither the valuation of an item nor how its pieces are told apart can change with stock."""

    item: str
    quantity: Decimal
    unit: str
    code: ClassVar[str] = "item.has_stock"
    what: ClassVar[str] = "{item} can't be valued or tracked in another way."
    why: ClassVar[str] = "{quantity} {unit} of it are in stock as they are."
    fix: ClassVar[str] = "Change the valuation by its own act, or when nothing of it is in stock."


def open_holding(item: Item, **kwargs: Any) -> None:
    """Give a new item its holding of nothing."""
    Holding.objects.create(item=item, change=item.change)


def hold_still(item: Item, is_revalued: bool, **kwargs: Any) -> None:
    """Let nothing of an item move while it is changed; refuse another valuation if it has stock."""
    held = Holding.objects.filter(item=item).order_by("pk").select_for_update(no_key=True)
    for quantity in list(held.values_list("quantity", flat=True)):
        if quantity and is_revalued:
            raise HasStock(item.code, quantity, item.unit)
