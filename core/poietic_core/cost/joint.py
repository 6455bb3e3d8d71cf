"""Joint cost: what one process costs, divided over the outputs that leave it together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ONE, ZERO, exact
from ..structure.model import Grade, ShareRule


@dataclass(frozen=True, slots=True, kw_only=True)
class JointOutput:
    """An output of a joint process: how much of it, and what one unit of it weighs in the rule."""

    item: str
    quantity: Decimal
    #: fixed shares: the share of all of it; else per unit
    weight: Decimal


@dataclass(eq=False)
class SharesDontAdd(DomainError):
    """Shares of a joint cost or of grades that don't add up to 1."""

    item: str
    total: Decimal
    code: ClassVar[str] = "cost.shares_dont_add"
    what: ClassVar[str] = "The shares of the outputs of {item} can't be used."
    why: ClassVar[str] = "They add up to {total}, not to 1."
    fix: ClassVar[str] = "Change them so that they add up to 1."


@exact
def joint_shares(
    item: str, rule: ShareRule, outputs: Sequence[JointOutput]
) -> Mapping[str, Decimal]:
    """Return the share of the joint cost that each output bears.

    Fixed shares are taken as given; every other rule divides by quantity × weight: sales
    value at split-off, a physical measure, or net realizable value per unit.

    Parameters
    ----------
    rule : how the joint cost is divided
    outputs : with quantities [unit], and what the rule weighs them by [money/unit, or its measure]

    Raises
    ------
    SharesDontAdd (cost.shares_dont_add)
        If fixed shares don't add up to 1, or all weights are 0.

    Source
    ------
    Horngren, Datar & Rajan, Cost Accounting: A Managerial Emphasis, ch. 16.
    """
    if rule is ShareRule.FIXED:
        weights = {o.item: o.weight for o in outputs}
        if sum(weights.values(), ZERO) != ONE:
            raise SharesDontAdd(item, sum(weights.values(), ZERO))
        return weights
    weights = {o.item: o.quantity * o.weight for o in outputs}
    whole = sum(weights.values(), ZERO)
    if whole <= 0:
        raise SharesDontAdd(item, whole)
    return {code: weight / whole for code, weight in weights.items()}


@exact
def grade_factors(item: str, grades: Sequence[Grade]) -> Mapping[str, Decimal]:
    """Return what one unit of each grade costs, as a multiple of the process cost per graded unit.

    In proportion to the weights, so that Σ share × factor = 1.

    Parameters
    ----------
    item : of the process
    grades : with expected shares that add up to 1, and weights > 0

    Raises
    ------
    SharesDontAdd (cost.shares_dont_add)

    Source
    ------
    Relative sales value at split-off: Horngren, Datar & Rajan, ch. 16.
    """
    whole = sum((g.share for g in grades), ZERO)
    weighed = sum((g.share * g.weight for g in grades), ZERO)
    if whole != ONE or weighed <= 0:
        raise SharesDontAdd(item, whole if whole != ONE else weighed)
    return {g.item: g.weight / weighed for g in grades}
