"""Papers over HTTP: an order as PDF and UBL 2.1, an invoice read and matched without being posted."""

from datetime import date

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, UploadedFile
from poietic_core.quantity import ONE, ZERO

from ..catalog.models import Partner
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..commanding.registry import COMMANDS
from ..commanding.run import require_role
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .models import Purchase, PurchaseLine
from .papers import purchase_order
from .ubl.matching import known_lines, match, supplier_of, unknown_supplier
from .ubl.reading import (
    InvoiceRead,
    LineRead,
    LineSent,
    NotReadable,
    read_despatch,
    read_invoice,
)
from .ubl.writing import write_order

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


class LotDespatched(Answer):
    """A lot or a serial on its way, in the stock unit."""

    lot: str
    quantity: DecimalText
    supplier_code: str
    expires_on: date | None


class LineDespatched(Answer):
    """What is on its way of a line, in its unit; lots in the stock unit."""

    purchase: int
    line: int
    item: str
    quantity: DecimalText
    lots: list[LotDespatched]


class DespatchMatched(Answer):
    """A despatch advice as it was read; it is received by the command for it."""

    number: str
    dated: date
    supplier: str
    comes_on: date | None
    lines: list[LineDespatched]
    #: what of it names nothing that is to come, and why
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


def _taken(file: UploadedFile) -> tuple[str, bytes]:
    """Return the name and the content of a file, or refuse one that is too large."""
    name = (file.name or "The file")[:80]
    if (file.size or 0) > MOST_BYTES:
        raise NotReadable(name, f"It is larger than {MOST_BYTES / 1e6:,.0f} MB.")
    return name, file.read()


@router.post("/despatches/read", response={200: DespatchMatched, 403: Problem, 422: Problem})
def read_sent(request: HttpRequest, file: File[UploadedFile]) -> DespatchMatched:
    """Return what a UBL 2.1 despatch advice says is on its way, matched with what was ordered."""
    require_role(COMMANDS["receive-purchase"], request.user)  # type: ignore[arg-type]
    said = read_despatch(*_taken(file))
    supplier = supplier_of(said.suppliers)
    known = known_lines(said.lines)
    faults = [] if supplier else [unknown_supplier(said.suppliers)]
    found: dict[int, LineDespatched] = {}
    for n in said.lines:
        line, why = match(n, known, supplier)
        if line and not why:
            why = _add_sent(found, n, line)
        if why:
            faults.append(f"line {n.line[:20]}: {why}")
    return DespatchMatched(
        number=said.number[:40],
        dated=said.dated,
        supplier=supplier.code if supplier else "",
        comes_on=said.comes_on,
        lines=list(found.values()),
        faults=faults,
    )


def _add_sent(found: dict[int, LineDespatched], n: LineSent, line: PurchaseLine) -> str:
    """Add what is sent to what is known of its line; returns why not, "" where it matches."""
    there = found.get(line.pk)
    whole = n.quantity + (there.quantity if there else ZERO)
    if whole * line.per_unit > line.coming:
        left = (line.coming / line.per_unit).normalize()
        return f"{whole.normalize():f} {line.unit} are on their way, {left:f} are still to come"
    if len(n.lots) > 1 and not all(lot.is_serial for lot in n.lots):
        return "it names several lots and not how much of each; enter them by hand"
    lots = [
        LotDespatched(
            lot=lot.code,
            quantity=ONE if lot.is_serial else n.quantity * line.per_unit,
            supplier_code=lot.code,
            expires_on=lot.expires_on,
        )
        for lot in n.lots
    ]
    found[line.pk] = LineDespatched(
        purchase=line.purchase.number,
        line=line.number,
        item=line.item.code,
        quantity=whole,
        lots=[*(there.lots if there else ()), *lots],
    )
    return ""


@router.post("/invoices/read", response={200: InvoiceMatched, 403: Problem, 422: Problem})
def read(request: HttpRequest, file: File[UploadedFile]) -> InvoiceMatched:
    """Return what a UBL 2.1 invoice or credit note asks for, matched with what was ordered; nothing is posted."""
    require_role(COMMANDS["post-invoice"], request.user)  # type: ignore[arg-type]
    said = read_invoice(*_taken(file))
    supplier = supplier_of(said.suppliers)
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


def _matched(lines: list[LineRead], supplier: Partner | None) -> list[LineMatched]:
    known = known_lines(lines)
    found = []
    for n in lines:
        line, why = match(n, known, supplier)
        if line and not why:
            open_ = (line.received - line.returned - line.invoiced) / line.per_unit
            if n.quantity > abs(open_):
                why = f"{n.quantity.normalize():f} {line.unit} are asked for, {open_.normalize():f} have come and are not invoiced"
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


def _faults(said: InvoiceRead, supplier: Partner | None, lines: list[LineMatched]) -> list[str]:
    faults = []
    if supplier is None:
        faults.append(unknown_supplier(said.suppliers))
    faults += [f"line {n.line}: {n.why_not}" for n in lines if n.why_not]
    whole = sum((n.amount for n in lines), ZERO) + sum((a for _, a in said.charges), ZERO)
    if whole != said.total:
        faults.append(f"total: lines and charges add up to {whole}, it asks for {said.total}")
    return faults
