"""What needs a decision today, each thing a sentence with its consequence in days and money."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from ..quantity import ZERO, exact, money
from .states import OrderState

#: how long nothing happens to an order that is late before it is forgotten [days]
FORGOTTEN_AFTER = 14
#: how long before its last day stock is told of [days]
EXPIRES_WITHIN = 14
#: a variance below this, and below this share of what is allowed, is not worth a look [EUR]
OVER_ALLOWED_FROM = Decimal(10)
OVER_ALLOWED_SHARE = Decimal("0.02")


class Kind(StrEnum):
    """What is the matter."""

    LATE = "late"
    SHORT = "short"
    OVER_ALLOWED = "over allowed"
    TO_CLOSE = "to close"
    FAULTY = "can't be computed"
    REVISED = "revised"
    EXPIRES = "expires"
    STALE = "forgotten"
    FINISHED = "to complete"
    OVERDUE = "overdue"
    OUT = "out too long"
    PROMISE = "promise"


@dataclass(frozen=True, slots=True, kw_only=True)
class AtSupplier:
    """Units of an order that are out at a supplier."""

    operation: int
    supplier: str
    quantity: Decimal
    unit: str
    #: when they are to be back
    back_on: date


@dataclass(frozen=True, slots=True)
class Threshold:
    """From when on a variance is worth a look: it is both so much money and such a share of what is allowed."""

    amount: Decimal = OVER_ALLOWED_FROM
    share: Decimal = OVER_ALLOWED_SHARE

    @exact
    def is_passed(self, variance: Decimal, allowed: Decimal) -> bool:
        """Tell whether an unfavourable variance of what is allowed [EUR] is worth a look."""
        return variance > 0 and variance >= max(self.amount, self.share * allowed)

    @classmethod
    def tightest(cls, of_item: Threshold | None, of_work_centers: Sequence[Threshold]) -> Threshold:
        """Return an item's own threshold; where it has none, the smallest of where it is made, else the usual."""
        if of_item:
            return of_item
        return min(of_work_centers, key=lambda t: (t.amount, t.share), default=cls())


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenOrder:
    """An open order as it stands, as far as it decides whether somebody has to look at it."""

    number: int
    name: str
    #: day on which it will be done; None where that is not known
    finishes: date | None
    #: working days after the due date
    days_late: int
    state: OrderState
    #: first operation with pieces left to work on, in words; "" if there is none
    waits_at: str
    #: what is wrong with it, where it can't be computed
    fault: str
    #: value that the order holds [EUR]
    wip: Decimal
    charged: Decimal
    variance: Decimal
    largest_cause: str
    #: the revision that it is made by, and a later one that is in force; "" if there is none
    revision: str = ""
    newer: str = ""
    due: date | None = None
    #: the last day on which anything was done to it; None where that is not known
    touched_on: date | None = None
    #: it is kept until this day although nothing happens to it
    keep_until: date | None = None
    is_all_received: bool = False
    #: why it stands still; "" if it does not
    on_hold: str = ""
    threshold: Threshold = Threshold()
    out: tuple[AtSupplier, ...] = ()
    #: the order that it is made for, and those that wait for that one in turn
    waiting: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Missing:
    """An item of which orders are short."""

    item: str
    unit: str
    #: by how much, all together [unit]
    quantity: Decimal
    #: how many orders, their latest delay [working days], and what they hold [EUR]
    orders: int
    days: int
    held: Decimal
    #: what comes next, and when
    comes: tuple[Decimal, date] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Expiring:
    """Stock of an item that may soon be used no more, or may not already."""

    item: str
    unit: str
    #: on hand in such lots [unit], in how many, and the first last day
    quantity: Decimal
    lots: int
    last_day: date
    #: what it is worth [EUR]
    worth: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Overdue:
    """A bought item that a supplier should have brought by now."""

    item: str
    unit: str
    quantity: Decimal
    #: the first day that was promised, the purchase order, its supplier, how many purchase orders are late
    comes_on: date
    purchase: int
    supplier: str
    purchases: int
    #: orders that are short of it, the first due first, and what they hold [EUR]
    waiting: tuple[int, ...] = ()
    held: Decimal = ZERO


@dataclass(frozen=True, slots=True, kw_only=True)
class Endangered:
    """Lines of customers' orders for an item that will not be there when they were promised, or else are wanted."""

    item: str
    #: of the worst: its order and customer, by how many working days, None: nobody knows; and what it waits for
    order: int
    customer: str
    late: int | None
    cause: str
    lines: int
    #: what customers pay for all of them [EUR]
    amount: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Attention:
    """A thing that needs a decision: one cause, however many orders it stops."""

    kind: Kind
    sentence: str
    #: how many orders it concerns
    orders: int
    days: int
    money: Decimal

    @exact
    def weight(self) -> Decimal:
        """Return what it costs to leave it: money × days, at least a day."""
        return abs(self.money) * max(self.days, 1)


