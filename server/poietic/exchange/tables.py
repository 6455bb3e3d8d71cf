"""The tables that travel: their columns, each with its kind, and a row checked against them."""

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from enum import StrEnum
from functools import cache
from typing import Any

from poietic_core.cost.prices import Form
from poietic_core.planning.lot_sizing import LotRule
from poietic_core.stock.lots import Tracking
from poietic_core.stock.valuation import Method
from poietic_core.structure.model import IssueRule, OutputKind, PaymentBasis, Per, ShareRule
from poietic_core.units import MeasuredBy
from pydantic import BaseModel, TypeAdapter, ValidationError, create_model

from ..catalog.commands.items import DefineItem, DefinePartner, OwnUnit
from ..catalog.commands.prices import ListPriceGiven, PriceGiven
from ..catalog.models import Item
from ..engineering.commands.calendars import CalendarNamed, ExceptionGiven, ShiftGiven
from ..engineering.commands.structures import (
    ComponentGiven,
    OperationGiven,
    OutputGiven,
    StructureNamed,
)
from ..engineering.commands.work_centers import (
    LAYER_ELEMENTS,
    DefineLabourGrade,
    DefineWorkCenter,
    LayerGiven,
)
from ..web_api.fields import Code, Strict, in_this_century, plain, text_only

CODES: TypeAdapter[str] = TypeAdapter(Code)
NUMBERS = re.compile(r"-|\d{1,4}([ ,]+\d{1,4})*")


@dataclass(frozen=True, slots=True)
class Column:
    """A column of a table."""

    name: str
    #: text, code, decimal, positive, integer, boolean, date, clock (minute of a day), json, numbers
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
            "date": "date",
            "json": "array",
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
    """A table: what identifies a row, its columns, and the command's input that a row must be fit for."""

    name: str
    key: tuple[str, ...]
    columns: tuple[Column, ...]
    given: type[Strict]
    #: columns that are called otherwise in the command's input
    renamed: Mapping[str, str] = field(default_factory=dict)

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


def _named(name: str, given: type[Strict], *columns: Column) -> Table:
    return Table(name, ("code",), (_required("code"), _required("name", "text"), *columns), given)


def _values(names: type[StrEnum]) -> tuple[str, ...]:
    return tuple(member.value for member in names)


