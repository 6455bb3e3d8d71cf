"""What is on order of suppliers, told to whoever asks for an item's future."""

from poietic_core.planning.model import Source, Supply
from poietic_core.quantity import ZERO

from ..catalog.queries import any_of
from .models import PurchaseLine


def from_purchases(items: list[int]) -> list[tuple[int, Supply, str]]:
    """Return what is to come of some items from suppliers, with the item and whom it is for."""
    rows = PurchaseLine.objects.filter(item__in=any_of(items), coming__gt=ZERO, is_work=False)
    told = rows.order_by("comes_on", "pk").values_list(
        "item", "purchase__number", "comes_on", "coming", "purchase__supplier__name"
    )
    return [
        (
            item,
            Supply(source=Source.PURCHASE, number=number, comes=comes_on, quantity=coming),
            f"from {supplier}",
        )
        for item, number, comes_on, coming, supplier in told
    ]
