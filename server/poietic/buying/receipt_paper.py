"""The paper of what came: it lies with the goods until they are put away, inspected or sent back."""

from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Spacer

from ..ledger.models import Posting, StockLine
from ..papers.labels import bars
from ..papers.sheet import BOLD, QUIET, TITLE, paper, table, words
from ..web_api.errors import NotFound
from .papers import short


def goods_received(code: str) -> bytes:
    """Return what a posting brought of a purchase order as PDF: lines, lots, places."""
    is_number = code.isascii() and code.isdecimal() and len(code) <= 15
    rows = Posting.objects.filter(pk=int(code), kind=Posting.Kind.PURCHASE_RECEIPT) if is_number else Posting.objects.none()  # fmt: skip
    found = rows.first()
    if found is None:
        raise NotFound("receipt", code)
    delivery = found.deliveries.select_related("line__purchase__supplier").earliest("pk")
    purchase = delivery.line.purchase
    listed: list[list[Any]] = [["What", "Code", "lot", "their lot", "quantity", "", "into"]]
    parts = ("item", "lot", "to_place")
    for s in StockLine.objects.filter(posting=found).select_related(*parts).order_by("pk"):
        lot, theirs = (s.lot.code, s.lot.supplier_code) if s.lot else ("", "")
        where = words(f"{s.to_place.name}{', to be inspected' if s.item.is_inspected else ''}")
        listed.append([words(s.item.name), s.item.code, lot, theirs, short(s.quantity), s.item.unit, where])  # fmt: skip
    note = f"despatch note {delivery.note}" if delivery.note else ""
    return paper(
        f"Received {found.pk}",
        [
            words(f"Received of {purchase.supplier.name}", TITLE),
            words(f"{found.happened_at:%a %d %b %Y}, order {purchase.number}", BOLD),
            words(" · ".join(filter(None, [note, found.reason])), QUIET),
            Spacer(1, 2 * mm),
            bars(str(purchase.number), 60 * mm),
            Spacer(1, 4 * mm),
            table(listed, [52, 28, 26, 24, 16, 10, 24], numbers=(4,)),
        ],
    )
