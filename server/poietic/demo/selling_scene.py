"""Six weeks ahead: what observatories and shops ordered, an offer of telescopes with two finders, a forecast, the plan and a what-if."""

from datetime import date, timedelta
from typing import Any

from ..catalog.models import Item
from . import heron
from .works import Works

#: working days from ordering or beginning to having; of what is made, all operations of one order
LEADS = {"HT-200": 5, "HT-150": 5, "RB-200": 4, "RB-150": 4, "MA-200": 5, "MC-150": 5, "SP-200": 4, "PM-200": 15, "HC-1": 4, "FO-80": 4, "CS-01": 3}  # fmt: skip
#: how planning sizes what it buys and makes
RULES: dict[str, dict[str, Any]] = {
    "CS-01": {"lot_rule": "days of supply", "lot_days": 10},
    "FO-80": {"lot_rule": "fixed lot", "lot_multiple": "10"},
    "PAD-3": {"lot_rule": "economic order quantity"},
    "MA-200": {"safety_stock": "4"},
}
#: who sells what goes with every telescope, at the price that is known of it
PACKERS = ("CT-20", "FM-20", "MN-1", "FN-30", "PT-01", "CB-03")

#: who wants what: customer, their number, days from today, item, quantity
ORDERED = (
    ("ORMSBY", "4410", 16, "HT-200", "4"),
    ("ELLERB", "77-3", 20, "HT-150", "6"),
    ("NORDSKY", "N 12", 24, "HT-200", "2"),
    ("STARHUT", "S-118", 27, "EK-2", "10"),
    ("ORMSBY", "4415", 33, "HT-150", "3"),
    ("ELLERB", "77-9", 38, "HT-200", "5"),
    ("STARHUT", "S-121", 41, "OS-1", "8"),
)

#: what is asked for items without a list price
AGREED = {"EK-2": {"price": "62.00"}, "OS-1": {"price": "79.00"}}


def play(works: Works) -> None:
    """Play the scene: all of it entered in the last days, and planned today."""
    _policies(works)
    _ordered(works)
    works.at(0)
    works.do("jonas", "run-plan", horizon=90)
    works.do("jonas", "try-plan", demand="200")
    back = _weekday(works.today + timedelta(days=21))
    works.do("jonas", "try-plan", supplier="MARROW", back_on=back.isoformat())


def _policies(works: Works) -> None:
    works.at(-6)
    known = set(Item.objects.values_list("code", flat=True))
    for code, days in LEADS.items():
        if code in known:
            works.do("jonas", "change-item", code=code, lead_time_days=days)
    for code, rule in RULES.items():
        works.do("jonas", "change-item", code=code, **rule)
    works.do("jonas", "define-partner", code="MARL", name="Marl Street Supplies", address="Marl Street 12", is_supplier=True)  # fmt: skip
    for item in Item.objects.filter(code__in=PACKERS, source=Item.Source.BUY):
        works.do("jonas", "set-prices", item=item.code, prices=[{"supplier": "MARL", "price": str(item.price)}])  # fmt: skip
        works.do("jonas", "change-item", code=item.code, lead_time_days=4)
    for code in ("HT-200", "HT-150"):
        works.do("ines", "change-item", code=code, item_group="TELESCOPES")


def _ordered(works: Works) -> None:
    works.at(-5)
    for customer, number, days, item, quantity in ORDERED:
        wanted = _weekday(works.today + timedelta(days=days)).isoformat()
        line = {"item": item, "quantity": quantity, "wanted_on": wanted} | AGREED.get(item, {})
        works.do("jonas", "enter-customer-order", customer=customer, their_number=number, lines=[line])  # fmt: skip
    offered = {"item": "HT-200", "quantity": "12", "wanted_on": _weekday(works.today + timedelta(days=55)).isoformat()}  # fmt: skip
    club = works.do("jonas", "enter-customer-order", customer="NORDSKY", their_number="club order", lines=[offered], is_offer=True)  # fmt: skip
    theirs: dict[str, Any] = {"customer_order": int(club.made["customer order"]), "line": 1}
    own = works.do("ines", "draft-line-structure", **theirs).made["structure"]
    works.do("ines", "draft-structure", item="HT-200", letter=own, operations=heron.OPERATIONS, components=heron.components(finders="2"))  # fmt: skip
    works.do("ines", "approve-line-structure", **theirs)
    shares = [{"item": "HT-200", "share": "0.6"}, {"item": "HT-150", "share": "0.4"}]
    first = works.today + timedelta(days=28)
    for n, quantity in enumerate(("20", "25")):
        since = first + timedelta(days=28 * n)
        foreseen = {"item_group": "TELESCOPES", "shares": shares, "first_day": since.isoformat(), "last_day": (since + timedelta(days=27)).isoformat(), "quantity": quantity}  # fmt: skip
        works.do("jonas", "enter-forecast", forecasts=[foreseen])


def _weekday(day: date) -> date:
    """Return a day, or the Monday after it."""
    return day + timedelta(days=max(0, 7 - day.weekday())) if day.weekday() > 4 else day
