"""Material coming in."""

from typing import Annotated

from poietic_core.quantity import money
from pydantic import Field

from ...catalog.models import Item
from ...catalog.queries import items_by_code, stock_place, supplier_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Pieces
from ...ledger.models import Account, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Day, Moment, Note, Price, Quantity, Reference, Strict


class LotReceived(Strict):
    """A lot or a serial that came in, with the supplier's own code for it."""

    lot: Reference
    quantity: Quantity
    supplier_code: Reference = ""
    #: last day on which it may be used
    expires_on: Day | None = None

    def pieces(self) -> Pieces:
        """Return it as the ledger takes it."""
        return Pieces(
            lot=self.lot,
            quantity=self.quantity,
            supplier_code=self.supplier_code,
            expires_on=self.expires_on,
        )


class MaterialLine(Strict):
    """One item that came in, at a price per unit."""

    item: Code
    quantity: Quantity
    price: Price
    place: Code
    supplier: Code | None = None
    #: of a tracked item; left out, numbered by the item's rule
    lots: Annotated[list[LotReceived], Field(max_length=1000)] = []


class ReceiveMaterial(Strict):
    """What came in."""

    lines: Annotated[list[MaterialLine], Field(min_length=1, max_length=500)]
    happened_at: Moment | None = None
    reason: Note = ""


@command("receive-material", "Receive material", Role.STOREKEEPER, Role.CONTROLLER)
def receive_material(context: Context, given: ReceiveMaterial) -> None:
    """Put bought material into stock at its price."""
    items = items_by_code(line.item for line in given.lines)
    places = {code: stock_place(code) for code in {line.place for line in given.lines}}
    suppliers = {code: supplier_place(code) for code in {line.supplier for line in given.lines}}
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.RECEIVE_MATERIAL, happened_at=given.happened_at, reason=given.reason
    )
    for line in given.lines:
        worth = money(line.quantity * line.price)
        document.put(
            items[line.item],
            line.quantity,
            out_of=suppliers[line.supplier],
            into=places[line.place],
            worth=worth,
            pieces=[p.pieces() for p in line.lots],
            difference_to=Account.PURCHASE_PRICE_VARIANCE,
        )
        document.journal(Account.GOODS_RECEIVED, -worth)
    held = (transaction.stock.item(item) for item in items.values())
    if made := [i.code for i in held if i.source == Item.Source.MAKE]:
        raise InvalidInput([f"lines: {made[0]} is made; it comes in from a production order"])
    transaction.post()
