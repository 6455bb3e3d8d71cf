"""From the database to files that read_file gives back unchanged."""

import csv
import io
import json
import zipfile
from collections.abc import Iterable, Iterator
from datetime import date
from typing import Any

from django.db.models import F, QuerySet
from openpyxl import Workbook
from poietic_core.quantity import ZERO

from ..catalog.models import Item, ItemUnit, ListPrice, Partner, PriceRow
from ..engineering.models import (
    ComponentRow,
    DayException,
    LabourGrade,
    OperationRow,
    OutputRow,
    ShiftRow,
    WorkCalendar,
    WorkCenter,
    WorkCenterRate,
)
from ..engineering.queries import in_force, standing
from ..engineering.rates import layers_of, shop_rates
from .tables import BY_NAME, TABLES, Table, as_cell

Records = Iterable[dict[str, Any]]


def content_of(day: date) -> dict[str, Records]:
    """Return the rows of every table, as they are in force on a day."""
    lines = {
        "structures": in_force(day).order_by("item__code"),
        "operations": OperationRow.objects.filter(standing(day, "revision__")).order_by(
            "revision__item__code", "number"
        ),
        "components": ComponentRow.objects.filter(standing(day, "revision__")).order_by(
            "revision__item__code", "operation", "position"
        ),
        "outputs": OutputRow.objects.filter(standing(day, "revision__")).order_by(
            "revision__item__code", "operation", "position"
        ),
    }
    return {
        "partners": Partner.objects.order_by("code").values(*_names("partners")),
        "labour_grades": _labour_grades(day),
        "calendars": WorkCalendar.objects.order_by("code").values(*_names("calendars")),
        "shifts": _rows("shifts", ShiftRow.objects.order_by("calendar__code", "weekday", "start")),
        "exceptions": _rows(
            "exceptions", DayException.objects.order_by("calendar__code", "first", "start")
        ),
        "items": Item.objects.order_by("code").values(*_names("items")),
        "item_units": _rows("item_units", ItemUnit.objects.order_by("item__code", "name")),
        "prices": _rows("prices", PriceRow.objects.order_by("item__code", "position")),
        "list_prices": _rows("list_prices", ListPrice.objects.order_by("item__code", "position")),
        "work_centers": _work_centers(day),
        "rates": _layers(),
        **{name: _rows(name, rows) for name, rows in lines.items()},
    }


#: where a column of a table is found from its rows
FOUND_AT: dict[str, dict[str, str]] = {
    "shifts": {"calendar": "calendar__code"},
    "exceptions": {"calendar": "calendar__code"},
    "item_units": {"item": "item__code"},
    "prices": {"item": "item__code", "supplier": "supplier__code"},
    "list_prices": {"item": "item__code", "customer": "customer__code"},
    "structures": {"item": "item__code"},
    "operations": {
        "item": "revision__item__code",
        "work_center": "work_center__code",
        "labour_grade": "labour_grade__code",
        "supplier": "supplier__code",
    },
    "components": {"item": "revision__item__code", "component": "item__code"},
    "outputs": {"item": "revision__item__code", "output": "item__code"},
}


def _rows(table: str, rows: QuerySet[Any]) -> Iterator[dict[str, Any]]:
    """Yield rows under the names of the table's columns."""
    places = {name: FOUND_AT[table].get(name, name) for name in _names(table)}
    for row in rows.values(*places.values()):
        found = {name: row[place] for name, place in places.items()}
        if table == "operations":
            found["after"] = after_text(found["after"])
        yield found


def _labour_grades(day: date) -> Iterator[dict[str, Any]]:
    rates = shop_rates(day).grades
    for grade in LabourGrade.objects.order_by("code"):
        yield {"code": grade.code, "name": grade.name, "rate": rates.get(grade.code, ZERO)}


def _work_centers(day: date) -> Iterator[dict[str, Any]]:
    rates = shop_rates(day).centers
    for center in WorkCenter.objects.select_related("calendar").order_by("code"):
        rate = rates.get(center.code)
        yield {
            "code": center.code,
            "name": center.name,
            "machine_rate": rate.machine.per_hour if rate else ZERO,
            "labour_rate": rate.labour if rate else ZERO,
            "machines": center.machines,
            "efficiency": center.efficiency,
            "calendar": center.calendar.code if center.calendar else None,
        }


def _layers() -> Iterator[dict[str, Any]]:
    """Yield the layers of every rate of every work center."""
    rows = WorkCenterRate.objects.select_related("work_center")
    for rate in rows.order_by("work_center__code", F("effective_from").asc(nulls_first=True)):
        for layer in layers_of(rate):
            yield {
                "work_center": rate.work_center.code,
                "effective_from": rate.effective_from,
                "labour_rate": rate.labour_rate,
                "layer": layer.name,
                "element": layer.element.value,
                "amount": layer.amount,
                "percent": layer.percent,
                "of": layer.of,
            }


def after_text(after: list[int] | None) -> str:
    """Return what must come before an operation as a cell: "", "-" or numbers."""
    return "" if after is None else " ".join(map(str, after)) or "-"


def _names(table: str) -> list[str]:
    return [c.name for c in BY_NAME[table].columns]


def as_package(content: dict[str, Records]) -> bytes:
    """Return a zip of CSV files with the Frictionless data package that describes them."""
    target = io.BytesIO()
    described = {
        "name": "poietic-master-data",
        "profile": "tabular-data-package",
        "resources": [
            {
                "name": t.name,
                "path": f"{t.name}.csv",
                "profile": "tabular-data-resource",
                "encoding": "utf-8",
                "schema": t.schema(),
            }
            for t in TABLES
        ],
    }
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("datapackage.json", json.dumps(described, indent=2))
        for table in TABLES:
            archive.writestr(f"{table.name}.csv", as_csv(table, content[table.name]))
    return target.getvalue()


def as_csv(table: Table, rows: Records) -> str:
    """Return a table as CSV (RFC 4180)."""
    target = io.StringIO()
    writer = csv.writer(target)
    writer.writerow(c.name for c in table.columns)
    writer.writerows([as_cell(c, row[c.name]) for c in table.columns] for row in rows)
    return target.getvalue()


def as_workbook(content: dict[str, Records]) -> bytes:
    """Return an XLSX workbook with a sheet for each table; numbers stay text, so none loses digits."""
    book = Workbook(write_only=True)
    for table in TABLES:
        sheet = book.create_sheet(table.name)
        sheet.append([c.name for c in table.columns])
        for row in content[table.name]:
            sheet.append([as_cell(c, row[c.name]) for c in table.columns])
    target = io.BytesIO()
    book.save(target)
    return target.getvalue()