DATED_PRICE = (
    Column("price", "decimal", is_required=True),
    Column("from_quantity", "decimal", default=Decimal(0)),
    Column("effective_from", "date"),
    Column("effective_until", "date"),
)
TABLES = (
    _named(
        "partners",
        DefinePartner,
        Column("is_supplier", "boolean", default=True),
        Column("is_customer", "boolean", default=False),
        Column("address", default=""),
    ),
    _named("labour_grades", DefineLabourGrade, Column("rate", "decimal", is_required=True)),
    _named("calendars", CalendarNamed, Column("zone", default="UTC")),
    Table(
        "shifts",
        ("calendar", "weekday", "start"),
        (
            _required("calendar"),
            Column("weekday", "integer", is_required=True),
            _required("start", "clock"),
            _required("end", "clock"),
        ),
        ShiftGiven,
    ),
    Table(
        "exceptions",
        ("calendar", "first", "start"),
        (
            _required("calendar"),
            _required("first", "date"),
            _required("last", "date"),
            Column("start", "clock"),
            Column("end", "clock"),
            Column("why", default=""),
        ),
        ExceptionGiven,
    ),
    _named(
        "items",
        DefineItem,
        _required("unit", "text"),
        Column("source", is_required=True, choices=tuple(Item.Source.values)),
        Column("step", "positive"),
        Column("item_group", default=""),
        Column("standard_lot", "positive", default=Decimal(1)),
        Column("valuation", choices=_values(Method)),
        Column("is_phantom", "boolean", default=False),
        Column("price", "decimal"),
        Column("price_per", choices=("kg",), default=""),
        Column("density", "positive"),
        Column("form", choices=_values(Form), default=""),
        Column("form_length", "positive"),
        Column("form_width", "positive"),
        Column("form_thickness", "positive"),
        Column("tracking", choices=tuple(t.value for t in Tracking), default="none"),
        Column("is_inspected", "boolean", default=False),
        Column("number_rule", default=""),
        Column("gtin", default=""),
        Column("lot_rule", choices=_values(LotRule), default="lot for lot"),
        Column("lead_time_days", "integer"),
        Column("lot_minimum", "positive"),
        Column("lot_multiple", "positive"),
        Column("lot_maximum", "positive"),
        Column("safety_stock", "decimal"),
        Column("over_receipt", "decimal"),
        Column("under_receipt", "decimal"),
    ),
    Table(
        "item_units",
        ("item", "name"),
        (
            _required("item"),
            _required("name", "text"),
            Column("quantity", "positive", is_required=True),
        ),
        OwnUnit,
    ),
    Table(
        "prices",
        ("item", "supplier", "from_quantity", "effective_from"),
        (_required("item"), _required("supplier"), *DATED_PRICE),
        PriceGiven,
    ),
    Table(
        "list_prices",
        ("item", "customer", "from_quantity", "effective_from"),
        (_required("item"), Column("customer", "code"), *DATED_PRICE),
        ListPriceGiven,
    ),
    _named(
        "work_centers",
        DefineWorkCenter,
        Column("machine_rate", "decimal", default=Decimal(0)),
        Column("labour_rate", "decimal", default=Decimal(0)),
        Column("machines", "integer", default=1),
        Column("efficiency", "positive", default=Decimal(1)),
        Column("calendar", "code"),
    ),
    Table(
        "rates",
        ("work_center", "effective_from", "layer"),
        (
            _required("work_center"),
            Column("effective_from", "date"),
            Column("labour_rate", "decimal", is_required=True),
            _required("layer", "text"),
            Column("element", choices=tuple(e.value for e in LAYER_ELEMENTS), is_required=True),
            Column("amount", "decimal", default=Decimal(0)),
            Column("percent", "decimal", default=Decimal(0)),
            Column("of", default=""),
        ),
        LayerGiven,
        {"layer": "name"},
    ),
    Table(
        "structures",
        ("item",),
        (
            _required("item"),
            Column("batch_quantity", "positive", default=Decimal(1)),
            Column("share_rule", choices=_values(ShareRule), default=ShareRule.SALES_VALUE.value),
            Column("main_weight", "decimal", default=Decimal(0)),
            Column("grades", "json", default=[]),
        ),
        StructureNamed,
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
            Column("crew", "positive"),
            Column("labour_grade", "code"),
            Column("run_quantity", "positive", default=Decimal(1)),
            Column("runs_whole_batches", "boolean", default=False),
            Column("machines", "integer", default=1),
            Column("yield_share", "positive", default=Decimal(1)),
            Column("is_report_point", "boolean", default=True),
            Column("after", "numbers"),
            _hours("queue_hours"),
            _hours("wait_hours"),
            _hours("move_hours"),
            Column("transfer_quantity", "positive"),
            Column("alternate_centers", "json", default=[]),
            Column("supplier", "code"),
            Column("subcontract_price", "decimal", default=Decimal(0)),
            Column("payment_basis", choices=_values(PaymentBasis), default=""),
            Column("days_out", "decimal", default=Decimal(0)),
            Column("steps", "json", default=[]),
        ),
        OperationGiven,
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
            Column("per", choices=_values(Per), default="unit"),
            Column("allowance", "decimal", default=Decimal(0)),
            Column("issue_rule", choices=_values(IssueRule), default="by hand"),
            Column("measured_by", choices=_values(MeasuredBy), default=""),
            Column("length", "positive"),
            Column("width", "positive"),
            Column("thickness", "positive"),
            Column("mix", default=""),
            Column("reference", default=""),
            Column("alternates", "json", default=[]),
            Column("effective_from", "date"),
            Column("effective_until", "date"),
        ),
        ComponentGiven,
        {"component": "item", "item": ""},
    ),
    Table(
        "outputs",
        ("item", "operation", "output"),
        (
            _required("item"),
            Column("operation", "integer", is_required=True),
            _required("output"),
            Column("quantity", "positive", is_required=True),
            Column("kind", choices=_values(OutputKind), default=OutputKind.BY_PRODUCT.value),
            Column("credit_price", "decimal", default=Decimal(0)),
            Column("weight", "decimal", default=Decimal(0)),
        ),
        OutputGiven,
        {"output": "item", "item": ""},
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
        except ValidationError as err:
            faults.append(Fault(table.name, line, f"{column.name}: {_said(err.errors()[0])}"))
        except ValueError as err:
            faults.append(Fault(table.name, line, f"{column.name}: {err}"))
    if not faults:
        faults = [Fault(table.name, line, why) for why in _unfit(table, values)]
    return Row(line, values), faults


@cache
def _fitting(given: type[Strict]) -> type[BaseModel]:
    """Return a command's input without what only requests need of it: rows come by the hundred thousand."""
    fields: dict[str, Any] = {n: (f.annotation, f) for n, f in given.model_fields.items()}
    return create_model(given.__name__, **fields)


def _unfit(table: Table, values: dict[str, Any]) -> list[str]:
    """Return why the command would refuse a row; its texts are put as the command takes them."""
    model = _fitting(table.given)
    known = model.model_fields
    fields: dict[str, Any] = {}
    names: dict[str, str] = {}
    for column, value in values.items():
        name = table.renamed.get(column, column)
        is_open = value is None or value == "" or (column == "operation" and value == 0)
        if name in known and not is_open and column != "after":
            fields[name], names[name] = value, column
    try:
        fit = model.model_validate(fields)
    except ValidationError as err:
        return [f"{names.get(str(e['loc'][0]), e['loc'][0])}: {_said(e)}" for e in err.errors()]
    for name, column in names.items():
        if isinstance(values[column], str):
            values[column] = str(getattr(fit, name))
    return []


def _said(error: Any) -> str:
    return str(error["msg"]).removeprefix("Value error, ")


def _typed(column: Column, text: str) -> Any:
    if len(text) > (20_000 if column.kind == "json" else 1000):
        raise ValueError("it is too long")
    if column.choices and text not in column.choices:
        raise ValueError(f"{text!r} is none of {', '.join(column.choices)}")
    match column.kind:
        case "code":
            return CODES.validate_python(text)
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
        case "date":
            return _date(text)
        case "clock":
            return _clock(text)
        case "json":
            return _list(text)
        case "numbers":
            if not NUMBERS.fullmatch(text):
                raise ValueError(f"{text[:40]!r} is no list of numbers such as 10 20, nor -")
    return text


def _date(text: str) -> date:
    try:
        return in_this_century(date.fromisoformat(text.removesuffix(" 00:00:00")))
    except ValueError as err:
        if "between" in str(err):
            raise
        raise ValueError(f"{text!r} is no date; write 2026-11-30") from None


def _clock(text: str) -> int:
    hours, _, minutes = text.partition(":")
    if not (hours.isdigit() and minutes.isdigit() and int(hours) < 24 and int(minutes) < 60):
        raise ValueError(f"{text!r} is no time of day; write 15:30")
    return int(hours) * 60 + int(minutes)


def _list(text: str) -> list[Any]:
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, list):
        raise ValueError(f"{text[:40]!r} is no list in JSON")
    return found


