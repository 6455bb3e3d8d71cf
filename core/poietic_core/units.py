"""Units of measure: dimensions, exact conversions, and what a cut piece measures."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from typing import ClassVar

from .derivation import Derivation, given, product
from .errors import DomainError, UnknownUnit
from .quantity import decimal_of, exact


class Dimension(StrEnum):
    """What a unit measures; units of one dimension convert into each other."""

    COUNT = "count"
    MASS = "mass"
    LENGTH = "length"
    AREA = "area"
    VOLUME = "volume"


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit with its size in the SI unit of its dimension."""

    dimension: Dimension
    size: Decimal
    #: what suits a quantity in this unit unless the item says otherwise
    step: Decimal


def _unit(dimension: Dimension, size: str, step: str) -> Unit:
    return Unit(dimension, Decimal(size), Decimal(step))


#: Exact factors: SI, and NIST SP 811 (2008), appendix B.8, for inch, foot, pound, ounce, gallon.
UNITS: dict[str, Unit] = {
    "pcs": _unit(Dimension.COUNT, "1", "1"),
    "kg": _unit(Dimension.MASS, "1", "0.001"),
    "g": _unit(Dimension.MASS, "0.001", "0.1"),
    "t": _unit(Dimension.MASS, "1000", "0.001"),
    "lb": _unit(Dimension.MASS, "0.45359237", "0.001"),
    "oz": _unit(Dimension.MASS, "0.028349523125", "0.01"),
    "m": _unit(Dimension.LENGTH, "1", "0.001"),
    "cm": _unit(Dimension.LENGTH, "0.01", "0.1"),
    "mm": _unit(Dimension.LENGTH, "0.001", "1"),
    "in": _unit(Dimension.LENGTH, "0.0254", "0.01"),
    "ft": _unit(Dimension.LENGTH, "0.3048", "0.001"),
    "m²": _unit(Dimension.AREA, "1", "0.001"),
    "cm²": _unit(Dimension.AREA, "0.0001", "0.1"),
    "ft²": _unit(Dimension.AREA, "0.09290304", "0.001"),
    "m³": _unit(Dimension.VOLUME, "1", "0.001"),
    "L": _unit(Dimension.VOLUME, "0.001", "0.001"),
    "mL": _unit(Dimension.VOLUME, "0.000001", "1"),
    "gal": _unit(Dimension.VOLUME, "0.003785411784", "0.001"),
}
#: the SI unit of each dimension
BASE_UNIT = {
    Dimension.COUNT: "pcs",
    Dimension.MASS: "kg",
    Dimension.LENGTH: "m",
    Dimension.AREA: "m²",
    Dimension.VOLUME: "m³",
}


@dataclass(eq=False)
class NoConversion(DomainError):
    """Nothing converts one unit into another for an item."""

    item: str
    unit: str
    into: str
    code: ClassVar[str] = "quantity.no_conversion"
    what: ClassVar[str] = "{unit} of {item} can't be counted in {into}."
    why: ClassVar[str] = "Nothing converts {unit} into {into} for {item}."
    fix: ClassVar[str] = "State it in {into}, or say how much {into} one {unit} of {item} is."


@dataclass(eq=False)
class MeasureIncomplete(DomainError):
    """A measured line lacks what its measure is made of."""

    item: str
    by: str
    lacks: list[str]
    code: ClassVar[str] = "quantity.measure_incomplete"
    what: ClassVar[str] = "The line of {item} is measured by {by}."
    why: ClassVar[str] = "It lacks {lacks}."
    fix: ClassVar[str] = "Enter {lacks} above 0."


def require_unit(unit: str) -> str:
    """Return `unit` if it is known, else raise UnknownUnit (quantity.unknown_unit)."""
    if unit not in UNITS:
        raise UnknownUnit(unit, list(UNITS))
    return unit


