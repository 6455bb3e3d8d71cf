"""Papers over HTTP: an order as PDF and UBL 2.1, an invoice read and matched without being posted."""

from datetime import date
from decimal import Decimal

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, UploadedFile
from poietic_core.quantity import ZERO

from ..catalog.models import Partner
from ..catalog.queries import any_of
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..commanding.registry import COMMANDS
from ..commanding.run import require_role
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .models import Purchase, PurchaseLine
from .papers import purchase_order
from .ubl import InvoiceRead, LineRead, NotReadable, read_invoice, write_order

router = Router(tags=["buying"])
#: of one file
MOST_BYTES = 5_000_000


class LineMatched(Answer):
    """A line of an invoice: what it asks for, or why that is not known, and what would be."""

    line: str
    purchase: int | None
    of_line: int | None
    item: str
    quantity: DecimalText
    amount: DecimalText
    #: "" where it matches
    why_not: str


class ChargeRead(Answer):
    """A charge or allowance beside the lines."""

    what: str
    amount: DecimalText


class InvoiceMatched(Answer):
    """An invoice as it was read; it is posted by the command for it."""

    number: str
    dated: date
    is_credit: bool
    supplier: str
    total: DecimalText
    lines: list[LineMatched]
    charges: list[ChargeRead]
    #: what of it can't be posted as it is; empty: all of it can
    faults: list[str]


@router.get("/purchases/{number}/order.xml", auth=READ_COSTS, response={404: Problem})
def order_as_ubl(request: HttpRequest, number: int) -> HttpResponse:
    """Return an order to a supplier as a UBL 2.1 Order."""
    answer = HttpResponse(write_order(_numbered(number)), content_type="application/xml")
    answer["Content-Disposition"] = f'attachment; filename="order-{number}.xml"'
    return answer


@router.get("/purchases/{number}/order.pdf", auth=READ_COSTS, response={404: Problem})
def order_as_paper(request: HttpRequest, number: int) -> HttpResponse:
    """Return an order to a supplier as it is printed."""
    return HttpResponse(purchase_order(_numbered(number)), content_type="application/pdf")


def _numbered(number: int) -> Purchase:
    found = Purchase.objects.select_related("supplier").filter(number=number).first()
    if found is None:
        raise NotFound("purchase order", str(number))
    return found


@router.post("/invoices/read", response={200: InvoiceMatched, 403: Problem, 422: Problem})
def read(request: HttpRequest, file: File[UploadedFile]) -> InvoiceMatched:
    """Return what a UBL 2.1 invoice or credit note asks for, matched with what was ordered; nothing is posted."""
    require_role(COMMANDS["post-invoice"], request.user)  # type: ignore[arg-type]
    name = (file.name or "The file")[:80]
    if (file.size or 0) > MOST_BYTES:
        raise NotReadable(name, f"It is larger than {MOST_BYTES / 1e6:,.0f} MB.")
    said = read_invoice(name, file.read())
    supplier = _supplier(said)
    lines = _matched(said.lines, supplier)
    return InvoiceMatched(
        number=said.number[:40],
        dated=said.dated,
        is_credit=said.is_credit,
        supplier=supplier.code if supplier else "",
        total=said.total,
        lines=lines,
        charges=[ChargeRead(what=what[:120], amount=amount) for what, amount in said.charges],
        faults=_faults(said, supplier, lines),
    )


def _supplier(said: InvoiceRead) -> Partner | None:
    """Return the supplier whose code or name the invoice gives."""
    partners = Partner.objects.filter(is_supplier=True)
    for given in said.suppliers:
        if found := partners.filter(code=given).first() or partners.filter(name=given).first():
            return found
    return None


def _matched(lines: list[LineRead], supplier: Partner | None) -> list[LineMatched]:
    numbers = {int(n.purchase) for n in lines if _is_number(n.purchase)}
    rows = PurchaseLine.objects.filter(purchase__number__in=any_of(numbers)) if numbers else PurchaseLine.objects.none()  # fmt: skip
    known: dict[int, dict[int, PurchaseLine]] = {}
    for row in rows.select_related("purchase__supplier", "item"):
        known.setdefault(row.purchase.number, {})[row.number] = row
    found = []
    for n in lines:
        own = known.get(int(n.purchase), {}) if _is_number(n.purchase) else {}
        line = _line_of(n, own)
        why = _why_not(n, own, line, supplier)
        found.append(
            LineMatched(
                line=n.line[:20],
                purchase=line.purchase.number if line else None,
                of_line=line.number if line else None,
                item=line.item.code if line else n.item[:80],
                quantity=n.quantity,
                amount=n.amount,
                why_not=why,
            )
        )
    return found


def _is_number(text: str) -> bool:
    return text.isascii() and text.isdecimal() and len(text) < 10


def _line_of(n: LineRead, own: dict[int, PurchaseLine]) -> PurchaseLine | None:
    """Return the line that is named, or the only one of the item that is."""
    if _is_number(n.of_line):
        return own.get(int(n.of_line))
    of_item = [line for line in own.values() if line.item.code == n.item]
    return of_item[0] if len(of_item) == 1 else None


def _why_not(
    n: LineRead, own: dict[int, PurchaseLine], line: PurchaseLine | None, supplier: Partner | None
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
    open_: Decimal = (line.received - line.returned - line.invoiced) / line.per_unit
    if n.quantity > abs(open_):
        return f"{n.quantity.normalize():f} {line.unit} are asked for, {open_.normalize():f} have come and are not invoiced"
    return ""


def _faults(said: InvoiceRead, supplier: Partner | None, lines: list[LineMatched]) -> list[str]:
    faults = []
    if supplier is None:
        named = ", ".join(said.suppliers) or "nobody"
        faults.append(f"supplier: it comes from {named[:120]}, who is no supplier of ours; define him, or choose one")  # fmt: skip
    faults += [f"line {n.line}: {n.why_not}" for n in lines if n.why_not]
    whole = sum((n.amount for n in lines), ZERO) + sum((a for _, a in said.charges), ZERO)
    if whole != said.total:
        faults.append(f"total: lines and charges add up to {whole}, it asks for {said.total}")
    return faults
