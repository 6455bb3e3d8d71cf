"""Bought: blanks that come later than asked, boards all paid, displays dearer than ordered, sheet that is late."""

from datetime import timedelta
from typing import Any

from ..buying.models import Delivery, Purchase
from ..buying.supplier_stand_in import draw
from ..catalog.models import Item
from ..ledger.models import Posting
from .works import Works


def play(works: Works) -> None:
    """Play the scene: three weeks of orders to suppliers, as they stand today."""
    _price_lists(works)
    _past_invoices(works)
    _boards(works)
    _blanks(works)
    _displays(works)
    _sheet(works)
    _coaters(works)
    _tubes_out(works)
    _mirrors_out(works)
    _milling_out(works)
    _by_the_stand_in(works)
    works.at(-1, hour=19)
    _order(works, "PELDUN", [("DP-2", "20", "9.80"), ("BD-7", "25", "34.00")], due=18, send=False)


#: who sells what at the price that stands with the item; packing is still bought of nobody
SOLD = {
    "MARROW": ("PL-18", "EB-02", "BR-12", "BR-14", "MC-150"),
    "PELDUN": ("SC-08", "WS-4"),
    "KETTER": ("LS-50", "MM-150"),
}


def _price_lists(works: Works) -> None:
    works.at(-21)
    for supplier, codes in SOLD.items():
        for item in Item.objects.filter(code__in=codes).order_by("code"):
            row = {"supplier": supplier, "price": str(item.price)}
            works.do("mara", "set-prices", item=item.code, prices=[row])
            works.do("jonas", "change-item", code=item.code, lead_time_days=8)


def _past_invoices(works: Works) -> None:
    """What suppliers did on the orders of the last months was asked for as it was agreed."""
    works.at(-20, hour=6)
    assert works.shop.now is not None
    opened = Delivery.objects.filter(is_open=True, came_at__lt=works.shop.now)
    by_supplier: dict[str, list[dict[str, Any]]] = {}
    for d in opened.select_related("line__purchase__supplier").order_by("pk"):
        line = {"purchase": d.line.purchase.number, "line": d.line.number, "quantity": str(d.quantity), "amount": str(d.value)}  # fmt: skip
        by_supplier.setdefault(d.line.purchase.supplier.code, []).append(line)
    for supplier, lines in by_supplier.items():
        _invoice(works, supplier, f"{supplier[0]}-2209", -22, lines=lines)


def _order(works: Works, supplier: str, lines: list[tuple[str, str, str]], *, due: int, send: bool = True) -> int:  # fmt: skip
    """Order (item, quantity, price) to be there so many days from today, and return its number."""
    day = str(works.today + timedelta(days=due))
    rows = [{"item": i, "quantity": q, "price": p, "comes_on": day, "place": "STORE"} for i, q, p in lines]  # fmt: skip
    works.as_person("jonas")
    made = works.shop.do("draft-purchase", supplier=supplier, lines=rows, send=send).made
    return int(made["purchase"])


def _receive(works: Works, purchase: int, quantity: str, note: str, **more: Any) -> int:
    """Receive of the first line, and return the delivery."""
    line = {"line": 1, "quantity": quantity, **more}
    works.do("piet", "receive-purchase", purchase=purchase, lines=[line], despatch_note=note)
    came = Posting.objects.filter(kind=Posting.Kind.PURCHASE_RECEIPT).latest("pk")
    return int(came.deliveries.get().pk)


def _invoice(works: Works, supplier: str, number: str, day: int, **asked: Any) -> None:
    dated = str(works.today + timedelta(days=day))
    works.do("mara", "post-invoice", supplier=supplier, number=number, dated=dated, **asked)


def _boards(works: Works) -> None:
    """All came, and was asked for as it was ordered."""
    works.at(-20)
    boards = _order(works, "PELDUN", [("BD-7", "30", "34.00")], due=-12)
    works.do("jonas", "confirm-purchase", purchase=boards, their_number="PD 20931")
    works.at(-12, hour=10)
    _receive(works, boards, "30", "PL 7718", lots=[{"lot": "BD-W44", "quantity": "30", "supplier_code": "44-B"}])  # fmt: skip
    works.at(-10, hour=10)
    line = {"purchase": boards, "line": 1, "quantity": "30", "amount": "1020.00"}
    _invoice(works, "PELDUN", "R-88120", -11, lines=[line], total="1020.00")


