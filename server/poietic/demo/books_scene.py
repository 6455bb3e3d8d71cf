"""The books: kits at what they cost, delivered before their eyepieces were invoiced dearer; months closed, one opened again."""

from datetime import timedelta
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from django.utils import timezone

from ..buying.models import Delivery
from ..engineering.models import WorkCenter
from ..ledger.models import Posting
from ..orders.models import CauseRow
from ..settling.at_month_end import spent_in
from ..settling.models import SpendingKind
from ..settling.months import next_to_close
from .mirror_cell import structure
from .works import Works

#: a month is closed where it ended so many days ago
OLD = 45
#: what work centers really cost, against what they absorbed, by kind
FACTORS = {
    SpendingKind.LABOUR: Decimal("1.035"),
    SpendingKind.MACHINE: Decimal("0.97"),
    SpendingKind.VARIABLE_OVERHEAD: Decimal("1.08"),
    SpendingKind.FIXED_OVERHEAD: Decimal("1.02"),
}
TENS = Decimal(10)


def play(works: Works) -> None:
    """Play the scene: the last month and a half, and the books as they stand today."""
    _define(works)
    eyepieces = _made_and_delivered(works)
    _invoiced_later(works, eyepieces)
    _months(works)
    _followed_up(works)


def _define(works: Works) -> None:
    works.at(-44)
    works.do("jonas", "define-partner", code="TELLER", name="Teller Optics", address="Old Mint 4")
    works.do("jonas", "define-partner", code="STARHUT", name="Starhut shop", is_supplier=False, is_customer=True)  # fmt: skip
    for code, name, price in (("EP-25", "Eyepiece 25 mm", "18.00"), ("CP-4", "Padded case", "6.40"), ("RT-1", "Red torch", "4.10")):  # fmt: skip
        works.do("ines", "define-item", code=code, name=name, unit="pcs", source="buy", price=price)
    for code, name, valuation in (("EK-2", "Eyepiece kit", "moving average"), ("OS-1", "Outing set", "FIFO layers")):  # fmt: skip
        works.do("ines", "define-item", code=code, name=name, unit="pcs", source="make", standard_lot="20", valuation=valuation)  # fmt: skip
    pack = {"number": 10, "name": "Pack", "work_center": "ASSY", "run_labour_hours": "0.05"}
    for code, parts in (("EK-2", (("EP-25", "2"), ("CP-4", "1"))), ("OS-1", (("EK-2", "1"), ("RT-1", "1")))):  # fmt: skip
        works.as_person("ines")
        structure(
            works.shop,
            code,
            [pack],
            [{"item": c, "operation": 10, "quantity": q, "issue_rule": "by hand"} for c, q in parts],
        )  # fmt: skip
    works.do("mara", "freeze-standard", note="kits and sets")


def _made_and_delivered(works: Works) -> int:
    """Buy, pack, deliver; return the delivery of the eyepieces."""
    works.at(-42)
    works.as_person("jonas")
    line = {"item": "EP-25", "quantity": "100", "price": "18.00", "comes_on": str(works.today - timedelta(days=40)), "place": "STORE"}  # fmt: skip
    made = works.shop.do("draft-purchase", supplier="TELLER", lines=[line], send=True).made
    works.at(-40)
    works.do("piet", "receive-purchase", purchase=int(made["purchase"]), lines=[{"line": 1, "quantity": "100"}], despatch_note="TO 118")  # fmt: skip
    came = Posting.objects.filter(kind=Posting.Kind.PURCHASE_RECEIPT).latest("pk")
    rest = [{"item": "CP-4", "quantity": "60", "price": "6.40"}, {"item": "RT-1", "quantity": "20", "price": "4.10"}]  # fmt: skip
    works.do("piet", "receive-material", lines=[r | {"place": "STORE"} for r in rest])
    works.at(-39)
    _packed(works, "EK-2", "30", ("EP-25", "60"), ("CP-4", "30"), hours="1.7")
    works.at(-30)
    _delivered(works, "STARHUT", "4471", "EK-2", "12", "62.00")
    works.at(-26)
    _packed(works, "OS-1", "10", ("EK-2", "10"), ("RT-1", "10"), hours="0.6")
    works.at(-18)
    _delivered(works, "NORDSKY", "335", "OS-1", "6", "74.00")
    return int(came.deliveries.get().pk)


