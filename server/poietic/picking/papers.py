"""A pick list on paper."""

from reportlab.lib.units import mm
from reportlab.platypus import Spacer

from ..papers.labels import bars
from ..papers.sheet import QUIET, TITLE, paper, table, words
from ..web_api.errors import NotFound
from .api import LINES
from .models import PickList


def pick_list_paper(code: str) -> bytes:
    """Return a pick list as PDF, in walking order, with room to write what was taken."""
    found = PickList.objects.filter(pk=int(code)).first() if code.isdecimal() and len(code) < 19 else None  # fmt: skip
    if found is None:
        raise NotFound("pick list", code)
    rows = [["Place", "What", "Lot", "take", "", "for order", "to", "taken"]]
    for n in LINES.filter(pick_list=found):
        lot = n.lot.code if n.lot else ""
        left = n.quantity - n.picked
        rows.append(
            [
                bars(n.place.scan_code, 24 * mm),
                words(f"{n.item.code} {n.item.name}"),
                lot,
                f"{left.normalize() + 0:f}",
                n.item.unit,
                f"{n.order.number} op {n.input.operation}",
                n.target.code,
                "________",
            ]
        )
    return paper(
        f"Pick list {found.pk}",
        [
            words(f"Pick list {found.pk} for {found.words}", TITLE),
            words(f"made {found.made_at:%d %b %Y %H:%M} UTC", QUIET),
            Spacer(1, 4 * mm),
            table(rows, [30, 60, 24, 14, 8, 18, 14, 16], numbers=(3,)),
        ],
    )