@exact
def of_order(o: OpenOrder, today: date) -> list[Attention]:
    """Return what needs a decision at one order: it is late, costs too much, is to be closed, or faulty.

    An order is late that finishes after its due date; its money is the value it holds. One that is
    late and to which nothing was done for two weeks is forgotten instead, unless somebody said until
    when it is kept.
    """
    found: list[Attention] = []

    def add(kind: Kind, sentence: str, days: int, money: Decimal) -> None:
        found.append(Attention(kind=kind, sentence=sentence, orders=1, days=days, money=money))

    if o.fault:
        add(Kind.FAULTY, f"{o.name}: {o.fault}", 0, o.wip)
    if o.state is OrderState.COMPLETED:
        side = "U" if o.variance > 0 else "F"
        words = f"variance {_euro(abs(o.variance))} {side}" if o.variance else "no variance"
        add(Kind.TO_CLOSE, f"{o.name} is completed and not closed: {words}", 0, abs(o.variance))
        return found
    if o.newer:
        words = f"{o.name} is made by revision {o.revision}; {o.newer} is in force"
        add(Kind.REVISED, words, 0, o.wip)
    if o.state is OrderState.STARTED and o.is_all_received:
        add(Kind.FINISHED, f"{o.name} is received in full and not completed", 0, o.wip)
    elif since := _forgotten_since(o, today):
        if not o.keep_until or o.keep_until <= today:
            due = f"due {_day(o.due)}, " if o.due else ""
            add(
                Kind.STALE,
                f"{o.name} is forgotten: {due}nothing happened since {_day(since)}",
                o.days_late,
                o.wip,
            )
    elif o.days_late > 0:
        hold = f" (on hold: {o.on_hold})" if o.on_hold else ""
        when = f", {_day(o.finishes)}{hold}" if o.finishes else hold
        where = f": {o.waits_at}" if o.waits_at else ""
        add(
            Kind.LATE,
            f"{o.name} finishes {_days(o.days_late)} late{when}{where}",
            o.days_late,
            o.wip,
        )
    if o.threshold.is_passed(o.variance, o.charged - o.variance):
        words = (
            f"{o.name} has cost {_euro(o.variance)} more than allowed, most of it {o.largest_cause}"
        )
        add(Kind.OVER_ALLOWED, words, 0, o.variance)
    found += _of_out(o, today)
    return found


def _of_out(o: OpenOrder, today: date) -> list[Attention]:
    """Return what needs a decision because units are out at suppliers longer than they should be."""
    late = [a for a in o.out if a.back_on < today]
    if not late:
        return []
    words = "; ".join(
        f"{a.quantity.normalize():f} {a.unit} of operation {a.operation} are still at {a.supplier}, to be back {_day(a.back_on)}"
        for a in late
    )
    days = max((today - a.back_on).days for a in late)
    sentence = f"{o.name}: {words}{_who_waits(o.waiting)}"
    orders = 1 + len(o.waiting)
    return [Attention(kind=Kind.OUT, sentence=sentence, orders=orders, days=days, money=o.wip)]


def _forgotten_since(o: OpenOrder, today: date) -> date | None:
    """Return the day on which something was last done to an order that runs late and is forgotten."""
    if o.state not in (OrderState.RELEASED, OrderState.STARTED) or o.days_late <= 0:
        return None
    is_long = o.touched_on is not None and (today - o.touched_on).days >= FORGOTTEN_AFTER
    return o.touched_on if is_long else None


@exact
def of_missing(m: Missing) -> Attention:
    """Return what needs a decision because an item is missing, with what comes of it next."""
    if m.comes is None:
        coming = "none is to come"
    else:
        quantity, day = m.comes
        verb = "comes" if quantity == 1 else "come"
        coming = f"{quantity.normalize():f} {verb} {_day(day)}"
    sentence = f"{m.item} is missing: {m.quantity.normalize():f} {m.unit} short, {coming}"
    return Attention(kind=Kind.SHORT, sentence=sentence, orders=m.orders, days=m.days, money=m.held)


@exact
def of_expiring(e: Expiring, today: date) -> Attention:
    """Return what needs a decision because lots of an item expire: use them first, or hold them back."""
    lots = "one lot" if e.lots == 1 else f"{e.lots} lots"
    has = "expired" if e.last_day < today else "expires" if e.lots == 1 else "expire, the first"
    sentence = f"{e.item}: {e.quantity.normalize():f} {e.unit} in {lots} {has} {_day(e.last_day)}"
    return Attention(kind=Kind.EXPIRES, sentence=sentence, orders=0, days=0, money=e.worth)


#: waiting orders that are named
NAMED = 3


@exact
def of_overdue(o: Overdue, today: date) -> Attention:
    """Return what needs a decision because a supplier is late, with the orders that wait for it."""
    also = f" and {o.purchases - 1} more" if o.purchases > 1 else ""
    whose = f"{o.supplier}, purchase order {o.purchase}{also}"
    sentence = f"{o.item}: {o.quantity.normalize():f} {o.unit} of {whose}, should have come {_day(o.comes_on)}"
    sentence += _who_waits(o.waiting)
    days = (today - o.comes_on).days
    return Attention(
        kind=Kind.OVERDUE, sentence=sentence, orders=len(o.waiting), days=days, money=o.held
    )


@exact
def of_endangered(e: Endangered) -> Attention:
    """Return what needs a decision because customers will not get an item in time."""
    when = "comes, nobody knows when" if e.late is None else f"comes {_days(e.late)} late"
    others = f", and {e.lines - 1} more" if e.lines > 1 else ""
    sentence = f"{e.item} for {e.customer}, {e.order}{others}, {when}: it waits for {e.cause}"
    return Attention(
        kind=Kind.PROMISE, sentence=sentence, orders=e.lines, days=e.late or 0, money=e.amount
    )


def _who_waits(orders: tuple[int, ...]) -> str:
    """Say which orders wait for a thing, the first few by number; "" where none does."""
    if not orders:
        return ""
    named = ", ".join(str(n) for n in orders[:NAMED])
    others = f" and {len(orders) - NAMED} others" if len(orders) > NAMED else ""
    return f"; {named}{others} {'wait' if len(orders) > 1 else 'waits'} for it"


def _day(day: date) -> str:
    return f"{day:%a} {day.day} {day:%b}"


def _days(n: int) -> str:
    return f"{n} day{'' if n == 1 else 's'}"


def _euro(amount: Decimal) -> str:
    return f"{money(amount):,.2f} EUR"