def _packed(works: Works, item: str, quantity: str, *parts: tuple[str, str], hours: str) -> None:
    order = works.released(item, quantity, due=-20)
    works.issue(order, *((10, code, q) for code, q in parts))
    works.report(order, 10, quantity, run_labour_hours=hours, receive=quantity, complete=True)
    works.do("sunil", "close-order", order=order)


def _delivered(works: Works, customer: str, order: str, item: str, quantity: str, price: str) -> None:  # fmt: skip
    line = {"item": item, "quantity": quantity, "price": price, "customer_line": "1"}
    works.do("piet", "deliver", customer=customer, customer_order=order, place="STORE", lines=[line])  # fmt: skip


def _invoiced_later(works: Works, delivery: int) -> None:
    """The eyepieces were dearer than ordered, which the night carries on; the freight still waits."""
    purchase = Delivery.objects.get(pk=delivery).line.purchase.number
    works.at(-6)
    line = {"purchase": purchase, "line": 1, "quantity": "100", "amount": "1950.00"}
    _invoice(works, "2026-771", -8, lines=[line])
    works.at(-5, hour=1)
    works.do("sunil", "carry-late-cost", reason="at night")
    works.at(-2)
    cost = {"what": "Freight", "amount": "60.00", "deliveries": [{"delivery": delivery}]}
    _invoice(works, "2026-779", -3, costs=[cost])


def _invoice(works: Works, number: str, day: int, **asked: Any) -> None:
    dated = str(works.today + timedelta(days=day))
    works.do("mara", "post-invoice", supplier="TELLER", number=number, dated=dated, **asked)


def _months(works: Works) -> None:
    """Close the months that are long over; the last of them was opened again once, for a payroll."""
    month = next_to_close()
    closed = []
    while month and month.ends_at < timezone.now() - timedelta(days=OLD):
        works.shop.now = month.ends_at + timedelta(days=4, hours=8)
        costs = [
            {"work_center": code, "kind": s.kind.value, "amount": f"{amount:f}"}
            for s in spent_in(month)
            for code in [_code(s.work_center)]
            if (amount := ((s.budget or s.absorbed) * FACTORS[s.kind] / TENS).to_integral_value(ROUND_HALF_UP) * TENS) > 0
        ]  # fmt: skip
        if costs:
            works.do("sunil", "enter-actual-cost", month=str(month.first), costs=costs)
        works.do("sunil", "close-period", month=str(month.first))
        closed.append(month)
        month = month.next
    if closed:
        last = closed[-1]
        works.do("mara", "reopen-period", month=str(last.first), reason="overtime of the last week was missing")  # fmt: skip
        extra = {"work_center": "ASSY", "kind": "labour", "amount": "140.00"}
        works.do("sunil", "enter-actual-cost", month=str(last.first), costs=[extra])
        works.do("sunil", "close-period", month=str(last.first), reason="with the overtime")


def _code(center: int) -> str:
    return WorkCenter.objects.get(pk=center).code


def _followed_up(works: Works) -> None:
    """Somebody looks after what the porous plate cost; the night closes what varies little."""
    works.at(-3)
    works.do("sunil", "set-closing-rule", is_on=True, most_variance="60", days=3)
    worst = CauseRow.objects.filter(kind="yield").order_by("-amount", "pk").first()
    if worst:
        works.do("sunil", "follow-up-variance", order=worst.order.number, cause="yield", note="porous plate: the supplier took the lot back, credit is asked for", owner="jonas", look_again_on=str(works.today + timedelta(days=10)))  # fmt: skip
