"""Types of the fields that travel: decimals as text, codes, names, bounded integers."""

from decimal import Decimal, InvalidOperation
from typing import Annotated

from ninja import Schema
from pydantic import (
    AfterValidator,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainSerializer,
    StringConstraints,
    WithJsonSchema,
)


def text_only(value: object) -> Decimal:
    """Return the decimal that a text spells; a JSON number has lost digits before it got here."""
    if isinstance(value, Decimal):
        return value
    if not isinstance(value, str) or len(value) > 40:
        raise ValueError('write the number as text, such as "2.40"')
    try:
        return Decimal(value)
    except InvalidOperation:
        raise ValueError(f"{value!r} is not a number") from None


def plain(value: Decimal) -> str:
    """Return a decimal as people write it: no exponent."""
    return format(value, "f")


def six_places(value: Decimal) -> Decimal:
    """Refuse more than six decimals or twelve digits before the point."""
    if not value.is_finite() or abs(value) >= Decimal(10) ** 12:
        raise ValueError("the number is too large: at most twelve digits before the point")
    if value != value.quantize(Decimal("0.000001")):
        raise ValueError("at most six decimals")
    return value


DecimalText = Annotated[
    Decimal,
    BeforeValidator(text_only),
    AfterValidator(six_places),
    PlainSerializer(plain, return_type=str),
    WithJsonSchema({"type": "string", "format": "decimal", "examples": ["2.40"]}),
]


def not_negative(value: Decimal) -> Decimal:
    """Refuse what is below zero."""
    if value < 0:
        raise ValueError("must not be below 0")
    return value


def above_zero(value: Decimal) -> Decimal:
    """Refuse zero and what is below."""
    if value <= 0:
        raise ValueError("must be above 0")
    return value


Quantity = Annotated[DecimalText, AfterValidator(above_zero)]
NotNegative = Annotated[DecimalText, AfterValidator(not_negative)]
Code = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9][A-Za-z0-9 ._/-]*$", max_length=40)]
Name = Annotated[
    str,
    StringConstraints(
        strip_whitespace=True, min_length=1, max_length=120, pattern=r"^[^\x00-\x1f]*$"
    ),
]
Note = Annotated[str, StringConstraints(max_length=400, pattern=r"^[^\x00]*$")]
OperationNumber = Annotated[int, Field(ge=1, le=9999)]
OrderNumber = Annotated[int, Field(ge=1, le=2_000_000_000)]
PostingNumber = Annotated[int, Field(ge=1, le=2**62)]


class Strict(Schema):
    """A schema that refuses fields it does not know."""

    model_config = ConfigDict(extra="forbid")
