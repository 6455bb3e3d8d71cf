"""What a price leaves over what the goods cost."""

from decimal import Decimal

from poietic_core.cost.margin import margin
from poietic_core.quantity import money, round_to

#: to which a share is told
SHARE_STEP = Decimal("0.001")


def what_is_left(
    price: Decimal | None, cost: Decimal | None, quantity: Decimal
) -> tuple[Decimal | None, Decimal | None]:
    """Return what a price leaves over the cost of one, for all of a quantity, and as a share of the price."""
    if price is None or cost is None:
        return None, None
    left = margin(price, cost)
    share = None if left.share is None else round_to(left.share, SHARE_STEP)
    return money(left.amount * quantity), share
