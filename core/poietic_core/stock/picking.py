"""Where to take what an order needs: which place, which lot, how much."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from ..quantity import ZERO, exact
from .lots import LotStock


@dataclass(frozen=True, slots=True, kw_only=True)
class OnShelf:
    """What may be taken of one lot, or of pieces that are not told apart, at a place."""

    place: int
    #: who walks from place to place goes in this order
    walk_order: int
    #: with the quantity that may be taken [unit]; its code is "" where pieces are not told apart
    stock: LotStock
    #: it is kept for whom it is taken for
    is_kept: bool = False


@exact
def choose_picks(
    shelves: Iterable[OnShelf], wanted: Decimal, *, at_most: Mapping[int, Decimal], on: date
) -> list[tuple[OnShelf, Decimal]]:
    """Return what to take where, in walking order; less than wanted where there is not enough.

    What is kept goes first, then what expires first, then the oldest, then what lies first on
    the way; of lots that are alike in all that, the one whose code comes first. What is quarantined, rejected or expired is left out.

    Parameters
    ----------
    shelves : what lies where, in any order
    wanted : Decimal [unit], >= 0
    at_most : by place, what may be taken there of all lots together [unit]
    on : the day on which it would be used

    Source
    ------
    First expired, first out, as of `first_out`; walking order: common practice.
    """
    found: dict[OnShelf, Decimal] = {}
    left, left_at = wanted, dict(at_most)
    for shelf in sorted(shelves, key=_preference):
        part = min(left, shelf.stock.quantity, left_at.get(shelf.place, ZERO))
        if part > 0 and shelf.stock.may_be_used(on):
            found[shelf] = part
            left -= part
            left_at[shelf.place] -= part
    return sorted(found.items(), key=lambda pick: (pick[0].walk_order, pick[0].place))


def _preference(shelf: OnShelf) -> tuple[bool, date, int, int, int, str]:
    lot = shelf.stock
    last = lot.expires_on or date.max
    return not shelf.is_kept, last, lot.age, shelf.walk_order, shelf.place, lot.code
