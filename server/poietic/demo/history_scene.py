"""Three months of finished orders, each with its story: dearer metal, a bad lot, a long set-up, another bearing, rework.

What a run takes is bought for it, and what it makes is booked out in the end, so that the shop of
today begins with empty shelves.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import ROUND_UP, Decimal

from poietic_core.cost.model import TIME_ELEMENT

from ..ledger.models import StockBalance
from ..orders.models import OrderInput, OrderOperation
from . import product_family
from .works import Works

#: the number of the first order that the present is about
FIRST_OF_TODAY = 1001
HUNDREDTH, TENTH = Decimal("0.01"), Decimal("0.1")
#: the day from which the present is told
LAST = -24
#: of what falls, what is swept up and weighed
SWARF = Decimal("0.98")


@dataclass(frozen=True)
class Run:
    """One order that was made: what, when, how many, and what was not as the standard has it."""

    item: str
    #: counted from today
    day: int
    quantity: int
    note: str = ""
    #: price of a bought item where it is not the standard's
    prices: Mapping[str, str] = field(default_factory=dict)
    #: used of a component, as a multiple of the need
    used: Mapping[str, str] = field(default_factory=dict)
    #: hours of operations, as a multiple of the standard
    pace: Mapping[int, str] = field(default_factory=dict)
    #: hours of setting up, as a multiple of the standard
    set_up: Mapping[int, str] = field(default_factory=dict)
    #: lost at operations, and why
    lost: Mapping[int, tuple[str, int]] = field(default_factory=dict)
    #: set aside at operations and made good, in so many hours
    reworked: Mapping[int, tuple[int, str]] = field(default_factory=dict)
    #: another item for a component, and how much of it for one
    instead: tuple[int, str, str] | None = None
    #: an operation done at another work center
    moved: tuple[int, str] | None = None
    #: hours of overtime at an operation, which the order caused
    overtime: Mapping[int, str] = field(default_factory=dict)
    #: a fee, and what for
    fee: tuple[int, str, str] | None = None
    #: made firm so many days before, by the revision that was in force then
    firm_before: int = 0


#: why pieces of an item are lost where nothing else is said
USUAL = {"MA-200": "POROSITY", "MC-150": "POROSITY", "SP-200": "DRILLED", "RB-200": "CHIPPED", "RB-150": "CHIPPED", "PM-200": "CHIPPED", "HC-1": "DROPPED"}  # fmt: skip
DEAR = {"AP-20": "7.10"}
#: the oldest first; each kind of order is made every week or two
RUNS = (
    Run("CS-01", -93, 40, "two batches of cells"),
    Run("MA-200", -91, 20, pace={10: "1.04"}),
    Run("SP-200", -90, 20, "first run of the new jig", pace={20: "1.35"}, lost={20: ("DRILLED", 2)}),
    Run("RB-150", -89, 12, pace={10: "1.12"}),
    Run("HC-1", -88, 20, pace={10: "1.08"}),
    Run("RB-200", -87, 12, pace={10: "1.06", 20: "0.97"}, used={"PL-18": "1.03"}),
    Run("MA-200", -86, 20, pace={10: "0.98"}, lost={10: ("POROSITY", 1)}),
    Run("FO-80", -85, 25, pace={10: "1.05"}),
    Run("PM-200", -84, 12, pace={20: "1.03"}, lost={30: ("CHIPPED", 1)}),
    Run("CS-01", -82, 40, pace={10: "0.97"}),
    Run("MA-200", -80, 20, "aluminium at the new price", prices=DEAR),
    Run("SP-200", -79, 20, pace={20: "1.2"}, lost={20: ("DRILLED", 1)}),
    Run("MC-150", -78, 20, prices=DEAR),
    Run("RB-150", -77, 12, "bearings of 140 instead of 120, the supplier was late", instead=(20, "BR-12", "BR-14")),
    Run("HC-1", -76, 20, pace={10: "1.03", 30: "1.1"}),
    Run("MA-200", -75, 20, prices=DEAR, pace={10: "1.02"}),
    Run("MC-150", -74, 20, prices=DEAR, pace={10: "1.07"}, lost={10: ("POROSITY", 1)}),
    Run("RB-200", -73, 12, used={"PL-18": "1.08"}, lost={10: ("CHIPPED", 1)}),
    Run("PM-200", -72, 12, "blanks with strain: four cracked at the grinding", lost={10: ("CHIPPED", 4)}, pace={10: "1.15"}),
    Run("CS-01", -71, 40, pace={10: "1.06"}),
    Run("MA-200", -70, 20, prices=DEAR, lost={10: ("POROSITY", 2)}),
    Run("SP-200", -69, 20, pace={20: "1.1"}, lost={20: ("DRILLED", 1)}),
    Run("FO-80", -68, 25, pace={10: "0.96", 20: "1.04"}),
    Run("RB-150", -67, 12, pace={20: "1.1"}),
    Run("HC-1", -66, 30, "boards that lost their calibration, done again", reworked={30: (6, "2.4")}),
    Run("MA-200", -65, 20, "porous plate: the lot goes back", prices=DEAR, lost={10: ("POROSITY", 5)}, used={"AP-20": "1.04"}),
    Run("RB-150", -64, 12, pace={10: "1.05"}),
    Run("MC-150", -63, 20, prices=DEAR, pace={10: "1.02"}),
    Run("PM-200", -61, 12, lost={30: ("CHIPPED", 1)}, pace={20: "1.01"}),
    Run("CS-01", -60, 60, pace={10: "0.99"}),
    Run("MA-200", -59, 20, "long set-up: the fixture was dressed anew", prices=DEAR, set_up={10: "3.5"}),
    Run("SP-200", -58, 20, pace={20: "1.04"}),
    Run("RB-200", -57, 12, used={"PL-18": "1.02"}, pace={20: "1.05"}),
    Run("RB-150", -56, 12, pace={10: "0.97"}),
    Run("FO-80", -55, 25, "lathe down, turned at the mill", moved=(10, "MILL")),
    Run("HC-1", -54, 20, pace={10: "0.98"}),
    Run("MA-200", -53, 40, "double batch", prices=DEAR, pace={10: "0.97"}, lost={10: ("POROSITY", 2)}),
    Run("MC-150", -52, 30, prices=DEAR, lost={10: ("DROPPED", 1)}),
    Run("PM-200", -50, 12, "late shift and Saturday to be ready for the fair", pace={30: "1.1"}, overtime={30: "3"}),
    Run("CS-01", -49, 60, pace={10: "0.96"}),
    Run("RB-150", -48, 12, pace={30: "1.06"}),
    Run("MA-200", -47, 20, prices=DEAR, pace={10: "1.03"}),
    Run("SP-200", -46, 20, pace={20: "0.98"}),
    Run("MC-150", -45, 20, prices=DEAR, pace={10: "1.04"}),
    Run("RB-200", -44, 12, "panels cut from offcuts, slower and with less waste", used={"PL-18": "0.93"}, pace={10: "1.25"}),
    Run("HC-1", -43, 20, "made firm before the boards came with their plugs on: still by revision A", pace={30: "0.94"}, firm_before=4),
    Run("FO-80", -42, 25, pace={10: "1.01"}),
    Run("MA-200", -41, 20, prices=DEAR, lost={10: ("POROSITY", 1)}),
    Run("MC-150", -40, 20, prices=DEAR),
    Run("PM-200", -39, 24, "from a lot of the better blanks", pace={20: "0.96"}),
    Run("MA-200", -38, 20, "first articles tested for a customer", prices=DEAR, fee=(20, "180.00", "first article test report")),
    Run("CS-01", -37, 40, pace={10: "1.02"}),
    Run("SP-200", -36, 20, pace={20: "0.95"}),
    Run("HC-1", -35, 20, pace={10: "1.01"}),
    Run("RB-150", -34, 12, lost={10: ("CHIPPED", 2)}),
    Run("HC-1", -33, 20, "displays of another maker took longer to fit", pace={10: "1.28"}),
    Run("RB-200", -32, 12, pace={10: "0.98"}),
    Run("MA-200", -31, 20, prices=DEAR, pace={10: "0.99"}),
    Run("FO-80", -30, 25, pace={20: "0.97"}),
    Run("MC-150", -29, 20, prices=DEAR, pace={10: "0.98"}),
    Run("SP-200", -28, 20, pace={20: "0.94"}),
)  # fmt: skip


def play(works: Works) -> None:
    """Make all of them, numbered up to the first order of the present."""
    works.at(-95)
    works.do("mara", "begin-orders-at", number=FIRST_OF_TODAY - len(RUNS))
    works.do("mara", "define-reason", code="DELIVERED", name="Delivered before deliveries were kept here", use="adjustment")  # fmt: skip
    for run in RUNS:
        _make(works, run)
    works.at(LAST, hour=6)
    left = StockBalance.objects.filter(quantity__gt=0).select_related("item", "place", "lot")
    for b in left.order_by("item__code", "pk"):
        lot = {"lot": b.lot.code} if b.lot else {}
        works.do("piet", "adjust-stock", item=b.item.code, place=b.place.code, on_hand="0", why="DELIVERED", **lot)  # fmt: skip


def _make(works: Works, run: Run) -> None:
    """Plan, release, buy for, issue to, report, receive and close one order."""
    works.at(run.day - run.firm_before)
    order = works.plan(run.item, str(run.quantity), due=run.day + 12, note=run.note)
    if run.firm_before:
        works.do("jonas", "make-firm", order=order)
        works.at(run.day - run.firm_before + 1)
        works.as_person("mara")
        product_family.controller(works.shop, "0.35")
        works.shop.do("freeze-standard", note="boards come with their plugs on")
        works.at(run.day)
    works.do("jonas", "release-order", order=order)
    if run.instead:
        operation, item, other = run.instead
        works.do("jonas", "substitute-component", order=order, operation=operation, item=item, instead=other, reason=run.note)  # fmt: skip
    if run.moved:
        operation, center = run.moved
        works.do("jonas", "move-operation", order=order, operation=operation, work_center=center, reason=run.note)  # fmt: skip
    _supply(works, run, order)
    passed = _work(works, run, order)
    if run.fee:
        operation, amount, words = run.fee
        works.do("jonas", "charge-extra", order=order, operation=operation, amount=amount, reason=words)  # fmt: skip
    grades = []
    if run.item == "PM-200":
        best = passed * 7 // 10
        grades = [{"item": "PM-200-A", "quantity": str(best)}, {"item": "PM-200-B", "quantity": str(passed - best)}]  # fmt: skip
    works.do("piet", "receive", order=order, quantity=str(passed), grades=grades)
    works.do("jonas", "complete-order", order=order, leftovers="charge")
    works.do("sunil", "close-order", order=order)


def _supply(works: Works, run: Run, order: int) -> None:
    """Buy what the order needs, and issue what is issued by hand."""
    lines, issued = [], []
    for i in OrderInput.objects.filter(order__number=order, kind="component", need__gt=0).select_related("item"):  # fmt: skip
        assert i.item is not None
        code = i.item.code
        quantity = _rounded(i.need * Decimal(run.used.get(code, "1")), i.item.step)
        if not i.item.is_made:
            there = _rounded(quantity * Decimal("1.3"), i.item.step)  # for what is lost as well
            price = run.prices.get(code) or f"{i.price.quantize(HUNDREDTH):f}"
            lot = {"lots": [{"lot": f"{code}-{order}", "quantity": str(there)}]} if i.item.tracking != "none" else {}  # fmt: skip
            lines.append({"item": code, "quantity": str(there), "price": price, "place": "STORE", **lot})  # fmt: skip
        if i.issue_rule == "by hand":
            issued.append((i.operation, code, str(quantity)))
    if lines:
        works.do("piet", "receive-material", lines=lines)
    works.issue(order, *issued)


def _work(works: Works, run: Run, order: int) -> int:
    """Report all operations, and return the good pieces of the last."""
    operations = list(OrderOperation.objects.filter(order__number=order).order_by("number"))
    good: dict[int, int] = {}
    for n, o in enumerate(operations):
        works.at(min(run.day + 1 + 2 * n, LAST - 1))
        before = list(good)[-1:] if o.after is None else o.after
        enter = min((good[b] for b in before), default=_whole(o.entering))
        follows = operations[n + 1].entering if o is not operations[-1] else Decimal(run.quantity)
        good[o.number] = _report(works, run, order, o, enter, _whole(follows))
    return good[operations[-1].number]


def _report(works: Works, run: Run, order: int, o: OrderOperation, enter: int, wanted: int) -> int:
    """Report an operation of what enters it, and return the good pieces: no more than are wanted."""
    usual = max(0, enter - wanted) if o.yield_share < 1 else 0
    reason, lost = run.lost.get(o.number, (USUAL[run.item], usual) if usual else ("", 0))
    enter = min(enter, wanted + lost)
    if not o.is_report_point:
        return enter
    good = enter - lost
    aside, hours = run.reworked.get(o.number, (0, ""))
    stated = {}
    times = OrderInput.objects.filter(order__number=order, operation=o.number, allowed__gt=0)
    for i in times.filter(kind__in=[k.value for k in TIME_ELEMENT]):
        by, units = (run.set_up, 1) if i.is_per_order else (run.pace, enter)
        if o.number in by:
            hours_taken = i.allowed * units * Decimal(by[o.number])
            stated[f"{i.kind.replace(' ', '_')}_hours"] = f"{hours_taken.quantize(HUNDREDTH):f}"
    people = []
    if worked := stated.pop("run_labour_hours", ""):
        people = [{"person": "lotte", "hours": worked, "overtime": run.overtime.get(o.number, "0")}]
    swarf = OrderInput.objects.filter(order__number=order, operation=o.number, kind="by-product")
    beside = [
        {"item": b.item.code, "quantity": f"{(b.allowed * enter * SWARF).quantize(TENTH):f}"}
        for b in swarf.select_related("item")
        if b.item
    ]
    scrap = [{"reason": reason, "quantity": str(lost)}] if lost else []
    more = {"rework": str(aside)} if aside else {}
    works.report(
        order,
        o.number,
        str(good - aside),
        scrap=scrap,
        people=people,
        by_products=beside,
        **more,
        **stated,
    )
    if aside:
        works.report(order, o.number, str(aside), of_rework=True, run_labour_hours=hours)
    return good


def _whole(units: Decimal) -> int:
    return int(units.to_integral_value(ROUND_UP))


def _rounded(quantity: Decimal, step: Decimal) -> Decimal:
    """Return a quantity rounded up to the item's step."""
    return (quantity / step).to_integral_value(ROUND_UP) * step
