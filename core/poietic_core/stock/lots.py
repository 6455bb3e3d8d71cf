"""Lots and serials: which pieces they are, which go first, how they are numbered."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum
from re import compile as pattern
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ONE, ZERO, exact


class Tracking(StrEnum):
    """How an item's pieces are told apart."""

    NONE = "none"
    LOT = "lot"
    SERIAL = "serial"


class LotState(StrEnum):
    """Whether a lot may be used."""

    USABLE = "usable"
    QUARANTINED = "quarantined"
    REJECTED = "rejected"


@dataclass(frozen=True, slots=True, kw_only=True)
class LotStock:
    """A lot with what is there of it at a place; older from younger by `age`."""

    code: str
    quantity: Decimal
    age: int
    state: LotState = LotState.USABLE
    #: last day on which it may be used; None: it does not expire
    expires_on: date | None = None

    def may_be_used(self, on: date) -> bool:
        """Tell whether it may go into an order on a day."""
        return self.state is LotState.USABLE and (self.expires_on is None or on <= self.expires_on)


@dataclass(eq=False)
class LotNeeded(DomainError):
    """A movement of a tracked item that does not say which pieces."""

    item: str
    tracking: str
    code: ClassVar[str] = "lot.needed"
    what: ClassVar[str] = "Nothing of {item} moves yet."
    why: ClassVar[str] = "It is tracked by {tracking}, and the line names none."
    fix: ClassVar[str] = "Name the {tracking} of each line."


@dataclass(eq=False)
class NotTracked(DomainError):
    """A lot named for an item that has none."""

    item: str
    lot: str
    code: ClassVar[str] = "lot.not_tracked"
    what: ClassVar[str] = "{item} has no lot {lot}."
    why: ClassVar[str] = "Its pieces are not told apart."
    fix: ClassVar[str] = "Leave the lot out, or have {item} tracked by lot or serial."


@dataclass(eq=False)
class SerialIsOnePiece(DomainError):
    """A serial number for more or less than one piece."""

    item: str
    lot: str
    quantity: Decimal
    code: ClassVar[str] = "lot.serial_is_one_piece"
    what: ClassVar[str] = "Serial {lot} of {item} can't stand for {quantity} pieces."
    why: ClassVar[str] = "A serial number names one piece, and each piece has its own."
    fix: ClassVar[str] = "Give each piece its own number."


@dataclass(eq=False)
class LotNotUsable(DomainError):
    """A lot that must not be used."""

    item: str
    lot: str
    cause: str
    code: ClassVar[str] = "lot.not_usable"
    what: ClassVar[str] = "Lot {lot} of {item} can't be used."
    why: ClassVar[str] = "It is {cause}."
    fix: ClassVar[str] = "Take another lot of {item}."


def require_lot(item: str, tracking: Tracking, lot: str, quantity: Decimal) -> None:
    """Refuse a line whose lot does not fit how its item is tracked.

    Raises
    ------
    LotNeeded (lot.needed), NotTracked (lot.not_tracked), SerialIsOnePiece (lot.serial_is_one_piece)
    """
    if tracking is Tracking.NONE:
        if lot:
            raise NotTracked(item, lot)
    elif not lot:
        raise LotNeeded(item, tracking.value)
    elif tracking is Tracking.SERIAL and quantity != ONE:
        raise SerialIsOnePiece(item, lot, quantity)


def require_usable(item: str, lot: LotStock, on: date) -> None:
    """Refuse a lot that may not go into an order on a day: LotNotUsable (lot.not_usable)."""
    if lot.state is not LotState.USABLE:
        raise LotNotUsable(item, lot.code, lot.state.value)
    if not lot.may_be_used(on):
        raise LotNotUsable(item, lot.code, f"expired since {lot.expires_on}")


@exact
def first_out(
    lots: Iterable[LotStock], quantity: Decimal, on: date, *, before: str = ""
) -> list[tuple[str, Decimal]]:
    """Return which lots a quantity is taken from: first expired, first out; then the oldest, then by code.

    What is quarantined, rejected or expired is left out. Where the rest is not enough the
    quantities add up to less than was asked for.

    Parameters
    ----------
    lots : what is there at the place, in any order
    quantity : Decimal [unit], > 0
    on : the day on which they would be used
    before : a lot that goes before all others

    Source
    ------
    First expired, first out: WHO good storage and distribution practices (TRS 1025, annex 7),
    ch. 8; from memory.

    Examples
    --------
    >>> lots = [LotStock(code="A", quantity=Decimal(5), age=1),
    ...         LotStock(code="B", quantity=Decimal(5), age=2, expires_on=date(2026, 12, 1))]
    >>> [(code, str(q)) for code, q in first_out(lots, Decimal(7), date(2026, 11, 28))]
    [('B', '5'), ('A', '2')]
    """
    usable = (lot for lot in lots if lot.may_be_used(on) and lot.quantity > 0)
    found: list[tuple[str, Decimal]] = []
    left = quantity
    for lot in sorted(
        usable,
        key=lambda each: (each.code != before, each.expires_on or date.max, each.age, each.code),
    ):
        if left:
            part = min(left, lot.quantity)
            found.append((lot.code, part))
            left -= part
    return found


_NUMBER = pattern(r"\{number(?::([1-9]))?\}")


def stem_of(rule: str, day: date) -> str:
    """Return a numbering rule with the year in it: numbers run on where this is the same.

    >>> stem_of("HT-{year}-{number:4}", date(2026, 11, 28))
    'HT-2026-{number:4}'
    """
    stem = rule.replace("{year}", f"{day.year}")
    return stem if _NUMBER.search(stem) else stem + "{number}"


def numbered(stem: str, number: int) -> str:
    """Return the code of a running number, filled with zeros to the width that the rule asks for.

    >>> numbered("HT-2026-{number:4}", 7)
    'HT-2026-0007'
    """
    return _NUMBER.sub(lambda found: f"{number:0{found.group(1) or 1}d}", stem)


def pieces_of(tracking: Tracking, quantity: Decimal) -> list[Decimal]:
    """Return the lines that a quantity without lots is divided into: of serials one for each piece.

    Parameters
    ----------
    tracking : of the item
    quantity : Decimal [unit], >= 0; of serials whole

    Source
    ------
    Common practice.

    >>> len(pieces_of(Tracking.SERIAL, Decimal(3))), len(pieces_of(Tracking.LOT, Decimal(3)))
    (3, 1)
    """
    if tracking is not Tracking.SERIAL:
        return [quantity] if quantity > ZERO else []
    return [ONE] * int(quantity)
