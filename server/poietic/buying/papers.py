"""The order to a supplier as a paper."""

from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Spacer

from ..papers.labels import bars
from ..papers.sheet import QUIET, TITLE, paper, table, words
from ..web_api.fields import plain
from .models import Purchase, PurchaseLine


def purchase_order(found: Purchase) -> bytes:
    """Return an order to a supplier as PDF."""
    lines = PurchaseLine.objects.filter(purchase=found).select_related("item", "place", "order")
    listed: list[list[Any]] = [["Line", "What", "Code", "quantity", "", "EUR each", "there on"]]
    for n in lines.order_by("number"):
        what = f"{n.item.name}{f', operation {n.operation} of order {n.order}' if n.is_work else ''}"  # fmt: skip
        listed.append([str(n.number), words(what), n.item.code, short(n.quantity), n.unit, short(n.price), f"{n.comes_on:%d %b %Y}"])  # fmt: skip
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


def short(value: Any) -> str:
    """Return a quantity without zeros at its end."""
    return plain(value.normalize() + 0)