def _decimal(text: str, *, is_positive: bool) -> Decimal:
    try:
        value = text_only(text)
    except ValueError:
        raise ValueError(f"{text[:40]!r} is no number; write 1234.5") from None
    if value < 0 or (is_positive and value == 0):
        raise ValueError(f"{text!r} must be above 0" if is_positive else f"{text!r} is below 0")
    return value


#: a cell that begins so may be run by a spreadsheet as a formula
RUNS = ("=", "+", "-", "@", "\t", "\r")


def as_cell(column: Column, value: Any) -> str:
    """Return a value as a cell that no spreadsheet runs: ' before it says that it is text."""
    text = as_text(column, value)
    is_text = column.kind in ("text", "code") and text.startswith((*RUNS, "'"))
    return f"'{text}" if is_text else text


def from_cell(text: str) -> str:
    """Return what a cell says, without the ' that was put before it."""
    return text[1:] if text.startswith("'") and text[1:].startswith((*RUNS, "'")) else text


def as_text(column: Column, value: Any) -> str:
    """Return a value as a cell: decimals without idle zeros, nothing as an empty cell."""
    if value is None or value == []:
        return ""
    if column.kind == "clock":
        return f"{value // 60:02}:{value % 60:02}"
    if column.kind == "json":
        return json.dumps(value, ensure_ascii=False)
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Decimal):
        return plain(value.normalize() + 0) if value else "0"
    return str(value)
