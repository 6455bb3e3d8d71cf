"""Layers of value: what each receipt is still worth, what an issue takes, what a return restores."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from ..errors import OutOfRange
from ..quantity import ZERO, allocate, exact, money


@dataclass(frozen=True, slots=True, kw_only=True)
class Layer:
    """What is left of one receipt; layers are told apart, and older from younger, by `key`."""

    key: int
    #: left of it [unit], and what that is worth [money]
    quantity: Decimal
    value: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Taking:
    """What one movement took out of one layer: quantity [unit] and value [money]."""

    layer: int
    quantity: Decimal
    value: Decimal


@exact
def take_oldest(layers: Iterable[Layer], quantity: Decimal) -> tuple[Taking, ...]:
    """Return what an issue takes out of layers: the oldest first, in proportion, all of a layer's rest.

    A layer of value V with Q left gives round(V × q / Q) for a part q of it, and V for all of
    it, so no layer is ever empty and worth something. Layers with nothing left are passed over.

    Parameters
    ----------
    layers : those that may be taken from, in any order; of lot actual: the lot's
    quantity : Decimal [unit], > 0

    Raises
    ------
    OutOfRange (input.out_of_range)
        If there is less.

    Source
    ------
    First in, first out: Kieso, Weygandt & Warfield, Intermediate Accounting, ch. 8; of one lot:
    specific identification, ibid.

    Examples
    --------
    >>> old, new = (Layer(key=k, quantity=Decimal(3), value=Decimal(v)) for k, v in ((1, 10), (2, 12)))
    >>> [(t.layer, str(t.quantity), str(t.value)) for t in take_oldest([new, old], Decimal(4))]
    [(1, '3', '10'), (2, '1', '4.00')]
    """
    left = quantity
    found: list[Taking] = []
    for layer in sorted(layers, key=lambda each: each.key):
        if left and layer.quantity:
            part = min(left, layer.quantity)
            found.append(Taking(layer=layer.key, quantity=part, value=_worth(layer, part)))
            left -= part
    if left:
        raise OutOfRange("The quantity", quantity, f"{quantity - left} or less")
    return tuple(found)


@exact
def restore_latest(takings: Sequence[Taking], quantity: Decimal) -> tuple[Taking, ...]:
    """Return what a return puts back: into the layers it came from, the latest taken first.

    Each at the value at which it was taken; a part of a taking in proportion, its last piece
    with all that is left of its value.

    Parameters
    ----------
    takings : what was taken and not put back since, in the order in which it was taken
    quantity : Decimal [unit], > 0

    Raises
    ------
    OutOfRange (input.out_of_range)
        If there is less.

    Examples
    --------
    >>> taken = take_oldest([Layer(key=1, quantity=Decimal(3), value=Decimal(10))], Decimal(3))
    >>> str(restore_latest(taken, Decimal(1))[0].value)
    '3.33'
    """
    left = quantity
    found: list[Taking] = []
    for taking in reversed(takings):
        if left and taking.quantity:
            part = min(left, taking.quantity)
            found.append(Taking(layer=taking.layer, quantity=part, value=_worth(taking, part)))
            left -= part
    if left:
        raise OutOfRange("The quantity", quantity, f"{quantity - left} or less")
    return tuple(found)


def outstanding(takings: Iterable[Taking]) -> list[Taking]:
    """Return what was taken and not put back since, in the order in which it was taken.

    Parameters
    ----------
    takings : in the order in which they were posted; what was put back has a quantity below zero,
        and takes from the latest takings of its layer

    Examples
    --------
    >>> taken = Taking(layer=1, quantity=Decimal(3), value=Decimal(10))
    >>> back = Taking(layer=1, quantity=Decimal(-1), value=Decimal("-3.33"))
    >>> [(str(t.quantity), str(t.value)) for t in outstanding([taken, back])]
    [('2', '6.67')]
    """
    open_: list[Taking] = []
    for taking in takings:
        if taking.quantity > 0:
            open_.append(taking)
            continue
        quantity, value = -taking.quantity, -taking.value
        for at in reversed(range(len(open_))):
            held = open_[at]
            if not quantity or held.layer != taking.layer or not held.quantity:
                continue
            part = min(quantity, held.quantity)
            worth = value if part == quantity else held.value
            open_[at] = Taking(
                layer=held.layer, quantity=held.quantity - part, value=held.value - worth
            )
            quantity, value = quantity - part, value - worth
    return [t for t in open_ if t.quantity]


@exact
def layers_of(value: Decimal, quantities: Sequence[Decimal]) -> list[Decimal]:
    """Return a pool's value divided over what is to become its layers, by quantity, to the cent.

    Parameters
    ----------
    value : of the pool [money], to the cent
    quantities : of the layers to be [unit], > 0

    Source
    ------
    Largest remainder (Balinski & Young, 1982).

    Examples
    --------
    >>> [str(v) for v in layers_of(Decimal("10.00"), [Decimal(1), Decimal(1), Decimal(1)])]
    ['3.34', '3.33', '3.33']
    """
    return allocate(value, quantities)


def total(takings: Iterable[Taking]) -> Decimal:
    """Return what takings are worth together [money]."""
    return sum((t.value for t in takings), ZERO)


def _worth(held: Layer | Taking, part: Decimal) -> Decimal:
    if part == held.quantity:
        return held.value
    return money(held.value * part / held.quantity)
