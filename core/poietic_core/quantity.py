"""Decimal arithmetic, steps and rounding: the only place that rounds."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import (
    ROUND_FLOOR,
    ROUND_HALF_UP,
    Context,
    Decimal,
    InvalidOperation,
    getcontext,
    setcontext,
)
from fractions import Fraction
from functools import wraps
from math import ceil
from typing import ParamSpec, TypeVar

from .errors import BeyondDigits, OffStep, OutOfRange

ZERO = Decimal(0)
ONE = Decimal(1)
CENT = Decimal("0.01")
UNIT_COST_STEP = Decimal("0.000001")
HOUR_STEP = Decimal("0.0001")
LAST_DIGITS = Decimal("1E-20")
CONTEXT = Context(prec=34, rounding=ROUND_HALF_UP)
#: fewer digits: what a long calculation left of a tie beyond them is the tie
SETTLED = Context(prec=28, rounding=ROUND_HALF_UP)

P = ParamSpec("P")
R = TypeVar("R")


def exact(function: Callable[P, R]) -> Callable[P, R]:
    """Run `function` in the core's own decimal context, so no caller's context changes a result."""

    @wraps(function)
    def run(*args: P.args, **kwargs: P.kwargs) -> R:
        callers = getcontext()
        if callers is CONTEXT:  # called from within the core
            return function(*args, **kwargs)
        setcontext(CONTEXT)
        try:
            return function(*args, **kwargs)
        finally:
            setcontext(callers)

    return run


@exact
def require_step(name: str, quantity: Decimal, *, step: Decimal, unit: str) -> Decimal:
    """Return `quantity` if it is a multiple of `step`, else refuse with the two nearest values.

    Parameters
    ----------
    name : of the quantity, for the refusal
    quantity : Decimal [unit]
    step : Decimal [unit], > 0
    unit : for the refusal

    Raises
    ------
    OffStep (quantity.off_step)
    BeyondDigits (number.beyond_digits)

    Source
    ------
    Quantities as multiples of the smallest that is counted: common practice.

    Examples
    --------
    >>> require_step("Quantity", Decimal("2.5"), step=Decimal("0.5"), unit="kg")
    Decimal('2.5')
    """
    require_digits(quantity, step)
    if quantity % step:
        below = (quantity / step).to_integral_value(ROUND_FLOOR) * step
        raise OffStep(name, quantity, unit, step, below, below + step)
    return quantity


@exact
def require_positive(name: str, value: Decimal) -> Decimal:
    """Return `value` if it is above zero, else raise OutOfRange (input.out_of_range)."""
    if value <= 0:
        raise OutOfRange(name, value, "above 0")
    return value


def require_digits(value: Decimal, step: Decimal) -> None:
    """Refuse a value that can't be told to the step: BeyondDigits (number.beyond_digits)."""
    if value and value.adjusted() - step.adjusted() >= CONTEXT.prec - 1:
        raise BeyondDigits(f"{value:.3E}", f"{step.normalize():f}", CONTEXT.prec)


@exact
def round_up(quantity: Decimal | Fraction, step: Decimal) -> Decimal:
    """Return the smallest multiple of `step` that is not below `quantity`.

    Whoever divides hands over a fraction: the last digit of a division, rounded up, would ask
    for one step more.

    Parameters
    ----------
    quantity : Decimal or Fraction [unit]
    step : Decimal [unit], > 0

    Raises
    ------
    BeyondDigits (number.beyond_digits)

    Source
    ------
    Ceiling to a multiple.

    Examples
    --------
    >>> round_up(Decimal("21.05"), Decimal(1))
    Decimal('22')
    >>> round_up(3 / Fraction("0.6"), Decimal(1))
    Decimal('5')
    """
    if isinstance(quantity, Decimal):
        require_digits(quantity, step)
    steps = Decimal(ceil(Fraction(quantity) / Fraction(step)))
    require_digits(steps, ONE)
    return steps * step


@exact
def decimal_of(value: Fraction) -> Decimal:
    """Return a fraction as a decimal, to the core's digits."""
    return Decimal(value.numerator) / Decimal(value.denominator)


@exact
def round_to(value: Decimal, step: Decimal) -> Decimal:
    """Return the multiple of `step` nearest to `value`, halves away from zero (common practice).

    Raises BeyondDigits (number.beyond_digits).

    >>> round_to(Decimal("2136.145"), Decimal("0.01"))
    Decimal('2136.15')

    A half is one however it came about: the last digits of a long calculation don't decide.

    >>> round_to(Decimal("148.6350974999999999999999999999999"), UNIT_COST_STEP)
    Decimal('148.635098')
    """
    require_digits(value, step)
    return SETTLED.plus(value / step).to_integral_value(ROUND_HALF_UP) * step


def money(value: Decimal) -> Decimal:
    """Return `value` to the cent: what a posting carries.

    As `round_to` does; of a power of ten there is a shorter way, and nearly all that is rounded is money.
    """
    require_digits(value, CENT)
    return SETTLED.plus(value).quantize(CENT, ROUND_HALF_UP, CONTEXT)


@exact
def round_parts(parts: Sequence[Decimal], total: Decimal, step: Decimal = CENT) -> list[Decimal]:
    """Return `parts` rounded to multiples of `step` that add up to `total`.

    Largest remainder: each part is rounded down, then the steps still missing go to the
    parts with the largest remainders; ties in the order given. `step` is a power of ten and
    `total` a multiple of it; the parts add up to it but for what rounding can make, else the
    missing steps go round the parts in the same order.

    Parameters
    ----------
    parts : Decimals [unit of `step`]
    total : what they are to add up to, a multiple of `step`
    step : a power of ten, > 0

    Source
    ------
    Hamilton's method of apportionment; Balinski & Young (1982), Fair Representation.

    Examples
    --------
    >>> third = Decimal(10) / 3
    >>> [str(x) for x in round_parts([third, third, third], Decimal(10))]
    ['3.34', '3.33', '3.33']
    """
    if not parts:
        return []
    try:
        floors = [p.quantize(step, ROUND_FLOOR) for p in parts]
    except InvalidOperation as err:
        raise BeyondDigits(f"{max(parts):.3E}", f"{step:f}", CONTEXT.prec) from err
    missing = int((total - sum(floors, ZERO)) / step)
    if missing:
        # what differs in the last digits of a division only is a tie
        last = LAST_DIGITS * step
        rests = [(f - p).quantize(last) for f, p in zip(floors, parts, strict=True)]
        order = sorted(range(len(parts)), key=rests.__getitem__)
        each, extra = divmod(missing, len(parts))
        for rank, i in enumerate(order):
            floors[i] += step * (each + 1 if rank < extra else each)
    return floors


@exact
def allocate(total: Decimal, weights: Sequence[Decimal], step: Decimal = CENT) -> list[Decimal]:
    """Return `total` split in proportion to `weights`, in multiples of `step`, adding up to it.

    Weights that add up to zero put everything on the first.

    Parameters
    ----------
    total : Decimal, a multiple of `step`
    weights : Decimals >= 0, in any unit
    step : a power of ten, > 0

    Source
    ------
    As of `round_parts`.
    """
    base = sum(weights, ZERO)
    if not base:
        return [total if i == 0 else ZERO for i in range(len(weights))]
    return round_parts([total * w / base for w in weights], total, step)
