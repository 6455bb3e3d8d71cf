"""Papers as UBL 2.1 (OASIS): the order that goes out, the invoice that comes in."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import ClassVar
from xml.etree import ElementTree as ET
from xml.parsers import expat

from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO, money

from ..web_api.fields import plain
from .models import Purchase, PurchaseLine

ROOT = "urn:oasis:names:specification:ubl:schema:xsd:"
CAC, CBC = f"{ROOT}CommonAggregateComponents-2", f"{ROOT}CommonBasicComponents-2"
#: of all money here
CURRENCY = "EUR"
#: UN/ECE Recommendation 20, common codes (from memory); a unit of an item's own is ZZ, mutually defined
UNIT_CODES = {"pcs": "C62", "kg": "KGM", "g": "GRM", "t": "TNE", "lb": "LBR", "m": "MTR", "cm": "CMT", "mm": "MMT", "m²": "MTK", "m³": "MTQ", "L": "LTR", "mL": "MLT"}  # fmt: skip
#: documents that are read, by their root: what each line is called, what its quantity is, and whether it gives back
READ = {
    f"{{{ROOT}Invoice-2}}Invoice": ("InvoiceLine", "InvoicedQuantity", False),
    f"{{{ROOT}CreditNote-2}}CreditNote": ("CreditNoteLine", "CreditedQuantity", True),
}
MOST_LINES = 10_000


@dataclass(eq=False)
class NotReadable(DomainError):
    """A file is no XML that is read here."""

    name: str
    why_not: str
    code: ClassVar[str] = "ubl.not_readable"
    what: ClassVar[str] = "{name} can't be read."
    why: ClassVar[str] = "{why_not}"
    fix: ClassVar[str] = "Ask the supplier for the invoice as UBL 2.1, or enter it by hand."


@dataclass(eq=False)
class OtherDocument(DomainError):
    """The XML is another document than a UBL 2.1 invoice or credit note."""

    name: str
    found: str
    code: ClassVar[str] = "ubl.other_document"
    what: ClassVar[str] = "{name} is no invoice."
    why: ClassVar[str] = "Its root is {found}, not Invoice or CreditNote of UBL 2.1."
    fix: ClassVar[str] = "Choose the invoice, or ask the supplier for it as UBL 2.1."


@dataclass(eq=False)
class OtherCurrency(DomainError):
    """An invoice in another currency than the works' own."""

    name: str
    found: str
    code: ClassVar[str] = "ubl.other_currency"
    what: ClassVar[str] = "{name} asks for {found}."
    why: ClassVar[str] = "All money here is EUR; no rate is known."
    fix: ClassVar[str] = "Convert it, and enter it by hand in EUR."


@dataclass(eq=False)
class Lacking(DomainError):
    """An invoice does not say what every invoice has to."""

    name: str
    lacks: str
    code: ClassVar[str] = "ubl.lacking"
    what: ClassVar[str] = "{name} can't be taken in."
    why: ClassVar[str] = "It does not say {lacks}, or not as UBL 2.1 writes it."
    fix: ClassVar[str] = "Ask the supplier for a complete invoice, or enter it by hand."


@dataclass(kw_only=True)
class LineRead:
    """A line as the document says it; purchase order and line as it names them, "" where it does not."""

    line: str
    purchase: str
    of_line: str
    item: str
    quantity: Decimal
    amount: Decimal


@dataclass(kw_only=True)
class InvoiceRead:
    """An invoice as the document says it."""

    number: str
    dated: date
    is_credit: bool
    #: the supplier's codes and names that it gives
    suppliers: list[str]
    total: Decimal
    lines: list[LineRead] = field(default_factory=list)
    #: freight, fees and the like: what for, and how much
    charges: list[tuple[str, Decimal]] = field(default_factory=list)


