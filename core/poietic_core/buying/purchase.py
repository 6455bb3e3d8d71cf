"""The states of a purchase order, and what may be done in each."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from enum import StrEnum
from typing import ClassVar

from ..errors import DomainError, OutOfRange
from ..quantity import ZERO, exact, require_step, round_to


class PurchaseState(StrEnum):
    """Where a purchase order stands in its life."""

    DRAFT = "draft"
    ORDERED = "ordered"
    CONFIRMED = "confirmed"
    PARTLY_RECEIVED = "partly received"
    RECEIVED = "received"
    CLOSED = "closed"
    CANCELLED = "cancelled"


#: states in which something may still come
COMING = (PurchaseState.ORDERED, PurchaseState.CONFIRMED, PurchaseState.PARTLY_RECEIVED)


class PurchaseAct(StrEnum):
    """What is done to a purchase order."""

    CHANGE = "change"
    ORDER = "send"
    CONFIRM = "confirm"
    RECEIVE = "receive against"
    FINISH = "finish"
    CANCEL = "cancel"


ALLOWED: dict[PurchaseAct, tuple[PurchaseState, ...]] = {
    PurchaseAct.CHANGE: (PurchaseState.DRAFT, *COMING),
    PurchaseAct.ORDER: (PurchaseState.DRAFT,),
    PurchaseAct.CONFIRM: COMING,
    PurchaseAct.RECEIVE: (*COMING, PurchaseState.RECEIVED),
    PurchaseAct.FINISH: COMING,
    PurchaseAct.CANCEL: (PurchaseState.DRAFT, PurchaseState.ORDERED, PurchaseState.CONFIRMED),
}
HINTS: dict[tuple[PurchaseAct, PurchaseState], str] = {
    (PurchaseAct.RECEIVE, PurchaseState.DRAFT): "Send it to the supplier first.",
    (PurchaseAct.CONFIRM, PurchaseState.DRAFT): "Send it to the supplier first.",
    (PurchaseAct.FINISH, PurchaseState.DRAFT): "Nothing is ordered yet: cancel it.",
    (
        PurchaseAct.CANCEL,
        PurchaseState.PARTLY_RECEIVED,
    ): "Finish it with what came, or return that first.",
}


@dataclass(eq=False)
class WrongPurchaseState(DomainError):
    """The purchase order's state does not allow the act."""

    purchase: int
    state: str
    act: str
    possible: list[str]
    hint: str
    code: ClassVar[str] = "purchase.wrong_state"
    what: ClassVar[str] = "Purchase order {purchase} is {state}."
    why: ClassVar[str] = "To {act} a purchase order it has to be {possible}."
    fix: ClassVar[str] = "{hint}"


def require_purchase_state(purchase: int, state: PurchaseState, act: PurchaseAct) -> None:
    """Refuse an act that the state does not allow: WrongPurchaseState (purchase.wrong_state)."""
    if state not in ALLOWED[act]:
        hint = HINTS.get((act, state), "Choose another purchase order.")
        possible = [s.value for s in ALLOWED[act]]
        raise WrongPurchaseState(purchase, state.value, act.value, possible, hint)


#: quantities are said to six decimals
SAID = Decimal("0.000001")
#: the largest quantity of one line [stock unit]
MOST = Decimal(100_000_000)


@exact
def stock_quantity(
    name: str, quantity: Decimal, *, per_unit: Decimal, step: Decimal, unit: str
) -> Decimal:
    """Return a quantity of a supplier's unit in the item's stock unit.

    What can't be said exactly in that unit, one piece of a box of 24, is meant where six decimals
    of it are said.

    Parameters
    ----------
    name : of the quantity, for the refusal
    quantity : Decimal [supplier's unit]
    per_unit : stock units in one of these, > 0
    step, unit : of the stock unit

    Raises
    ------
    OffStep (quantity.off_step), OutOfRange (input.out_of_range)

    Source
    ------
    Common practice.

    Examples
    --------
    >>> one = stock_quantity("A", Decimal("0.041667"), per_unit=Decimal(24), step=Decimal(1), unit="pcs")
    >>> print(one)
    1
    """
    counted = quantity * per_unit
    if counted > MOST:
        raise OutOfRange(name, counted, f"at most {MOST:,} {unit}")
    nearest = round_to(counted, step)
    if nearest and abs(counted - nearest) <= SAID / 2 * per_unit:
        return nearest
    return require_step(name, counted, step=step, unit=unit)


def weekdays_after(day: date, days: int) -> date:
    """Return the day that comes so many working days later, Monday to Friday (common practice).

    >>> weekdays_after(date(2026, 11, 27), 1)  # a Friday
    datetime.date(2026, 11, 30)
    """
    weeks, rest = divmod(days, 5)
    day += timedelta(weeks=weeks)
    while rest:
        day += timedelta(days=1)
        rest -= day.weekday() < 5
    return day


def acts_in(state: PurchaseState) -> list[PurchaseAct]:
    """Return what may be done to a purchase order in a state."""
    return [act for act, states in ALLOWED.items() if state in states]


@dataclass(frozen=True, slots=True, kw_only=True)
class LineStands:
    """How a line stands, all in one unit: ordered, received, gone back, and what is invoiced."""

    ordered: Decimal
    received: Decimal = ZERO
    returned: Decimal = ZERO
    #: of what went back: the supplier does not send it again
    not_replaced: Decimal = ZERO
    invoiced: Decimal = ZERO
    #: nothing more is expected of it
    is_ended: bool = False

    @property
    def kept(self) -> Decimal:
        """Return what came and did not go back."""
        return self.received - self.returned

    @property
    def coming(self) -> Decimal:
        """Return what is still to come."""
        return ZERO if self.is_ended else max(ZERO, self.ordered - self.not_replaced - self.kept)


def state_of(lines: Iterable[LineStands], *, is_confirmed: bool) -> PurchaseState:
    """Return the state of a purchase order that was sent, from how its lines stand.

    Closed is what has all come and is all invoiced; what was ended before anything came is
    cancelled (common practice: nothing that is owed or awaited stays out of sight).

    >>> part = LineStands(ordered=Decimal(5), received=Decimal(2))
    >>> state_of([part], is_confirmed=True).value
    'partly received'
    """
    listed = list(lines)
    something = any(n.received for n in listed)
    if not any(n.coming for n in listed):
        if not something:
            return PurchaseState.CANCELLED
        settled = all(n.kept == n.invoiced for n in listed)
        return PurchaseState.CLOSED if settled else PurchaseState.RECEIVED
    if something:
        return PurchaseState.PARTLY_RECEIVED
    return PurchaseState.CONFIRMED if is_confirmed else PurchaseState.ORDERED
