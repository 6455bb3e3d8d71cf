"""Every type of field that travels, each with the bounds of the trade: for commands, imports and the OpenAPI document."""

import re
import unicodedata
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal, InvalidOperation
from typing import Annotated, Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from annotated_types import GroupedMetadata, MaxLen, MinLen
from poietic_core.structure.rules import HOURS_MOST, WAIT_MOST
from pydantic import (
    AfterValidator,
    AwareDatetime,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainSerializer,
    WithJsonSchema,
)

#: the largest quantity of one entry, price of one unit, hours of one entry and of a wait, size [mm], ratio or share
MOST_QUANTITY = Decimal(100_000_000)
MOST_PRICE = Decimal(10_000_000)
MOST_HOURS, MOST_WAIT = Decimal(HOURS_MOST), Decimal(WAIT_MOST)
MOST_SIZE = Decimal(1_000_000)
MOST_RATIO = Decimal(100_000)
MOST_BUDGET = Decimal(1_000_000_000_000)
#: the days that anything can happen, be due or be in force on
FIRST_DAY, LAST_DAY = date(2000, 1, 1), date(2099, 12, 31)
SIX_PLACES = Decimal("0.000001")
#: what no text holds: control characters but line ends and tabs, and halves of characters
UNWRITABLE = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")
LINE_ENDS = re.compile(r"[\t\n\r\x85\u2028\u2029]")
MOST_CODE = 40
#: letters and digits of any script, and what stands between them; no /, which parts addresses
CODE = re.compile(r"[^\W_](?:[\w .,:;×+#()-]*[\w.×+#()-])?")


# --- numbers


def text_only(value: object) -> Decimal:
    """Return the decimal that a text spells; a JSON number has lost digits before it got here."""
    if isinstance(value, Decimal):
        return value
    if not isinstance(value, str) or len(value) > 40 or not value.isascii():
        raise ValueError('write the number as text, such as "2.40"')
    try:
        number = Decimal(value)
    except InvalidOperation:
        raise ValueError(f"{value!r} is not a number") from None
    if not number.is_finite():
        raise ValueError(f"{value!r} is not a finite number")
    if number.adjusted() > 30:
        raise ValueError(f"{value!r} is too large: nothing is counted so far")
    return number


def plain(value: Decimal) -> str:
    """Return a decimal as people write it: no exponent."""
    return format(value, "f")


#: a number of an answer: as it was computed
DecimalText = Annotated[
    Decimal,
    BeforeValidator(text_only),
    PlainSerializer(plain, return_type=str),
    WithJsonSchema({"type": "string", "format": "decimal", "examples": ["2.40"]}),
]


def _bounded(most: Decimal, least: Decimal | None, *, above: bool = False) -> Callable[[Any], Any]:
    def check(value: Decimal) -> Decimal:
        if least is not None and (value < least or (above and value == least)):
            raise ValueError(f"must {'be above' if above else 'not be below'} {least}")
        if value > most or (least is None and value < -most):
            raise ValueError(f"is too large: at most {most:,}")
        if value.as_tuple().exponent < -6 and value != value.quantize(SIX_PLACES):  # type: ignore[operator]
            raise ValueError("has more than six decimals; at most six are kept")
        return value

    return check


def _number(most: Decimal, least: Decimal | None = Decimal(0), *, above: bool = False) -> Any:
    said = {"type": "string", "format": "decimal", "examples": ["2.40"]}
    low = "" if least is None else f", {'above' if above else 'from'} {least}"
    return Annotated[
        Decimal,
        BeforeValidator(text_only),
        AfterValidator(_bounded(most, least, above=above)),
        PlainSerializer(plain, return_type=str),
        WithJsonSchema(said | {"description": f"at most {most:,}{low}, six decimals"}),
    ]


def _weekday(value: int) -> int:
    if not 0 <= value <= 6:
        raise ValueError(f"{value} is no weekday: 0 is Monday, 6 Sunday")
    return value


