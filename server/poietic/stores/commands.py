"""Material coming in."""

from datetime import datetime
from typing import Annotated

from poietic_core.quantity import money
from pydantic import Field

from ..catalog.models import Item, Place
from ..catalog.queries import items_by_code, place_of_kind, stock_place
from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..ledger.document import Document, Stock
from ..ledger.models import Account, Posting
from ..web_api.errors import InvalidInput
from ..web_api.fields import Code, Moment, Note, Price, Quantity, Strict


class MaterialLine(Strict):
    """One item that came in, at a price per unit."""

    item: Code
    quantity: Quantity
    price: Price
    place: Code


class ReceiveMaterial(Strict):
    """What came in."""

    lines: Annotated[list[MaterialLine], Field(min_length=1, max_length=500)]
    happened_at: Moment | None = None
    reason: Note = ""


@command("receive-material", "Receive material", Role.STOREKEEPER, Role.CONTROLLER)
def receive_material(context: Context, given: ReceiveMaterial) -> None:
    """Put bought material into stock at its price."""
    named = items_by_code(line.item for line in given.lines)
    stock = Stock.lock(context, named.values())
    items = {code: stock.item(item) for code, item in named.items()}
    made = [i.code for i in items.values() if i.source == Item.Source.MAKE]
    if made:
        raise InvalidInput([f"lines: {made[0]} is made; it comes in from a production order"])
    places = {line.place: stock_place(line.place) for line in given.lines}
    supplier = place_of_kind(Place.Kind.SUPPLIER)
    happened_at: datetime = given.happened_at or context.now
    document = Document(
        context=context,
        kind=Posting.Kind.RECEIVE_MATERIAL,
        stock=stock,
        happened_at=happened_at,
        reason=given.reason,
    )
    for line in given.lines:
        worth = money(line.quantity * line.price)
        document.put(
            items[line.item],
            line.quantity,
            out_of=supplier,
            into=places[line.place],
            worth=worth,
            difference_to=Account.PURCHASE_PRICE_VARIANCE,
        )
        document.journal(Account.GOODS_RECEIVED, -worth)
    stock.save()
    document.save()