def read_invoice(name: str, data: bytes) -> InvoiceRead:
    """Return what a UBL 2.1 invoice or credit note says.

    Raises NotReadable (ubl.not_readable), OtherDocument (ubl.other_document), OtherCurrency
    (ubl.other_currency), Lacking (ubl.lacking).
    """
    root = _tree(name, data)
    if root.tag not in READ:
        raise OtherDocument(name, root.tag.replace("{", "").replace("}", " ")[:120])
    each, counted, is_credit = READ[root.tag]
    reader = _Reader(name)
    currencies = {e.get("currencyID", "") for e in root.iter() if "currencyID" in e.attrib}
    currencies.add(reader.text(root, "DocumentCurrencyCode", "its currency"))
    if others := currencies - {CURRENCY}:
        raise OtherCurrency(name, sorted(others)[0][:20])
    party = root.find(f"{{{CAC}}}AccountingSupplierParty/{{{CAC}}}Party")
    own_order = _text(root, "OrderReference", "ID")
    lines = [reader.line(e, counted, own_order) for e in root.findall(f"{{{CAC}}}{each}")]
    if len(lines) > MOST_LINES:
        raise NotReadable(name, f"It has more than {MOST_LINES:,} lines.")
    charges = [
        (_text(e, "AllowanceChargeReason") or "Charge", sign * reader.number(e, "Amount", "the amount of a charge"))
        for e in root.findall(f"{{{CAC}}}AllowanceCharge")
        for sign in (1 if _text(e, "ChargeIndicator") == "true" else -1,)
    ]  # fmt: skip
    totals = root.find(f"{{{CAC}}}LegalMonetaryTotal")
    return InvoiceRead(
        number=reader.text(root, "ID", "its number"),
        dated=reader.day(root),
        is_credit=is_credit,
        suppliers=_names(party),
        total=reader.number(totals, "TaxExclusiveAmount", "its total without tax"),
        lines=lines,
        charges=charges,
    )


def _names(party: ET.Element | None) -> list[str]:
    if party is None:
        return []
    paths = [("PartyIdentification", "ID"), ("PartyName", "Name"), ("EndpointID",)]
    return [found for path in paths if (found := _text(party, *path))]


def _text(e: ET.Element | None, *path: str) -> str:
    """Return the text at the end of a path of aggregates, "" where there is none."""
    if e is None:
        return ""
    steps = [f"{{{CAC}}}{p}" for p in path[:-1]] + [f"{{{CBC}}}{path[-1]}"]
    return (e.findtext("/".join(steps)) or "").strip()


class _Reader:
    """Reads what has to be there, or refuses by what is lacking."""

    def __init__(self, name: str) -> None:
        self._name = name

    def text(self, e: ET.Element, tag: str, what: str) -> str:
        if not (found := _text(e, tag)):
            raise Lacking(self._name, what)
        return found

    def number(self, e: ET.Element | None, tag: str, what: str) -> Decimal:
        try:
            found = Decimal(_text(e, tag))
        except InvalidOperation:
            raise Lacking(self._name, what) from None
        if not found.is_finite() or found.adjusted() > 12:
            raise Lacking(self._name, what)
        return found

    def day(self, e: ET.Element) -> date:
        try:
            return date.fromisoformat(_text(e, "IssueDate"))
        except ValueError:
            raise Lacking(self._name, "the day it was issued") from None

    def line(self, e: ET.Element, counted: str, order: str) -> LineRead:
        number = self.text(e, "ID", "the number of a line")
        purchase = _text(e, "OrderLineReference", "OrderReference", "ID") or order
        items = (
            _text(e, "Item", f"{who}ItemIdentification", "ID") for who in ("Buyers", "Sellers")
        )
        return LineRead(
            line=number,
            purchase=purchase,
            of_line=_text(e, "OrderLineReference", "LineID"),
            item=next((i for i in items if i), ""),
            quantity=self.number(e, counted, f"the quantity of line {number}"),
            amount=self.number(e, "LineExtensionAmount", f"the amount of line {number}"),
        )


def _tree(name: str, data: bytes) -> ET.Element:
    """Return the tree of an XML file; what declares a document type is refused, so no entity is read."""
    builder = ET.TreeBuilder()
    parser = expat.ParserCreate(None, "}")

    def refuse(*_: object) -> None:
        raise NotReadable(name, "It declares a document type, which no invoice needs.")

    def named(tag: str) -> str:
        return "{" + tag if "}" in tag else tag

    parser.StartElementHandler = lambda tag, given: builder.start(named(tag), given)
    parser.EndElementHandler = lambda tag: builder.end(named(tag))
    parser.CharacterDataHandler = builder.data
    parser.StartDoctypeDeclHandler = refuse
    try:
        parser.Parse(data, True)
        return builder.close()
    except expat.ExpatError as err:
        raise NotReadable(name, f"It is no XML: {err}.") from err


