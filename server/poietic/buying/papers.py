"""Papers of buying: the order to a supplier, and the packing list of units that go to him."""

from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Spacer

from ..papers.labels import bars
from ..papers.sheet import BOLD, QUIET, TITLE, paper, table, words
from ..web_api.errors import NotFound
from ..web_api.fields import plain
from .models import Purchase, PurchaseLine, Shipment


def purchase_order(found: Purchase) -> bytes:
    """Return an order to a supplier as PDF."""
    lines = PurchaseLine.objects.filter(purchase=found).select_related("item", "place", "order")
    listed: list[list[Any]] = [["Line", "What", "Code", "quantity", "", "EUR each", "there on"]]
    for n in lines.order_by("number"):
        what = f"{n.item.name}{f', operation {n.operation} of order {n.order}' if n.is_work else ''}"  # fmt: skip
        listed.append([str(n.number), words(what), n.item.code, _plain(n.quantity), n.unit, _plain(n.price), f"{n.comes_on:%d %b %Y}"])  # fmt: skip
    when = f"ordered {found.ordered_on:%a %d %b %Y}" if found.ordered_on else "draft, not sent"
    parts = [
        words(f"Order {found.number} to {found.supplier.name}", TITLE),
        words(" · ".join(filter(None, [when, found.their_number and f"your number {found.their_number}", found.note])), QUIET),
        Spacer(1, 2 * mm),
        bars(str(found.number), 60 * mm),
        Spacer(1, 4 * mm),
        table(listed, [10, 68, 26, 20, 12, 20, 24], numbers=(3, 5)),
    ]  # fmt: skip
    return paper(f"Order {found.number}", parts)


def packing_list(code: str) -> bytes:
    """Return what goes with units to a supplier as PDF."""
    rows = Shipment.objects.select_related("line__purchase__supplier", "line__item", "line__order")
    is_number = code.isdecimal() and len(code) <= 10
    found = rows.filter(pk=int(code)).first() if is_number else None
    if found is None:
        raise NotFound("shipment", code)
    line, purchase = found.line, found.line.purchase
    order = line.order
    assert order is not None
    operation = order.operations.filter(number=line.operation or 0).first()
    does = operation.name if operation else ""
    weight = f", {_plain(found.weight)} kg" if found.weight else ""
    packages = f"{found.packages} package{'s' if found.packages > 1 else ''}{weight}"
    listed: list[list[Any]] = [
        ["What", "Code", "quantity", "", "our order", "to be done"],
        [words(line.item.name), line.item.code, _plain(found.quantity), line.item.unit, f"{order.number} op {line.operation}", words(does)],
    ]  # fmt: skip
    theirs = f", your number {purchase.their_number}" if purchase.their_number else ""
    customer = f" for {order.customer_order}" if order.customer_order else ""
    parts = [
        words(f"Packing list {found.pk}", TITLE),
        words(f"To {purchase.supplier.name}, {found.sent_at:%a %d %b %Y}", BOLD),
        words(f"Our order {purchase.number} line {line.number}{theirs}{customer}", QUIET),
        words(" · ".join(filter(None, [packages, found.carrier, found.note])), QUIET),
        Spacer(1, 2 * mm),
        bars(f"{purchase.number}-{line.number}", 60 * mm),
        Spacer(1, 4 * mm),
        table(listed, [58, 30, 20, 12, 28, 32], numbers=(2,)),
        Spacer(1, 4 * mm),
        words(f"Wanted back by {line.comes_on:%a %d %b %Y}. The units stay ours."),
    ]
    return paper(f"Packing list {found.pk}", parts)


def _plain(value: Any) -> str:
    return plain(value.normalize() + 0)
