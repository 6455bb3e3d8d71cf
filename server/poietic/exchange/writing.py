"""From the database to files that read_file gives back unchanged."""

import csv
import io
import json
import zipfile
from collections.abc import Iterable, Iterator
from datetime import date
from typing import Any

from openpyxl import Workbook

from ..catalog.models import Item
from ..engineering.models import ComponentRow, OperationRow, OutputRow, WorkCenter
from ..engineering.queries import in_force
from .tables import BY_NAME, TABLES, Table, as_text

Records = Iterable[dict[str, Any]]


def content_of(day: date) -> dict[str, Records]:
    """Return the rows of every table, as they are in force on a day."""
    revisions = in_force(day)
    return {
        "items": Item.objects.order_by("code").values(*_names("items")),
        "work_centers": WorkCenter.objects.order_by("code").values(*_names("work_centers")),
        "operations": _operations(
            OperationRow.objects.filter(revision__in=revisions)
            .order_by("revision__item__code", "number")
            .values(
                *_names("operations", without={"item", "work_center", "batch_quantity"}),
                "revision__item__code",
                "work_center__code",
                "revision__batch_quantity",
            )
        ),
        "components": _renamed(
            ComponentRow.objects.filter(revision__in=revisions)
            .order_by("revision__item__code", "operation", "position")
            .values(
                *_names("components", without={"item", "component"}),
                "item__code",
                "revision__item__code",
            ),
            {"revision__item__code": "item", "item__code": "component"},
        ),
        "outputs": _renamed(
            OutputRow.objects.filter(revision__in=revisions)
            .order_by("revision__item__code", "operation", "position")
            .values(
                *_names("outputs", without={"item", "by_product"}),
                "item__code",
                "revision__item__code",
            ),
            {"revision__item__code": "item", "item__code": "by_product"},
        ),
    }


def after_text(after: list[int] | None) -> str:
    """Return what must come before an operation as a cell: "", "-" or numbers."""
    return "" if after is None else " ".join(map(str, after)) or "-"


def _operations(rows: Records) -> Iterator[dict[str, Any]]:
    names = {
        "revision__item__code": "item",
        "work_center__code": "work_center",
        "revision__batch_quantity": "batch_quantity",
    }
    for row in _renamed(rows, names):
        yield row | {"after": after_text(row["after"])}


def _renamed(rows: Records, names: dict[str, str]) -> Iterator[dict[str, Any]]:
    for row in rows:
        yield {names.get(k, k): v for k, v in row.items()}


def _names(table: str, *, without: set[str] = frozenset()) -> list[str]:  # type: ignore[assignment]
    return [c.name for c in BY_NAME[table].columns if c.name not in without]


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
    writer.writerows([as_text(row[c.name]) for c in table.columns] for row in rows)
    return target.getvalue()


def as_workbook(content: dict[str, Records]) -> bytes:
    """Return an XLSX workbook with a sheet for each table; numbers stay text, so none loses digits."""
    book = Workbook(write_only=True)
    for table in TABLES:
        sheet = book.create_sheet(table.name)
        sheet.append([c.name for c in table.columns])
        for row in content[table.name]:
            sheet.append([as_text(row[c.name]) for c in table.columns])
    target = io.BytesIO()
    book.save(target)
    return target.getvalue()