def conversion_factor(
    unit: str, into: str, *, item: str, stock_unit: str, own: Mapping[str, Decimal] | None = None
) -> Decimal:
    """Return how many `into` one `unit` of an item is, as a decimal; else as `exact_factor`.

    Parameters
    ----------
    unit, stock_unit : names of units
    item : for refusals
    own : the item's own units, in stock units

    Source
    ------
    NIST SP 811, appendix B (from memory).

    Examples
    --------
    >>> print(conversion_factor("lb", "kg", item="X", stock_unit="kg"))
    0.45359237
    >>> own = {"sheet": Decimal(2)}
    >>> print(f"{conversion_factor('sheet', 'cm²', item='X', stock_unit='m²', own=own):f}")
    20000
    """
    return decimal_of(exact_factor(unit, into, item=item, stock_unit=stock_unit, own=own))


def exact_factor(
    unit: str, into: str, *, item: str, stock_unit: str, own: Mapping[str, Decimal] | None = None
) -> Fraction:
    """Return how many `into` one `unit` of an item is.

    Parameters
    ----------
    unit, into : units of measure, or names of the item's own units
    item : the item's code, for the refusal
    stock_unit : the unit that the item is kept in
    own : the item's own units, each in stock units (box: 24, sheet: 2)

    Raises
    ------
    NoConversion (quantity.no_conversion)
        Also where an own unit is not above 0 stock units.

    Source
    ------
    SI brochure; NIST SP 811, appendix B (from memory).
    """
    if unit == into:
        return Fraction(1)
    left = _in_base(unit, stock_unit, own or {})
    right = _in_base(into, stock_unit, own or {})
    if left is None or right is None or left[0] is not right[0] or min(left[1], right[1]) <= 0:
        raise NoConversion(item, unit, into)
    return Fraction(left[1]) / Fraction(right[1])


def _in_base(
    unit: str, stock_unit: str, own: Mapping[str, Decimal]
) -> tuple[Dimension, Decimal] | None:
    if unit in own:
        stock = UNITS[stock_unit]
        return stock.dimension, own[unit] * stock.size
    known = UNITS.get(unit)
    return (known.dimension, known.size) if known else None


class MeasuredBy(StrEnum):
    """What a component line's pieces are measured by."""

    LENGTH = "length"
    AREA = "area"
    VOLUME = "volume"
    MASS = "mass"


@dataclass(frozen=True, slots=True, kw_only=True)
class Measure:
    """The size of one piece of a component line [mm], and the density of its material [kg/m³]."""

    by: MeasuredBy
    length: Decimal
    width: Decimal | None = None
    thickness: Decimal | None = None
    density: Decimal | None = None

    def unit(self) -> str:
        """Return the unit that the measure comes in."""
        return BASE_UNIT[Dimension(self.by.value)]


@exact
def measured_piece(measure: Measure, item: str) -> Derivation:
    """Return what one piece measures: length, length × width, × thickness, × density.

    Parameters
    ----------
    measure : sizes [mm], density [kg/m³]
    item : the item's code, for the refusal

    Returns
    -------
    Derivation [m, m², m³ or kg, by the measure]

    Raises
    ------
    MeasureIncomplete (quantity.measure_incomplete)
        If a size or the density is missing or not above 0.

    Source
    ------
    Geometry; mass is volume × density.

    Examples
    --------
    >>> plate = Measure(by=MeasuredBy.MASS, length=Decimal(1000), width=Decimal(1000),
    ...                 thickness=Decimal(1), density=Decimal(7850))
    >>> print(f"{measured_piece(plate, 'PL').value:f}")
    7.850000000
    """
    wanted: list[tuple[str, Decimal | None]] = [("length", measure.length)]
    if measure.by is not MeasuredBy.LENGTH:
        wanted.append(("width", measure.width))
    if measure.by in (MeasuredBy.VOLUME, MeasuredBy.MASS):
        wanted.append(("thickness", measure.thickness))
    sizes = [given(name, value * UNITS["mm"].size, unit="m") for name, value in wanted if value]
    if measure.by is MeasuredBy.MASS:
        wanted.append(("density", measure.density))
        if measure.density:
            sizes.append(given("density", measure.density, unit="kg/m³", source=f"item:{item}"))
    lacks = [name for name, value in wanted if value is None or value <= 0]
    if lacks:
        raise MeasureIncomplete(item, measure.by.value, lacks)
    return product("one piece", sizes, unit=measure.unit())
