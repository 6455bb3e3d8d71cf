"""The base of every deliberate error, and the errors that all parts share."""

from __future__ import annotations

from dataclasses import dataclass, fields
from decimal import Decimal
from typing import ClassVar


@dataclass(eq=False)
class DomainError(Exception):
    """Base of every deliberate error; subclasses add fields and four texts."""

    code: ClassVar[str] = ""  # stable, listed in docs/errors.md, never reused
    what: ClassVar[str] = ""
    why: ClassVar[str] = ""
    fix: ClassVar[str] = ""

    def context(self) -> dict[str, object]:
        """Return the fields of the error by name."""
        return {f.name: getattr(self, f.name) for f in fields(self)}

    def explain(self) -> dict[str, str]:
        """Return what happened, why, and what can be done, as three sentences."""
        values = {name: _plain(value) for name, value in self.context().items()}
        return {k: getattr(self, k).format_map(values) for k in ("what", "why", "fix")}

    def __str__(self) -> str:
        return " ".join(self.explain().values())

    def __reduce__(self) -> tuple[type[DomainError], tuple[object, ...]]:
        return type(self), tuple(self.context().values())  # crosses process pools


def _plain(value: object) -> object:
    """Return a decimal without exponent or idle zeros, a list as words; others as they are."""
    if isinstance(value, Decimal):
        return format(value.normalize() + 0, "f") if value else "0"
    if isinstance(value, list | tuple):
        return ", ".join(str(_plain(v)) for v in value)
    return value


@dataclass(eq=False)
class OutOfRange(DomainError):
    """A number lies outside what the rule allows."""

    name: str
    value: Decimal
    allowed: str
    code: ClassVar[str] = "input.out_of_range"
    what: ClassVar[str] = "{name} is {value}."
    why: ClassVar[str] = "It must be {allowed}."
    fix: ClassVar[str] = "Enter a value that is, and try again."


@dataclass(eq=False)
class OffStep(DomainError):
    """A quantity is not a multiple of its item's step."""

    name: str
    value: Decimal
    unit: str
    step: Decimal
    below: Decimal
    above: Decimal
    code: ClassVar[str] = "quantity.off_step"
    what: ClassVar[str] = "{name} is {value} {unit}."
    why: ClassVar[str] = "Quantities of this item go in steps of {step} {unit}."
    fix: ClassVar[str] = "Enter {below} or {above} {unit}."


@dataclass(eq=False)
class UnknownUnit(DomainError):
    """A unit that the product does not know."""

    unit: str
    known: list[str]
    code: ClassVar[str] = "quantity.unknown_unit"
    what: ClassVar[str] = "The unit {unit} is unknown."
    why: ClassVar[str] = "Quantities are kept in one of these units: {known}."
    fix: ClassVar[str] = "Choose one of them."


@dataclass(eq=False)
class BeyondDigits(DomainError):
    """A number has more digits than are computed with."""

    value: str
    step: str
    digits: int
    code: ClassVar[str] = "number.beyond_digits"
    what: ClassVar[str] = "A number comes to {value}."
    why: ClassVar[str] = "In steps of {step} that has more than {digits} digits."
    fix: ClassVar[str] = "Correct the quantities, prices, rates or shares that it is made of."
