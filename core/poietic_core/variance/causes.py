"""The causes of a variance, how they are named, and how they are rounded to add up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from ..cost.model import OVERHEAD_KINDS, TIME_ELEMENT, InputKind
from ..derivation import Derivation, given
from ..quantity import ZERO, exact, money, round_parts
from .facts import MADE_ONCE, InputFacts


class CauseKind(StrEnum):
    """Why an order cost more or less than its standard, in the order in which ties are broken."""

    PRICE = "price"
    STANDARD_CHANGE = "standard change"
    RATE = "rate"
    USAGE = "usage"
    EFFICIENCY = "efficiency"
    SUBSTITUTION = "substitution"
    MIX = "mix"
    MIX_YIELD = "mix yield"
    YIELD = "yield"
    METHOD = "method"
    SETUP = "setup"
    ORDER_SIZE = "order size"
    BY_PRODUCT_PRICE = "by-product price"
    BY_PRODUCT_QUANTITY = "by-product quantity"
    GRADING = "grading"
    OUTPUT_MIX = "output mix"
    REWORK = "rework"
    EXTRA_COST = "extra cost"
    WRITTEN_OFF = "written off"
    FIXED_OVERHEAD_VOLUME = "fixed overhead volume"
    ROUNDING = "rounding"


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """One cause of variance at one operation; positive is unfavourable."""

    kind: CauseKind
    operation: int
    code: str
    amount: Derivation
    #: the kind of input; None for rounding
    input: InputKind | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Variance:
    """What an order was charged, what it was allowed, and why they differ [money]."""

    charged: Decimal
    received_value: Decimal
    #: standard value of what is still in the order, by operation
    wip_at_standard: Mapping[int, Decimal]
    causes: Sequence[Cause]
    #: what rounding can leave at most [money]
    rounding_most: Decimal

    @exact
    def allowed(self) -> Decimal:
        """Return what the standard allows for what was done, to the cent."""
        return self.received_value + money(sum(self.wip_at_standard.values(), ZERO))

    @exact
    def to_date(self) -> Decimal:
        """Return charged minus allowed; unfavourable is positive."""
        return self.charged - self.allowed()

    @exact
    def rounded_causes(self) -> list[tuple[Cause, Decimal]]:
        """Return the causes to the cent, with the rounding cause, adding up to `to_date`.

        Raises
        ------
        AssertionError
            If more is left than rounding can leave: the decomposition would hide a cause.
        """
        unrounded = [c.amount.value for c in self.causes]
        rest = self.to_date() - sum(unrounded, ZERO)
        if abs(rest) > self.rounding_most:
            raise AssertionError(f"The causes leave {rest} of {self.to_date()} unexplained.")
        kinds = list(CauseKind)
        ranked = sorted(
            range(len(self.causes)), key=lambda i: (kinds.index(self.causes[i].kind), i)
        )
        causes = [self.causes[i] for i in ranked]
        left = Cause(
            kind=CauseKind.ROUNDING,
            operation=0,
            code="",
            amount=given("what rounding left", rest, unit="EUR"),
        )
        # rounding goes first, so that of what ties it takes the cent rather than shows one
        amounts = [c.amount.value for c in (left, *causes)]
        of_left, *parts = round_parts(amounts, self.to_date())
        return [*zip(causes, parts, strict=True), (left, of_left)]


def named_cause(kind: CauseKind, i: InputFacts) -> CauseKind:
    """Return the name a cause has for this kind of input."""
    if i.kind is InputKind.EXTRA:  # it has no quantity: all of it is beyond the price
        return CauseKind.EXTRA_COST
    if i.kind is InputKind.BY_PRODUCT:
        return {
            CauseKind.PRICE: CauseKind.BY_PRODUCT_PRICE,
            CauseKind.USAGE: CauseKind.BY_PRODUCT_QUANTITY,
        }.get(kind, kind)
    if i.is_at_standard and kind is CauseKind.PRICE:  # it was issued at another standard
        return CauseKind.STANDARD_CHANGE
    if i.is_rework and kind is CauseKind.USAGE:
        return CauseKind.REWORK
    if i.is_fixed_overhead:
        return CauseKind.FIXED_OVERHEAD_VOLUME
    if i.kind in MADE_ONCE and kind is CauseKind.USAGE:
        return CauseKind.SETUP
    if i.kind in TIME_ELEMENT or i.kind in OVERHEAD_KINDS:
        return {CauseKind.PRICE: CauseKind.RATE, CauseKind.USAGE: CauseKind.EFFICIENCY}.get(
            kind, kind
        )
    return kind
