"""Lines of a UBL document, matched with the purchase order lines that they name."""

from collections.abc import Iterable, Sequence

from ...catalog.models import Partner
from ...catalog.queries import any_of
from ..models import PurchaseLine
from .reading import LineNamed

#: lines of purchase orders, by the orders' numbers and their own
Known = dict[int, dict[int, PurchaseLine]]


def known_lines(named: Iterable[LineNamed]) -> Known:
    """Return the lines of all purchase orders that a document names."""
    numbers = {int(n.purchase) for n in named if _is_number(n.purchase)}
    known: Known = {}
    if numbers:
        rows = PurchaseLine.objects.filter(purchase__number__in=any_of(numbers))
        for row in rows.select_related("purchase__supplier", "item"):
            known.setdefault(row.purchase.number, {})[row.number] = row
    return known


def supplier_of(names: Sequence[str]) -> Partner | None:
    """Return the supplier whose code or name a document gives."""
    partners = Partner.objects.filter(is_supplier=True)
    for given in names:
        if found := partners.filter(code=given).first() or partners.filter(name=given).first():
            return found
    return None


def unknown_supplier(names: Sequence[str]) -> str:
    """Return what is wrong where the document comes from nobody whom we know."""
    named = ", ".join(names) or "nobody"
    return f"supplier: it comes from {named[:120]}, who is no supplier of ours; define him, or choose one"


def match(n: LineNamed, known: Known, supplier: Partner | None) -> tuple[PurchaseLine | None, str]:
    """Return the line that is named, or the only one of the item that is; and why not, "" where it matches."""
    own = known.get(int(n.purchase), {}) if _is_number(n.purchase) else {}
    line = _line_of(n, own)
    return line, _why_not(n, own, line, supplier)


def _is_number(text: str) -> bool:
    return text.isascii() and text.isdecimal() and len(text) < 10


def _line_of(n: LineNamed, own: dict[int, PurchaseLine]) -> PurchaseLine | None:
    """Return the line that is named, or the only one of the item that is."""
    if _is_number(n.of_line):
        return own.get(int(n.of_line))
    of_item = [line for line in own.values() if line.item.code == n.item]
    return of_item[0] if len(of_item) == 1 else None


def _why_not(
    n: LineNamed, own: dict[int, PurchaseLine], line: PurchaseLine | None, supplier: Partner | None
) -> str:
    if not n.purchase:
        return "it names no order of ours; choose what it is for by hand"
    if not own:
        return f"there is no order {n.purchase[:20]} of ours"
    first = next(iter(own.values())).purchase
    if supplier is not None and first.supplier_id != supplier.pk:
        return f"order {first.number} was sent to {first.supplier.name}"
    if line is None:
        return f"order {first.number} has no line {n.of_line[:20] or f'of {n.item[:40]}'}"
    if n.item and n.item != line.item.code:
        return f"line {line.number} of order {first.number} is {line.item.code}, not {n.item[:40]}"
    return ""
