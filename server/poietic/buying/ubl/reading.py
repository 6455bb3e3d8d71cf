"""UBL 2.1 documents that come in: invoices, credit notes, despatch advices."""

from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any, ClassVar
from xml.etree import ElementTree as ET
from xml.parsers import expat

from poietic_core.errors import DomainError

from .names import CAC, CBC, CURRENCY, ROOT

#: invoices that are read, by their root: what each line is called, what its quantity is, and whether it gives back
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
    fix: ClassVar[str] = "Ask the supplier for it as UBL 2.1, or enter it by hand."


@dataclass(eq=False)
class OtherDocument(DomainError):
    """The XML is another document than what is read here."""

    name: str
    wanted: str
    found: str
    code: ClassVar[str] = "ubl.other_document"
    what: ClassVar[str] = "{name} is no {wanted}."
    why: ClassVar[str] = "Its root is {found}, which is not that of UBL 2.1."
    fix: ClassVar[str] = "Choose the {wanted}, or ask the supplier for it as UBL 2.1."


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
    """A document does not say what every one of its kind has to."""

    name: str
    lacks: str
    code: ClassVar[str] = "ubl.lacking"
    what: ClassVar[str] = "{name} can't be taken in."
    why: ClassVar[str] = "It does not say {lacks}, or not as UBL 2.1 writes it."
    fix: ClassVar[str] = "Ask the supplier for a complete one, or enter it by hand."


@dataclass(kw_only=True)
class LineNamed:
    """A line as the document says it; purchase order and line as it names them, "" where it does not."""

    line: str
    purchase: str
    of_line: str
    item: str
    quantity: Decimal


@dataclass(kw_only=True)
class LineRead(LineNamed):
    """A line of an invoice: what it asks for."""

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


@dataclass(kw_only=True)
class LotRead:
    """A lot or a serial that is sent; of several on a line the quantity is not said."""

    code: str
    expires_on: date | None
    is_serial: bool


@dataclass(kw_only=True)
class LineSent(LineNamed):
    """A line of a despatch advice."""

    lots: list[LotRead] = field(default_factory=list)


@dataclass(kw_only=True)
class DespatchRead:
    """A despatch advice as the document says it."""

    number: str
    dated: date
    suppliers: list[str]
    #: when it is to arrive
    comes_on: date | None
    lines: list[LineSent] = field(default_factory=list)


def read_despatch(name: str, data: bytes) -> DespatchRead:
    """Return what a UBL 2.1 despatch advice says.

    Raises NotReadable (ubl.not_readable), OtherDocument (ubl.other_document), Lacking (ubl.lacking).
    """
    root = _tree(name, data)
    if root.tag != f"{{{ROOT}DespatchAdvice-2}}DespatchAdvice":
        raise OtherDocument(name, "despatch advice", _plain_tag(root))
    reader = _Reader(name)
    own_order = _text(root, "OrderReference", "ID")
    lines = root.findall(f"{{{CAC}}}DespatchLine")
    if len(lines) > MOST_LINES:
        raise NotReadable(name, f"It has more than {MOST_LINES:,} lines.")
    party = root.find(f"{{{CAC}}}DespatchSupplierParty/{{{CAC}}}Party")
    period = root.find(f"{{{CAC}}}Shipment/{{{CAC}}}Delivery/{{{CAC}}}EstimatedDeliveryPeriod")
    return DespatchRead(
        number=reader.text(root, "ID", "its number"),
        dated=reader.day(root),
        suppliers=_names(party),
        comes_on=reader.day_or_none(period, "EndDate", "the day it arrives"),
        lines=[reader.sent(e, own_order) for e in lines],
    )


def _plain_tag(root: ET.Element) -> str:
    return root.tag.replace("{", "").replace("}", " ")[:120]


def read_invoice(name: str, data: bytes) -> InvoiceRead:
    """Return what a UBL 2.1 invoice or credit note says.

    Raises NotReadable (ubl.not_readable), OtherDocument (ubl.other_document), OtherCurrency
    (ubl.other_currency), Lacking (ubl.lacking).
    """
    root = _tree(name, data)
    if root.tag not in READ:
        raise OtherDocument(name, "invoice", _plain_tag(root))
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

    def day_or_none(self, e: ET.Element | None, tag: str, what: str) -> date | None:
        if not (found := _text(e, tag)):
            return None
        try:
            return date.fromisoformat(found)
        except ValueError:
            raise Lacking(self._name, what) from None

    def line(self, e: ET.Element, counted: str, order: str) -> LineRead:
        number = self.text(e, "ID", "the number of a line")
        return LineRead(
            **self._named(e, number, counted, order),
            amount=self.number(e, "LineExtensionAmount", f"the amount of line {number}"),
        )

    def sent(self, e: ET.Element, order: str) -> LineSent:
        number = self.text(e, "ID", "the number of a line")
        lots = []
        for one in e.findall(f"{{{CAC}}}Item/{{{CAC}}}ItemInstance"):
            serial = _text(one, "SerialID")
            lot = one.find(f"{{{CAC}}}LotIdentification")
            if code := serial or _text(lot, "LotNumberID"):
                expires = self.day_or_none(lot, "ExpiryDate", f"the last day of {code[:40]}")
                lots.append(LotRead(code=code[:80], expires_on=expires, is_serial=bool(serial)))
        return LineSent(**self._named(e, number, "DeliveredQuantity", order), lots=lots)

    def _named(self, e: ET.Element, number: str, counted: str, order: str) -> dict[str, Any]:
        items = (
            _text(e, "Item", f"{who}ItemIdentification", "ID") for who in ("Buyers", "Sellers")
        )
        return {
            "line": number,
            "purchase": _text(e, "OrderLineReference", "OrderReference", "ID") or order,
            "of_line": _text(e, "OrderLineReference", "LineID"),
            "item": next((i for i in items if i), ""),
            "quantity": self.number(e, counted, f"the quantity of line {number}"),
        }


def _tree(name: str, data: bytes) -> ET.Element:
    """Return the tree of an XML file; what declares a document type is refused, so no entity is read."""
    builder = ET.TreeBuilder()
    parser = expat.ParserCreate(None, "}")

    def refuse(*_: object) -> None:
        raise NotReadable(name, "It declares a document type, which no paper needs.")

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
