"""The value history of a stock: replayed in order, with what a receipt turned out to cost."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, MutableMapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from ..quantity import ZERO, exact, money

#: where a quantity went: an order's operation, a delivery, an account
Cell = Hashable


@dataclass(frozen=True, slots=True, kw_only=True)
class Event:
    """One movement of a pool of stock: above zero it came, below it went.

    Of no quantity: of what lies in `cell`, `passes` pieces go over into the cell `into`.
    """

    key: int
    quantity: Decimal
    #: what it was posted at, with all earlier corrections [money], >= 0
    value: Decimal = ZERO
    #: where it went; of what came: where it comes back from, None: it is new here
    cell: Cell | None = None
    passes: Decimal = ZERO
    into: Cell | None = None
    #: the event that it takes back: then it goes, or comes back, at what that is worth
    undoes: int | None = None


@dataclass(slots=True)
class Share:
    """What of a pool's pieces lies in a cell: what it was worth, and how much more it turned out to be."""

    quantity: Decimal = ZERO
    value: Decimal = ZERO
    correction: Decimal = ZERO

    def put(self, quantity: Decimal, value: Decimal, correction: Decimal) -> None:
        """Put pieces in."""
        self.quantity += quantity
        self.value += value
        self.correction += correction

    def take(self, quantity: Decimal, value: Decimal) -> Decimal:
        """Take pieces out, and return the part of the correction that goes with them, to the cent."""
        part = self.correction
        if quantity < self.quantity:
            part = money(self.correction * quantity / self.quantity)
        self.put(-quantity, -value, -part)
        return part


@dataclass(slots=True)
class Replayed:
    """What a replay corrects."""

    #: by event that went or came back: corrected value minus the value it had [money]
    corrections: dict[int, Decimal] = field(default_factory=dict)
    #: what the pool is worth at the end, and how much of it there is
    value: Decimal = ZERO
    quantity: Decimal = ZERO


@exact
def replay(
    events: Sequence[Event],
    late: Mapping[int, Decimal],
    cells: MutableMapping[Cell, Share],
) -> Replayed | None:
    """Replay a pool with some of its receipts worth more; None: it would go below zero in this order.

    What goes takes round(V × q / Q), the last piece all that is left; what takes another movement
    back, at that one's worth. A return brings back the
    value it was issued at, with the share of the correction that went with it. All values are
    cents, and nothing is lost: the corrections in the cells and what the pool gained add up to
    what was late.

    Parameters
    ----------
    events : in the order in which they happened
    late : by event that came, what it is worth more [money], to the cent
    cells : what went where; it is added to

    Notes
    -----
    O(events).

    Source
    ------
    Moving average: Kieso, Weygandt & Warfield, Intermediate Accounting, ch. 8. A layer is such a
    pool with one receipt.

    Examples
    --------
    >>> issued = Event(key=2, quantity=Decimal(-60), value=Decimal(600), cell="order")
    >>> events = [Event(key=1, quantity=Decimal(100), value=Decimal(1000)), issued]
    >>> found = replay(events, {1: Decimal(200)}, {})
    >>> str(found.corrections[2]), str(found.value)
    ('120.00', '480.00')
    """
    return replay_within(events, late, cells)


def replay_within(
    events: Sequence[Event],
    late: Mapping[int, Decimal],
    cells: MutableMapping[Cell, Share],
) -> Replayed | None:
    """Replay a pool for a caller that keeps the digits: who replays many enters them once."""
    undone = {e.undoes for e in events if e.undoes is not None}
    values = {e.key: e.value for e in events if e.key in undone} if undone else {}
    corrections: dict[int, Decimal] = {}
    quantity = worth = ZERO
    for e in events:
        cell = e.cell
        if e.quantity < 0:
            went, value = -e.quantity, worth
            if went > quantity:
                return None
            if went < quantity:
                if e.undoes is None:
                    value = money(worth * went / quantity)
                else:
                    value = values[e.undoes] + corrections.get(e.undoes, ZERO)
            quantity -= went
            worth -= value
            more = value - e.value
            if more:
                corrections[e.key] = more
            if cell is None:
                continue
            if cell in cells:
                cells[cell].put(went, e.value, more)
            else:
                cells[cell] = Share(went, e.value, more)
        elif e.quantity > 0:
            back = ZERO
            if e.undoes is not None:
                back = values[e.undoes] + corrections.get(e.undoes, ZERO) - e.value
                if cell is not None:
                    cells.setdefault(cell, Share()).put(-e.quantity, -e.value, -back)
            elif cell is not None:
                back = cells.setdefault(cell, Share()).take(e.quantity, e.value)
            quantity += e.quantity
            worth += e.value + back + late.get(e.key, ZERO)
            if back:
                corrections[e.key] = back
        elif cell is not None:
            part = cells.setdefault(cell, Share()).take(e.passes, e.value)
            cells.setdefault(e.into, Share()).put(e.passes, e.value, part)
    return Replayed(corrections, worth, quantity)
