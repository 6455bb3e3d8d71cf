"""Papers that go with units to a supplier: packing list, waybill, address label; and what lies there, to be counted."""

from collections.abc import Sequence
from datetime import date
from typing import Any

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Spacer

from ..catalog.models import Partner
from ..papers.labels import Label, bars
from ..papers.sheet import BOLD, QUIET, TITLE, paper, table, words
from ..web_api.errors import NotFound
from .held import HeldComponent, HeldUnits
from .models import Shipment
from .papers import short


def packing_list(code: str) -> bytes:
    """Return what goes with units to a supplier as PDF."""
    found = shipment_of(code)
    line, order = found.line, found.line.order
    assert order is not None
    operation = order.operations.filter(number=line.operation or 0).first()
    does = operation.name if operation else ""
    listed: list[list[Any]] = [
        ["What", "Code", "quantity", "", "our order", "to be done"],
        [words(line.item.name), line.item.code, short(found.quantity), line.item.unit, f"{order.number} op {line.operation}", words(does)],
    ]  # fmt: skip
    for p in found.parts.select_related("item"):
        what = words(f"{p.item.name}{f', lot {p.lot}' if p.lot else ''}")
        listed.append([what, p.item.code, short(p.quantity), p.item.unit, f"{order.number} op {line.operation}", words("to be built in")])  # fmt: skip
    parts = [
        words(f"Packing list {found.pk}", TITLE),
        words(f"To {line.purchase.supplier.name}, {found.sent_at:%a %d %b %Y}", BOLD),
        words(_references(found), QUIET),
        words(" · ".join(filter(None, [_packages(found), found.carrier, found.note])), QUIET),
        *([words(f"Marked {found.marks}")] if found.marks else []),
        Spacer(1, 2 * mm),
        bars(f"{line.purchase.number}-{line.number}", 60 * mm),
        Spacer(1, 4 * mm),
        table(listed, [58, 30, 20, 12, 28, 32], numbers=(2,)),
        Spacer(1, 4 * mm),
        words(f"Wanted back by {line.comes_on:%a %d %b %Y}. The units stay ours."),
    ]
    return paper(f"Packing list {found.pk}", parts)


def waybill(code: str) -> bytes:
    """Return the paper that the carrier takes along and has signed, as PDF."""
    found = shipment_of(code)
    line, supplier = found.line, found.line.purchase.supplier
    site = line.place.site
    sender = [site.name, site.address] if site else ["The works"]
    parties: list[list[Any]] = [
        ["From", "To", "Carrier"],
        [_party(*sender), _party(supplier.name, supplier.address), words(found.carrier or "–")],
    ]  # fmt: skip
    goods: list[list[Any]] = [
        ["Packages", "Marks", "Goods", "kg"],
        [str(found.packages), words(found.marks or _references(found)), words(f"{short(found.quantity)} {line.item.unit} {line.item.name} {line.item.code}"), short(found.weight) if found.weight else ""],
    ]  # fmt: skip
    signed: list[list[Any]] = [["Handed over", "Taken over", "Received"], ["\n\n\n"] * 3]
    parts: Sequence[Flowable] = [
        words(f"Waybill {found.pk}", TITLE),
        words(f"{found.sent_at:%a %d %b %Y} · {_references(found)}", QUIET),
        Spacer(1, 2 * mm),
        bars(f"{line.purchase.number}-{line.number}", 60 * mm),
        Spacer(1, 4 * mm),
        table(parties, [60, 60, 60]),
        Spacer(1, 4 * mm),
        table(goods, [20, 55, 85, 20], numbers=(3,)),
        Spacer(1, 8 * mm),
        table(signed, [60, 60, 60]),
        words("Date, name and signature; what is missing or damaged is written above."),
    ]
    return paper(f"Waybill {found.pk}", parts)


def address_label(code: str, of: str) -> Label:
    """Return the label of a shipment's packages: to whom, our reference, the customer's."""
    found = shipment_of(code)
    line, order = found.line, found.line.order
    assert order is not None
    customer = f"for {order.customer_order}" if order.customer_order else ""
    address = found.line.purchase.supplier.address.replace("\n", ", ")
    return Label(
        kind="shipment",
        title=line.purchase.supplier.name,
        lines=[*filter(None, [address, f"our order {order.number} {customer}".rstrip(), _packages(found)])],
        code=f"{line.purchase.number}-{line.number}",
    )  # fmt: skip


def statement(
    supplier: Partner, units: Sequence[HeldUnits], parts: Sequence[HeldComponent], day: date
) -> bytes:
    """Return what lies at a supplier as a paper that he counts, corrects and signs."""
    listed: list[list[Any]] = [["What", "Code", "our order", "since", "quantity", "", "counted"]]
    for u in units:
        listed.append([words(f"{u.name}, for {u.does}"), u.item, f"{u.order} op {u.operation}", f"{u.since:%d %b %Y}" if u.since else "", short(u.out), u.unit, ""])  # fmt: skip
    for p in parts:
        listed.append([words(f"{p.name}, to be built in"), p.item, f"{p.order} op {p.operation}", "", short(p.quantity), p.unit, ""])  # fmt: skip
    return paper(
        f"Held by {supplier.name}",
        [
            words(f"What lies at {supplier.name}", TITLE),
            words(f"as we have it on {day:%a %d %b %Y}; please count it, write what differs, sign and send it back", QUIET),
            Spacer(1, 4 * mm),
            table(listed, [60, 30, 28, 22, 18, 10, 12], numbers=(4,)),
            Spacer(1, 10 * mm),
            words("Counted on, name and signature: ______________________________"),
        ],
    )  # fmt: skip


def shipment_of(code: str) -> Shipment:
    """Return a shipment by its number as it is typed; refuse by name."""
    parts = ("line__purchase__supplier", "line__item", "line__order", "line__place__site")
    is_number = code.isascii() and code.isdecimal() and len(code) <= 10
    found = Shipment.objects.select_related(*parts).filter(pk=int(code)).first() if is_number else None  # fmt: skip
    if found is None:
        raise NotFound("shipment", code)
    return found


def _party(name: str, address: str = "") -> list[Flowable]:
    return [words(name, BOLD), *(words(line) for line in address.splitlines())]


def _packages(found: Shipment) -> str:
    weight = f", {short(found.weight)} kg" if found.weight else ""
    return f"{found.packages} package{'s' if found.packages > 1 else ''}{weight}"


def _references(found: Shipment) -> str:
    line, order = found.line, found.line.order
    theirs = f", your number {line.purchase.their_number}" if line.purchase.their_number else ""
    made = f", made as {order.number}" if order else ""
    customer = f" for {order.customer_order}" if order and order.customer_order else ""
    return f"Our order {line.purchase.number} line {line.number}{theirs}{made}{customer}"