def _blanks(works: Works) -> None:
    """Half came with two broken ones; the other half is confirmed eight days later than asked."""
    works.at(-19)
    blanks = _order(works, "KETTER", [("BL-200", "48", "58.50")], due=4)
    works.at(-17)
    works.do("jonas", "confirm-purchase", purchase=blanks, their_number="K 55-1180", lines=[{"line": 1, "comes_on": str(works.today + timedelta(days=12))}])  # fmt: skip
    works.at(-5, hour=9)
    came = _receive(works, blanks, "24", "LS 30117", lots=[{"lot": "BL-K12", "quantity": "24", "supplier_code": "K-3502"}])  # fmt: skip
    works.do("piet", "return-to-supplier", delivery=came, quantity="2", lots=[{"lot": "BL-K12", "quantity": "2"}], reason="chipped at the rim")  # fmt: skip


def _displays(works: Works) -> None:
    """Asked 8 % more for than ordered, and the freight came a week later."""
    works.at(-18)
    displays = _order(works, "PELDUN", [("DP-2", "40", "9.80")], due=-9)
    works.at(-9, hour=9)
    came = _receive(works, displays, "40", "PL 7801")
    works.at(-7, hour=11)
    line = {"purchase": displays, "line": 1, "quantity": "40", "amount": "423.36"}
    _invoice(works, "PELDUN", "R-88204", -8, lines=[line])
    works.at(-2, hour=11)
    freight = {"what": "Freight", "amount": "18.40", "deliveries": [{"delivery": came}]}
    _invoice(works, "MARROW", "F-311", -2, costs=[freight])


def _sheet(works: Works) -> None:
    """Promised for three days ago, and not there."""
    works.at(-14)
    sheet = _order(works, "MARROW", [("AL-SH", "12", "26.46")], due=-3)
    works.do("jonas", "confirm-purchase", purchase=sheet, their_number="M-4410")


def _coaters(works: Works) -> None:
    """The aluminizer works four days a week and is a day away; both have an address."""
    works.at(-17, hour=7)
    days = [{"weekday": d, "start": 420, "end": 960} for d in range(4)]
    works.do("jonas", "define-calendar", code="TESSALY", name="Tessaly, Monday to Thursday", zone="Europe/Berlin", shifts=days)  # fmt: skip
    works.do("jonas", "set-supplier-times", supplier="TESSAL", calendar="TESSALY", transport_days="1")  # fmt: skip
    works.do("jonas", "set-supplier-times", supplier="CORRIN", transport_days="0.5")
    for code, address in (("TESSAL", "Gate 4, 18 Bellows Yard\nTessaly"), ("CORRIN", "7 Vale Road\nCorrin"), ("ORLOCK", "112 Lock Street\nOrley")):  # fmt: skip
        works.do("jonas", "change-partner", code=code, address=address)


def _sent_out(works: Works, item: str, quantity: str, *, due: int, note: str) -> tuple[int, int]:
    """Release an order whose work outside is ordered, and return it with that purchase order."""
    order = works.plan(item, quantity, due=due, note=note)
    works.as_person("jonas")
    purchase = int(works.shop.do("release-order", order=order).made["purchases"])
    works.do("jonas", "send-purchase", purchase=purchase)
    return order, purchase


