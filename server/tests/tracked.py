"""A shop whose items are valued and told apart in every way, for tests of the ledger."""

from typing import Any

from poietic.catalog.models import Item
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Holding, StockBalance

#: bought items: how they are told apart, how they are valued
BOUGHT = {
    "AVERAGE": ("none", "moving average"),
    "LAYERED": ("none", "FIFO layers"),
    "GLASS": ("lot", "moving average"),
    "COATING": ("lot", "FIFO layers"),
    "CRYSTAL": ("lot", "lot actual"),
    "CAMERA": ("serial", "lot actual"),
}


def define(shop: Shop) -> None:
    """Define a kit of two pieces of everything, made at one operation and numbered by serial."""
    mirror_cell.define(shop)
    for code, (tracking, valuation) in BOUGHT.items():
        shop.do(
            "define-item",
            code=code,
            name=code.title(),
            unit="pcs",
            source="buy",
            price="10",
            tracking=tracking,
            number_rule="" if tracking == "none" else code[:2] + "{year}-{number:3}",
        )
        Item.objects.filter(code=code).update(valuation=valuation)
    shop.do(
        "define-item",
        code="KIT",
        name="Kit",
        unit="pcs",
        source="make",
        standard_lot="5",
        tracking="serial",
        number_rule="K-{number:4}",
    )
    mirror_cell.structure(
        shop,
        "KIT",
        [{"number": 10, "name": "Pack", "work_center": "ASSY", "run_labour_hours": "0.1"}],
        [{"item": code, "operation": 10, "quantity": "2", "issue_rule": "by hand"} for code in BOUGHT],
    )  # fmt: skip
    shop.do("freeze-standard")


def receive(shop: Shop, item: str, quantity: str, price: str, *lots: dict[str, Any], place: str = "STORE") -> Any:  # fmt: skip
    """Receive material and return the outcome."""
    line = {"item": item, "quantity": quantity, "price": price, "place": place, "lots": list(lots)}
    return shop.do("receive-material", lines=[line])


def move(shop: Shop, act: str, order: int, item: str, quantity: str, *lots: tuple[str, str]) -> Any:
    """Issue material to an order, or return it, and return the outcome."""
    named = [{"lot": lot, "quantity": q} for lot, q in lots]
    line = {"operation": 10, "item": item, "quantity": quantity, "lots": named}
    return shop.do(f"{act}-material", order=order, lines=[line])


def on_hand(item: str) -> dict[str, str]:
    """Return what is in stock of an item, by lot."""
    rows = StockBalance.objects.filter(item__code=item, quantity__gt=0).order_by("lot__pk")
    return {b.lot.code if b.lot else "": f"{b.quantity.normalize():f}" for b in rows}


def worth(item: str) -> str:
    """Return the value of an item's stock."""
    return str(Holding.objects.get(item__code=item).value)


def running_order(shop: Shop, quantity: str = "5", item: str = "KIT") -> int:
    """Plan and release an order, of kits where nothing else is named."""
    order = mirror_cell.plan(shop, item, quantity)
    shop.do("release-order", order=order)
    return order