def write_order(purchase: Purchase) -> bytes:
    """Return an order to a supplier as a UBL 2.1 Order."""
    root = _document("Order")
    _put(root, "UBLVersionID", "2.1")
    _put(root, "ID", str(purchase.number))
    _put(root, "IssueDate", str(purchase.ordered_on or purchase.drafted_at.date()))
    if purchase.note:
        _put(root, "Note", purchase.note)
    _put(root, "DocumentCurrencyCode", CURRENCY)
    _party(root, "BuyerCustomerParty", "", "The works")
    _party(root, "SellerSupplierParty", purchase.supplier.code, purchase.supplier.name)
    lines = PurchaseLine.objects.filter(purchase=purchase).select_related("item", "order")
    listed = list(lines.order_by("number"))
    amounts = [money(n.quantity * n.price) for n in listed]
    total = _under(root, "AnticipatedMonetaryTotal")
    for tag in ("LineExtensionAmount", "PayableAmount"):
        _put(total, tag, plain(sum(amounts, ZERO)), currencyID=CURRENCY)
    for n, amount in zip(listed, amounts, strict=True):
        _order_line(root, n, amount)
    return _written(root)


def write_invoice(
    purchase: Purchase,
    number: str,
    dated: date,
    lines: Sequence[tuple[PurchaseLine, Decimal, Decimal]],
) -> bytes:
    """Return an invoice as UBL 2.1, as the supplier of an order writes it: line, quantity, amount."""
    root = _document("Invoice")
    _put(root, "UBLVersionID", "2.1")
    _put(root, "ID", number)
    _put(root, "IssueDate", str(dated))
    _put(root, "InvoiceTypeCode", "380")  # commercial invoice, UNCL 1001
    _put(root, "DocumentCurrencyCode", CURRENCY)
    _put(_under(root, "OrderReference"), "ID", str(purchase.number))
    _party(root, "AccountingSupplierParty", purchase.supplier.code, purchase.supplier.name)
    _party(root, "AccountingCustomerParty", "", "The works")
    total = _under(root, "LegalMonetaryTotal")
    whole = sum((amount for _, _, amount in lines), ZERO)
    for tag in ("LineExtensionAmount", "TaxExclusiveAmount", "PayableAmount"):
        _put(total, tag, plain(whole), currencyID=CURRENCY)
    for at, (n, quantity, amount) in enumerate(lines, 1):
        line = _under(root, "InvoiceLine")
        _put(line, "ID", str(at))
        _put(line, "InvoicedQuantity", _plain(quantity), unitCode=UNIT_CODES.get(n.unit, "ZZ"))
        _put(line, "LineExtensionAmount", plain(amount), currencyID=CURRENCY)
        _put(_under(line, "OrderLineReference"), "LineID", str(n.number))
        item = _under(line, "Item")
        _put(item, "Name", n.item.name)
        _put(_under(item, "BuyersItemIdentification"), "ID", n.item.code)
    return _written(root)


def _document(kind: str) -> ET.Element:
    for prefix, space in (("", f"{ROOT}{kind}-2"), ("cac", CAC), ("cbc", CBC)):
        ET.register_namespace(prefix, space)
    return ET.Element(f"{{{ROOT}{kind}-2}}{kind}")


def _written(root: ET.Element) -> bytes:
    ET.indent(root)
    written: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return written


def _order_line(root: ET.Element, n: PurchaseLine, amount: Decimal) -> None:
    line = _under(_under(root, "OrderLine"), "LineItem")
    _put(line, "ID", str(n.number))
    _put(line, "Quantity", _plain(n.quantity), unitCode=UNIT_CODES.get(n.unit, "ZZ"))
    _put(line, "LineExtensionAmount", plain(amount), currencyID=CURRENCY)
    period = _under(_under(line, "Delivery"), "RequestedDeliveryPeriod")
    _put(period, "EndDate", str(n.comes_on))
    _put(_under(line, "Price"), "PriceAmount", _plain(n.price), currencyID=CURRENCY)
    item = _under(line, "Item")
    if n.is_work and n.order:
        _put(item, "Description", f"Operation {n.operation} of order {n.order.number}")
    _put(item, "Name", n.item.name)
    _put(_under(item, "BuyersItemIdentification"), "ID", n.item.code)


def _party(root: ET.Element, tag: str, code: str, name: str) -> None:
    party = _under(_under(root, tag), "Party")
    if code:
        _put(_under(party, "PartyIdentification"), "ID", code)
    _put(_under(party, "PartyName"), "Name", name)


def _under(e: ET.Element, tag: str) -> ET.Element:
    return ET.SubElement(e, f"{{{CAC}}}{tag}")


def _put(e: ET.Element, tag: str, text: str, **attributes: str) -> None:
    ET.SubElement(e, f"{{{CBC}}}{tag}", attributes).text = text


def _plain(value: Decimal) -> str:
    return plain(value.normalize() + 0)