def _tubes_out(works: Works) -> None:
    """Tubes at the powder-coater, who is paid for all that are sent: seven are back, two of them broken."""
    works.at(-16)
    sheet = {"item": "AL-SH", "quantity": "8", "price": "26.46", "place": "STORE"}
    works.do("piet", "receive-material", lines=[sheet])
    order, purchase = _sent_out(works, "TB-150", "12", due=6, note="for the Heron 150 of 340/2")
    works.issue(order, (10, "AL-SH", "7"))
    works.at(-14)
    works.report(order, 10, "12")
    works.at(-12)
    works.report(order, 20, "12")
    works.do("piet", "ship-to-supplier", order=order, operation=30, quantity="12", carrier="Own van", packages=2, weight="19.4")  # fmt: skip
    works.at(-2, hour=10)
    broken = [{"reason": "CHIPPED", "quantity": "2"}]
    works.do("piet", "receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "5", "scrap": broken}], despatch_note="C 2290")  # fmt: skip


def _mirrors_out(works: Works) -> None:
    """Mirrors that should be back from the aluminizer by now, who is paid for good ones."""
    works.at(-15)
    blanks = {"item": "BL-200", "quantity": "8", "price": "63.50", "place": "STORE", "lots": [{"lot": "BL-K11", "quantity": "8"}]}  # fmt: skip
    works.do("piet", "receive-material", lines=[blanks])
    order, purchase = _sent_out(works, "PM-200", "6", due=3, note="for the Heron 200 of 341/1")
    back = {"line": 1, "comes_on": str(works.today - timedelta(days=2))}
    works.do("jonas", "confirm-purchase", purchase=purchase, their_number="T-771", lines=[back])
    own = {"operation": 10, "item": "BL-200", "quantity": "7", "lots": [{"lot": "BL-K11", "quantity": "7"}]}  # fmt: skip
    works.do("piet", "issue-material", order=order, lines=[own])
    works.at(-13)
    works.report(order, 10, "7")
    works.at(-12)
    works.report(order, 20, "7")
    works.at(-11)
    works.report(order, 30, "6", scrap=[{"reason": "CHIPPED", "quantity": "1"}])
    works.do("piet", "ship-to-supplier", order=order, operation=40, quantity="6", carrier="Courier", weight="11.8")  # fmt: skip


def _milling_out(works: Works) -> None:
    """The mill is full: the cells of one order are milled by another, of plate that goes along."""
    works.at(-8)
    order = works.released("MC-150", "20", due=5, note="for the Heron 150 of 340/2")
    works.at(-7)
    works.as_person("jonas")
    out = works.shop.do("send-operation-out", order=order, operation=10, supplier="ORLOCK", price="27.50", payment_basis="good pieces returned", days_out="5", reason="the mill is full until the week after next")  # fmt: skip
    purchase = int(out.made["purchases"])
    works.do("jonas", "send-purchase", purchase=purchase)
    works.at(-6)
    bought = {"item": "AP-20", "quantity": "32.5", "price": "7.10", "place": "STORE"}
    works.do(
        "piet", "receive-material", lines=[bought], reason="plate for the cells milled outside"
    )
    plate = {"item": "AP-20", "quantity": "32.5", "place": "STORE"}
    works.do("piet", "ship-to-supplier", order=order, operation=10, quantity="20", carrier="Own van", weight="33", marks="plate of 20 mm, sawn to blanks", components=[plate])  # fmt: skip
    works.at(-1, hour=8)
    works.do("piet", "receive-purchase", purchase=purchase, lines=[{"line": 1, "quantity": "12"}], despatch_note="O 611")  # fmt: skip


def _by_the_stand_in(works: Works) -> None:
    """A supplier played by the stand-in: he confirms later and fewer, and sends what he confirmed."""
    works.at(-13, hour=15)
    works.do("jonas", "set-stand-in", supplier="PELDUN", late=100, days=4, short=100, missing=10, dearer=100, more=8, seed=7)  # fmt: skip
    number = _order(works, "PELDUN", [("SC-08", "2000", "0.09")], due=-6)
    purchase = Purchase.objects.select_related("supplier").get(number=number)
    said = [{"line": d.line.number, "quantity": str(d.quantity), "comes_on": str(d.comes_on)} for d in draw(purchase)]  # fmt: skip
    works.do("jonas", "confirm-purchase", purchase=number, their_number=f"S-{number}", lines=said)
    works.at(-2, hour=9)
    works.do("piet", "receive-purchase", purchase=number, despatch_note=f"S-{number}-0")