Quantity = _number(MOST_QUANTITY, above=True)
QuantityOrNone = _number(MOST_QUANTITY)
Price = _number(MOST_PRICE)
Hours = _number(MOST_HOURS)
Wait = _number(MOST_WAIT)
Size = _number(MOST_SIZE, above=True)
Ratio = _number(MOST_RATIO, above=True)
Share = _number(MOST_RATIO)
Budget = _number(MOST_BUDGET)
Capacity = _number(MOST_BUDGET, above=True)
Limit = _number(MOST_QUANTITY, None)
#: a change in proportion: -1 takes all away
Change = _number(Decimal(100), Decimal(-1))
Machines = Annotated[int, Field(ge=1, le=999)]
Efficiency = _number(Decimal(10), above=True)
Days = Annotated[int, Field(ge=0, le=3650)]
Weekday = Annotated[
    int, AfterValidator(_weekday), WithJsonSchema({"type": "integer", "minimum": 0, "maximum": 6})
]
Minute = Annotated[int, Field(ge=0, le=1439)]
OperationNumber = Annotated[int, Field(ge=1, le=9999)]
OrderNumber = Annotated[int, Field(ge=1, le=2_000_000_000)]
PostingNumber = Annotated[int, Field(ge=1, le=2**62)]


# --- texts


def writable(value: str) -> str:
    """Refuse characters that can't be written everywhere: to the database, to files, on a label."""
    if found := UNWRITABLE.search(value):
        raise ValueError(f"holds the character {found[0]!a}, which can't be written")
    return unicodedata.normalize("NFC", value)


def one_line(value: str) -> str:
    """Refuse more than one line."""
    if LINE_ENDS.search(value):
        raise ValueError("holds a line end or a tab; it is one line")
    return value


def _stripped(value: object) -> object:
    return value.strip(" ") if isinstance(value, str) else value


@dataclass(frozen=True)
class Text(GroupedMetadata):
    """What a text has to be: of so many characters, one line or several, of what can be written."""

    most: int
    least: int = 0
    lines: bool = False

    def __iter__(self) -> Iterator[object]:
        """Yield what pydantic checks; spaces around it are dropped before it is counted."""
        yield MaxLen(self.most)
        yield MinLen(self.least)
        yield BeforeValidator(_stripped)
        yield AfterValidator(writable)
        if not self.lines:
            yield AfterValidator(one_line)


def _code(value: str) -> str:
    if not CODE.fullmatch(value):
        raise ValueError(
            f"{value!r} is no code: it begins with a letter or digit, and holds letters, digits, "
            "spaces and . , : ; - + × # ( )"
        )
    return value


Code = Annotated[str, Text(MOST_CODE, 1), AfterValidator(_code)]
#: a code, or the beginning of several with a *
CodePattern = Annotated[str, Text(MOST_CODE, 1), Field(pattern=r"^[\w*][\w .,:;×+#()*-]*$")]
Name = Annotated[str, Text(120, 1)]
ShortText = Annotated[str, Text(120)]
Note = Annotated[str, Text(400, lines=True)]
Words = Annotated[str, Text(1000, lines=True)]
UnitName = Annotated[str, Text(20, 1)]
Reference = Annotated[str, Text(80)]
ItemGroup = Annotated[str, Text(30)]
MixMark = Annotated[str, Text(20)]


def known_zone(name: str) -> str:
    """Refuse a time zone that nobody knows."""
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as err:
        raise ValueError(f"there is no time zone {name}; one is Europe/Berlin") from err
    return name


Zone = Annotated[str, Text(60, 1), AfterValidator(known_zone)]


# --- days and moments


def _day_text(value: object) -> object:
    if not isinstance(value, str | date):
        raise ValueError("write the day as text, such as 2026-11-30")
    return value


def in_this_century(value: date) -> date:
    """Refuse a day on which nothing can happen."""
    if not FIRST_DAY <= value <= LAST_DAY:
        raise ValueError(f"must lie between {FIRST_DAY} and {LAST_DAY}")
    return value


def _moment_text(value: object) -> object:
    if not isinstance(value, str | datetime) or (isinstance(value, str) and value.isdigit()):
        raise ValueError("write the moment as text with its zone, such as 2026-11-30T07:00+01:00")
    return value


def _moment_in_century(value: datetime) -> datetime:
    in_this_century(value.date())
    return value


Day = Annotated[date, BeforeValidator(_day_text), AfterValidator(in_this_century)]
Moment = Annotated[AwareDatetime, BeforeValidator(_moment_text), AfterValidator(_moment_in_century)]


class Answer(BaseModel):
    """What the server answers: plain pydantic.

    ninja's own schema asks every attribute of every part through a getter for Django's models,
    which takes a third of the time of a page.
    """

    model_config = ConfigDict(from_attributes=True)


class Strict(BaseModel):
    """A schema that refuses fields it does not know."""

    model_config = ConfigDict(extra="forbid")


# --- pages

#: rows of an answer, and how many to pass over
MOST_ROWS = 200
PageSize = Annotated[int, Field(ge=1, le=MOST_ROWS)]
Skip = Annotated[int, Field(ge=0, le=1_000_000)]
