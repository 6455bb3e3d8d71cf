"""UBL 2.1 documents that go out: our orders; and, for the simulated supplier, what he answers."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from xml.etree import ElementTree as ET

from poietic_core.quantity import ZERO, money

from ...web_api.fields import plain
from ..models import Purchase, PurchaseLine
from .names import CAC, CBC, CURRENCY, ROOT, UNIT_CODES


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
        _item(line, n)
    return _written(root)


def write_despatch(
    purchase: Purchase,
    number: str,
    dated: date,
    comes_on: date,
    lines: Sequence[tuple[PurchaseLine, Decimal, str]],
) -> bytes:
    """Return a despatch advice as UBL 2.1, as the supplier of an order writes it: line, quantity, his lot."""
    root = _document("DespatchAdvice")
    _put(root, "UBLVersionID", "2.1")
    _put(root, "ID", number)
    _put(root, "IssueDate", str(dated))
    _put(_under(root, "OrderReference"), "ID", str(purchase.number))
    _party(root, "DespatchSupplierParty", purchase.supplier.code, purchase.supplier.name)
    _party(root, "DeliveryCustomerParty", "", "The works")
    shipment = _under(root, "Shipment")
    _put(shipment, "ID", number)
    period = _under(_under(shipment, "Delivery"), "EstimatedDeliveryPeriod")
    _put(period, "EndDate", str(comes_on))
    for at, (n, quantity, lot) in enumerate(lines, 1):
        line = _under(root, "DespatchLine")
        _put(line, "ID", str(at))
        unit = UNIT_CODES.get(n.unit, "ZZ")
        _put(line, "DeliveredQuantity", _plain(quantity), unitCode=unit)
        _put(_under(line, "OrderLineReference"), "LineID", str(n.number))
        item = _item(line, n)
        if lot:
            held = _under(_under(item, "ItemInstance"), "LotIdentification")
            _put(held, "LotNumberID", lot)
    return _written(root)


def _item(line: ET.Element, n: PurchaseLine) -> ET.Element:
    item = _under(line, "Item")
    if n.is_work and n.order:
        _put(item, "Description", f"Operation {n.operation} of order {n.order.number}")
    _put(item, "Name", n.item.name)
    _put(_under(item, "BuyersItemIdentification"), "ID", n.item.code)
    return item


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
    _item(line, n)


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
