"""The delivery note: what left to a customer at once, with its lots and serials, and what is still to come."""

from typing import Any

from django.utils import timezone
from poietic_core.quantity import ZERO
from reportlab.lib.units import mm
from reportlab.platypus import Spacer

from ..ledger.models import Posting
from ..papers.labels import Label, bars
from ..papers.sheet import BOLD, QUIET, TITLE, paper, table, words
from ..web_api.errors import NotFound
from ..web_api.fields import plain
from .models import Sold


def delivery_note(code: str) -> bytes:
    """Return what goes with a delivery as PDF, by the number of its posting."""
    listed = _sold(code)
    first = listed[0]
    lines: list[list[Any]] = [["What", "Code", "lot or serial", "quantity", "", "your line", "still to come"]]  # fmt: skip
    for s in listed:
        item, open_part = s.line.item, s.ordered.open if s.ordered else ZERO
        lines.append([words(item.name), item.code, s.line.lot.code if s.line.lot else "", _short(s.line.quantity), item.unit, s.customer_line, _short(open_part) if open_part else ""])  # fmt: skip
    on = timezone.localtime(first.posting.happened_at)
    sent = [
        words(f"Delivery note {code}", TITLE),
        words(f"To {first.customer.name}, {on:%a %d %b %Y}", BOLD),
        words(first.customer.address or "no address is kept", QUIET),
        words(f"Your order {first.customer_order}" if first.customer_order else "", QUIET),
        Spacer(1, 2 * mm),
        bars(code, 60 * mm),
        Spacer(1, 4 * mm),
        table(lines, [58, 28, 34, 18, 10, 16, 16], numbers=(3, 6)),
    ]
    return paper(f"Delivery note {code}", sent)


def address_label(code: str, of: str) -> Label:
    """Return the label of a delivery's packages: to whom, on which order of his, by the number of its posting."""
    first = _sold(code)[0]
    theirs = f"your order {first.customer_order}" if first.customer_order else ""
    address = first.customer.address.replace("\n", ", ")
    return Label(
        kind="delivery",
        title=first.customer.name,
        lines=[*filter(None, [address, theirs, f"delivery note {code}"])],
        code=code,
    )


def _sold(code: str) -> list[Sold]:
    """Return what left with a delivery, by the number of its posting, or refuse."""
    rows = Sold.objects.none()
    if code.isdecimal() and len(code) < 18:
        rows = Sold.objects.filter(posting=int(code), posting__kind=Posting.Kind.DELIVERY)
    parts = ("customer", "posting", "line__item", "line__lot", "ordered__order")
    listed = list(rows.select_related(*parts).order_by("pk"))
    if not listed:
        raise NotFound("delivery", code)
    return listed


def _short(quantity: Any) -> str:
    return plain(quantity.normalize() + 0)
