"""What an hour costs: rates in layers that each name a cost element, and the rates of labour grades."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import ClassVar

from ..derivation import Derivation, given, product
from ..errors import DomainError
from ..quantity import ZERO, exact, money
from .model import TIME_ELEMENT, Element, InputKind
from .overhead import OverheadRate


@dataclass(frozen=True, slots=True, kw_only=True)
class RateLayer:
    """A part of a machine hour's rate: an amount, or a percentage of another layer."""

    name: str
    element: Element
    #: per hour [money/h]; 0 where it is a percentage
    amount: Decimal = ZERO
    #: of the layer named, as a share: 0.15 is 15 %
    percent: Decimal = ZERO
    of: str = ""


@dataclass(eq=False)
class LayerLoop(DomainError):
    """A layer is a percentage of one that there is not, or, at last, of itself."""

    layer: str
    of: str
    code: ClassVar[str] = "rate.layer_without_base"
    what: ClassVar[str] = "The layer {layer} can't be computed."
    why: ClassVar[str] = "It is a percentage of {of}, which is no layer with an amount before it."
    fix: ClassVar[str] = "Put the layer that it is a percentage of above it."


@dataclass(frozen=True, slots=True)
class Rate:
    """What an hour costs, by element [money/h]."""

    split: Mapping[Element, Decimal]
    #: the sum over the elements
    per_hour: Decimal = field(init=False)

    def __post_init__(self) -> None:
        """Add up the elements once."""
        object.__setattr__(self, "per_hour", sum(self.split.values(), ZERO))

    @classmethod
    def plain(cls, element: Element, amount: Decimal) -> Rate:
        """Return a rate of one element."""
        return cls({element: amount})


@dataclass(frozen=True, slots=True, kw_only=True)
class Rates:
    """What an hour at a work center costs: of its people, where no grade is named, and its machine."""

    labour: Decimal
    machine: Rate


@dataclass(frozen=True, slots=True)
class ShopRates:
    """The rates of all work centers and labour grades on a day."""

    centers: Mapping[str, Rates]
    #: per person-hour [money/h]
    grades: Mapping[str, Decimal] = field(default_factory=dict)
    overheads: Sequence[OverheadRate] = ()
    #: overheads whose last budget has ended: at which work center ("" means all), and when
    ended: Mapping[str, tuple[str, date]] = field(default_factory=dict)
    #: rates that were asked for
    _hours: dict[tuple[InputKind, str, str], Rate] = field(
        default_factory=dict, init=False, compare=False, repr=False
    )

    def hour(self, kind: InputKind, center: str, grade: str) -> Rate:
        """Return what an hour of a kind of time costs: of people the grade's rate, else the work center's own."""
        key = (kind, center, grade)
        if key not in self._hours:
            rates = self.centers[center]
            if kind in (InputKind.SETUP_LABOUR, InputKind.RUN_LABOUR):
                labour = self.grades[grade] if grade else rates.labour
                self._hours[key] = Rate.plain(TIME_ELEMENT[kind], labour)
            else:
                self._hours[key] = rates.machine
        return self._hours[key]


@exact
def layered(layers: Sequence[RateLayer]) -> dict[str, Derivation]:
    """Return what each layer adds to an hour, in their order [money/h].

    Raises
    ------
    LayerLoop (rate.layer_without_base)
        If a percentage names a layer that does not stand before it.
    """
    amounts: dict[str, Derivation] = {}
    for layer in layers:
        if not layer.of:
            amounts[layer.name] = given(layer.name, layer.amount, unit="EUR/h")
            continue
        if layer.of not in amounts:
            raise LayerLoop(layer.name, layer.of)
        share = given(f"share of {layer.of}", layer.percent)
        amounts[layer.name] = product(layer.name, (amounts[layer.of], share), unit="EUR/h")
    return amounts


@exact
def rate_of(layers: Sequence[RateLayer]) -> Rate:
    """Return the rate of an hour from its layers, by element."""
    amounts = layered(layers)
    split: dict[Element, Decimal] = {}
    for layer in layers:
        split[layer.element] = split.get(layer.element, ZERO) + amounts[layer.name].value
    return Rate(split)


@exact
def overtime_premium(hours: Decimal, rate: Decimal, share: Decimal) -> Decimal:
    """Return what hours of overtime cost on top of what any hour costs [money].

    Parameters
    ----------
    hours : of overtime [h]
    rate : of an hour [money/h]
    share : paid on top of the rate for an hour of overtime

    Source
    ------
    Overtime premium: Horngren, Datar & Rajan, Cost Accounting, ch. 2.

    Examples
    --------
    44 hours at 20, four of them overtime at half as much again: 40 on top of 880 (ibid., from memory).

    >>> overtime_premium(Decimal(4), Decimal(20), Decimal("0.5"))
    Decimal('40.00')
    """
    return money(hours * rate * share)
