"""The traveller: the paper that goes with an order through the works."""

from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Image, KeepTogether, Spacer

from ..catalog.models import ItemDocument
from ..papers.labels import bars
from ..papers.sheet import BOLD, QUIET, TITLE, paper, table, words
from ..web_api.errors import NotFound
from ..web_api.fields import plain
from .book import OrderBook

#: pictures of a paper
MOST_PICTURES = 20


def traveller(code: str) -> bytes:
    """Return an order's traveller as PDF: operations with their material, instructions and pictures."""
    if not code.isdecimal() or len(code) > 10:
        raise NotFound("order", code)
    book = OrderBook.read(int(code))
    order = book.order
    quantity = f"{plain(order.quantity.normalize() + 0)} {order.item.unit}"
    parts: list[Any] = [
        words(f"Order {order.number}: {order.item.name} {order.item.code}", TITLE),
        words(f"{quantity}, due {order.due:%a %d %b %Y}{_for(book)}", QUIET),
        Spacer(1, 2 * mm),
        bars(str(order.number), 60 * mm),
        Spacer(1, 4 * mm),
    ]
    if not book.operations:
        parts.append(words("It is not released yet: its operations follow at release."))
    pictures = _pictures(book)
    for o in book.operations:
        head = f"{o.number} {o.name}, at {o.work_center.code}: {plain(o.entering.normalize() + 0)} {order.item.unit} enter"
        rows: list[list[Any]] = [["Material", "Code", "needed", "", "good", "scrap", "who"]]
        for c in book.components([o.number]):
            assert c.item is not None
            rows.append([words(c.item.name), c.item.code, plain(c.need.normalize() + 0), c.unit, "", "", ""])  # fmt: skip
        rows.append([words("Made", BOLD), "", "", "", "_______", "_______", "____________"])
        steps = [words(f"{n}. {s.get('text', '')} {_limits(s)}".strip()) for n, s in enumerate(o.steps, 1)]  # fmt: skip
        shown = [_picture(pictures[s["picture"]]) for s in o.steps if s.get("picture") in pictures]
        parts.append(
            KeepTogether(
                [
                    words(head, BOLD),
                    table(rows, [70, 28, 18, 10, 16, 16, 22], numbers=(2,)),
                    *steps,
                    *(s for s in shown if s),
                    Spacer(1, 5 * mm),
                ]
            )
        )
    return paper(f"Order {order.number}", parts)


def _for(book: OrderBook) -> str:
    order = book.order
    named = (
        f"{order.customer.name} {order.customer_order}".strip() if order.customer else order.note
    )
    return f", for {named}" if named else ""


def _limits(step: dict[str, str]) -> str:
    """Return what a step's gauge has to read."""
    low, high = step.get("lower"), step.get("upper")
    if low is None and high is None:
        return ""
    return f"[{low or ''} to {high or ''} {step.get('unit', '')}] ________".replace("  ", " ")


def _pictures(book: OrderBook) -> dict[str, Any]:
    """Return the pictures that instructions name, of the order's item, by name."""
    named = {s["picture"] for o in book.operations for s in o.steps if s.get("picture")}
    rows = ItemDocument.objects.filter(item=book.order.item_id, name__in=named)
    images = rows.select_related("kept").filter(kept__media_type__startswith="image/")
    return {d.name: d.kept.file for d in images[:MOST_PICTURES]}


def _picture(file: Any) -> Image | None:
    """Return a picture as wide as it may be; None where it can't be read any more."""
    try:
        with file.open() as opened:
            image = Image(opened, lazy=0)
    except OSError:
        return None
    scale = min(1, 90 * mm / image.imageWidth, 60 * mm / image.imageHeight)
    image.drawWidth, image.drawHeight = image.imageWidth * scale, image.imageHeight * scale
    return image
