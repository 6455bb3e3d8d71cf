"""What needs a decision today, each thing a sentence with its consequence in days and money."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from ..quantity import ZERO, exact, money
from .states import OrderState

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


@dataclass(frozen=True, slots=True, kw_only=True)
class Remaining:
    """What an order still needs of a component."""

    item: str
    unit: str
    quantity: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenOrder:
    """An open order as the ranking sees it."""

    number: int
    item: str
    name: str
    due: date
    #: day on which it will be done; None where that is not known
    finishes: date | None
    #: working days after the due date
    days_late: int
    state: OrderState
    left: Decimal
    unit: str
    #: first operation with pieces left to work on, in words; "" if there is none
    waits_at: str
    #: value that the order holds
    wip: Decimal
    charged: Decimal
    variance: Decimal
    largest_cause: str
    remaining: tuple[Remaining, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Attention:
    """A thing that needs a decision."""

    kind: Kind
    order: int
    sentence: str
    days: int
    money: Decimal

    @exact
    def weight(self) -> Decimal:
        """Return what it costs to leave it: money × days, at least a day."""
        return abs(self.money) * max(self.days, 1)


@exact
def attentions(orders: Iterable[OpenOrder], on_hand: Mapping[str, Decimal]) -> list[Attention]:
    """Return what needs a decision, the costliest first.

    Material on hand is promised to orders by due date; an order is short of what is left
    for it. An order is late that finishes after its due date; its money is the value it holds.

    Parameters
    ----------
    orders : open orders in any order
    on_hand : stock by item, for the items that orders need
    """
    found: list[Attention] = []
    free = dict(on_hand)
    for o in sorted(orders, key=lambda o: (o.due, o.number)):
        if o.state is OrderState.COMPLETED:
            found.append(_to_close(o))
            continue
        if o.days_late > 0:
            when = f", {o.finishes:%a} {o.finishes.day} {o.finishes:%b}" if o.finishes else ""
            where = f": {o.waits_at}" if o.waits_at else ""
            found.append(
                Attention(
                    kind=Kind.LATE,
                    order=o.number,
                    sentence=f"{o.name} finishes {_days(o.days_late)} late{when}{where}",
                    days=o.days_late,
                    money=o.wip,
                )
            )
        found += _shortages(o, free)
        if o.variance >= max(OVER_ALLOWED_FROM, OVER_ALLOWED_SHARE * (o.charged - o.variance)):
            found.append(
                Attention(
                    kind=Kind.OVER_ALLOWED,
                    order=o.number,
                    sentence=f"{o.name} has cost {_euro(o.variance)} more than allowed, "
                    f"most of it {o.largest_cause}",
                    days=0,
                    money=o.variance,
                )
            )
    return sorted(found, key=lambda a: (-a.weight(), a.order, a.kind))


def _shortages(o: OpenOrder, free: dict[str, Decimal]) -> list[Attention]:
    """Promise what is left to the order, and return what it is short of."""
    short: list[str] = []
    for r in o.remaining:
        there = free.get(r.item, ZERO)
        free[r.item] = max(ZERO, there - r.quantity)
        if there < r.quantity:
            short.append(f"{(r.quantity - there).normalize():f} {r.unit} of {r.item}")
    if o.state is OrderState.PLANNED or not short:
        return []
    return [
        Attention(
            kind=Kind.SHORT,
            order=o.number,
            sentence=f"{o.name} is short of {', '.join(short)}",
            days=o.days_late,
            money=o.wip,
        )
    ]


def _to_close(o: OpenOrder) -> Attention:
    side = "U" if o.variance > 0 else "F"
    words = f"variance {_euro(abs(o.variance))} {side}" if o.variance else "no variance"
    return Attention(
        kind=Kind.TO_CLOSE,
        order=o.number,
        sentence=f"{o.name} is completed and not closed: {words}",
        days=0,
        money=abs(o.variance),
    )


def _days(n: int) -> str:
    return f"{n} day{'' if n == 1 else 's'}"


def _euro(amount: Decimal) -> str:
    return f"{money(amount):,.2f} EUR"
