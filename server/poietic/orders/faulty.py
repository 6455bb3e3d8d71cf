"""Orders that can't be computed: each says so in its row, and takes no other with it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar, TypeVar

from poietic_core.errors import DomainError

R = TypeVar("R")
#: what computing an order raises whose rows, calendar or work center make no sense
MAKES_NO_SENSE = (DomainError, ArithmeticError, ValueError, LookupError, AssertionError)


@dataclass(eq=False)
class OrderFaulty(DomainError):
    """An order whose page can't be computed."""

    order: int
    reason: str
    code: ClassVar[str] = "order.faulty"
    what: ClassVar[str] = "Order {order} can't be shown."
    why: ClassVar[str] = "{reason}"
    fix: ClassVar[str] = "Put right what is named; all other orders go on as before."


def computed(compute: Callable[[], R]) -> tuple[R | None, str]:
    """Return what is computed, or nothing and why it could not be."""
    try:
        return compute(), ""
    except MAKES_NO_SENSE as err:
        words = str(err) if isinstance(err, DomainError) else f"{type(err).__name__}: {err}"
        return None, f"It can't be computed: {words}"[:400]
