"""The tables that travel: their columns, each with its kind, and a row checked against them."""

from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

from poietic_core.structure.model import IssueRule, Per

from ..web_api.fields import plain

MOST_DIGITS = Decimal(10) ** 12
SIX_PLACES = Decimal("0.000001")


@dataclass(frozen=True, slots=True)
class Column:
    """A column of a table."""

    name: str
    #: text, code, decimal, positive, integer, boolean
    kind: str = "text"
    is_required: bool = False
    choices: tuple[str, ...] = ()
    default: Any = None

    def schema(self) -> dict[str, Any]:
        """Return the field of a Frictionless Table Schema."""
        types = {
            "decimal": "number",
            "positive": "number",
            "integer": "integer",
            "boolean": "boolean",
        }
        constraints: dict[str, Any] = {"required": True} if self.is_required else {}
        if self.choices:
            constraints["enum"] = list(self.choices)
        if self.kind == "positive":
            constraints["exclusiveMinimum"] = 0
        field: dict[str, Any] = {"name": self.name, "type": types.get(self.kind, "string")}
        return field | ({"constraints": constraints} if constraints else {})


@dataclass(frozen=True, slots=True)
class Table:
    """A table: what identifies a row, and its columns."""

    name: str
    key: tuple[str, ...]
    columns: tuple[Column, ...]

    def column(self, name: str) -> Column | None:
        """Return a column by name."""
        return next((c for c in self.columns if c.name == name), None)

    def schema(self) -> dict[str, Any]:
        """Return the Frictionless Table Schema of the table."""
        return {"fields": [c.schema() for c in self.columns], "primaryKey": list(self.key)}


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong in a file, with its place."""

    table: str
    #: line of the file or sheet, 1 being the first; 0 for the whole
    line: int
    why: str


@dataclass(frozen=True, slots=True)
class Row:
    """A row of a table as it was read."""

    line: int
    values: dict[str, Any]


def _required(name: str, kind: str = "code") -> Column:
    return Column(name, kind, is_required=True)


def _hours(name: str) -> Column:
    return Column(name, "decimal", default=Decimal(0))


TABLES = (
    Table(
        "items",
        ("code",),
        (
            _required("code"),
            _required("name", "text"),
            _required("unit", "text"),
            Column("source", is_required=True, choices=("buy", "make")),
            Column("step", "positive"),
            Column("standard_lot", "positive", default=Decimal(1)),
            Column("price", "decimal"),
            Column("density", "positive"),
        ),
    ),
    Table(
        "work_centers",
        ("code",),
        (
            _required("code"),
            _required("name", "text"),
            Column("machine_rate", "decimal", is_required=True),
            Column("labour_rate", "decimal", is_required=True),
            Column("machines", "integer", default=1),
            Column("efficiency", "positive", default=Decimal(1)),
        ),
    ),
    Table(
        "operations",
        ("item", "number"),
        (
            _required("item"),
            Column("number", "integer", is_required=True),
            _required("name", "text"),
            _required("work_center"),
            _hours("setup_labour_hours"),
            _hours("setup_machine_hours"),
            _hours("run_labour_hours"),
            _hours("run_machine_hours"),
            Column("run_quantity", "positive", default=Decimal(1)),
            Column("yield_share", "positive", default=Decimal(1)),
            Column("is_report_point", "boolean", default=True),
            Column("after"),
            _hours("queue_hours"),
            _hours("wait_hours"),
            _hours("move_hours"),
            Column("batch_quantity", "positive", default=Decimal(1)),
        ),
    ),
    Table(
        "components",
        ("item", "operation", "component"),
        (
            _required("item"),
            Column("operation", "integer", is_required=True),
            _required("component"),
            Column("quantity", "positive", is_required=True),
            Column("unit", default=""),
            Column("per", choices=tuple(p.value for p in Per), default="unit"),
            Column("allowance", "decimal", default=Decimal(0)),
            Column("issue_rule", choices=tuple(r.value for r in IssueRule), default="by hand"),
            Column("reference", default=""),
        ),
    ),
    Table(
        "outputs",
        ("item", "operation", "by_product"),
        (
            _required("item"),
            Column("operation", "integer", is_required=True),
            _required("by_product"),
            Column("quantity", "positive", is_required=True),
            Column("credit_price", "decimal", is_required=True),
        ),
    ),
)
BY_NAME = {t.name: t for t in TABLES}


def read_row(table: Table, cells: dict[str, str], line: int) -> tuple[Row, list[Fault]]:
    """Return a row with typed values, and what is wrong with its cells."""
    faults: list[Fault] = []
    values: dict[str, Any] = {}
    for column in table.columns:
        text = cells.get(column.name, "").strip()
        if not text:
            if column.is_required:
                faults.append(Fault(table.name, line, f"{column.name} is empty"))
            values[column.name] = column.default
            continue
        try:
            values[column.name] = _typed(column, text)
        except ValueError as err:
            faults.append(Fault(table.name, line, f"{column.name}: {err}"))
    return Row(line, values), faults


def _typed(column: Column, text: str) -> Any:
    if "\x00" in text or len(text) > 1000:
        raise ValueError("it holds what no cell may hold")
    if column.choices and text not in column.choices:
        raise ValueError(f"{text!r} is none of {', '.join(column.choices)}")
    match column.kind:
        case "code":
            if len(text) > 40 or not (text[0].isalnum() and text.isprintable()):
                raise ValueError(f"{text!r} is no code: at most 40 letters, digits and . _ / -")
            return text
        case "decimal" | "positive":
            return _decimal(text, is_positive=column.kind == "positive")
        case "integer":
            if not text.removesuffix(".0").isdigit() or len(text) > 9:
                raise ValueError(f"{text!r} is no whole number")
            return int(text.removesuffix(".0"))
        case "boolean":
            known = {"true": True, "yes": True, "1": True, "false": False, "no": False, "0": False}
            if text.lower() not in known:
                raise ValueError(f"{text!r} is neither true nor false")
            return known[text.lower()]
    return text


def _decimal(text: str, *, is_positive: bool) -> Decimal:
    try:
        value = Decimal(text)
    except InvalidOperation:
        raise ValueError(f"{text!r} is no number; write 1234.5") from None
    if not value.is_finite() or abs(value) >= MOST_DIGITS:
        raise ValueError(f"{text!r} is too large")
    if value != value.quantize(SIX_PLACES):
        raise ValueError(f"{text!r} has more than six decimals")
    if value < 0 or (is_positive and value == 0):
        raise ValueError(f"{text!r} must be above 0" if is_positive else f"{text!r} is below 0")
    return value


def as_text(value: Any) -> str:
    """Return a value as a cell: decimals without idle zeros, nothing as an empty cell."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Decimal):
        return plain(value.normalize() + 0) if value else "0"
    return str(value)
