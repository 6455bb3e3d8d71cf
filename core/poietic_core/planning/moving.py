"""What comes already, fitted to what is wanted: sooner, later, or not at all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Coming:
    """A quantity that will come in a period; a number tells it apart."""

    key: int
    period: int
    quantity: float


@dataclass(frozen=True, slots=True)
class Move:
    """A supply that should come in another period; None: nothing wants it."""

    key: int
    period: int
    to: int | None


def fit(
    on_hand: float, safety: float, wanted: Sequence[float], coming: Sequence[Coming], tolerance: int
) -> tuple[list[float], list[Move]]:
    """Return what comes in each period once supplies are moved to where they are wanted, and the moves.

    Each supply goes, the first to come first, where the stock would otherwise fall below the safety
    stock. One that would move by no more periods than the tolerance counts where it is wanted, and
    nobody is told. One that is wanted later still counts when it comes.

    Parameters
    ----------
    on_hand, safety : of the item [unit]
    wanted : in each period [unit]
    coming : what comes within these periods, or later

    Source
    ------
    Rescheduling of open orders before new ones are planned: Orlicky (1975).

    Examples
    --------
    >>> late, idle = Coming(1, 4, 20.0), Coming(2, 1, 5.0)
    >>> fit(10, 0, [0, 5, 12, 0, 0], [late, idle], 0)
    ([0.0, 5.0, 20.0, 0.0, 0.0], [Move(key=2, period=1, to=2), Move(key=1, period=4, to=2)])
    """
    pool = sorted(coming, key=lambda c: (c.period, c.key))
    comes = [0.0] * len(wanted)
    moves: list[Move] = []
    left, at = on_hand, 0
    for period, want in enumerate(wanted):
        left -= want
        while left < safety and at < len(pool):
            one, at = pool[at], at + 1
            left += one.quantity
            comes[min(period, one.period)] += one.quantity
            if abs(one.period - period) > tolerance:
                moves.append(Move(one.key, one.period, period))
    for one in pool[at:]:  # what comes later still may be for what is wanted later still
        if one.period < len(wanted):
            comes[one.period] += one.quantity
            moves.append(Move(one.key, one.period, None))
    return comes, moves
