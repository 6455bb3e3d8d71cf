"""From files to rows: CSV, XLSX, and a zip of CSV files that a data package describes."""

import csv
import io
import json
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any, ClassVar

from openpyxl import load_workbook
from poietic_core.errors import DomainError

from .tables import BY_NAME, Fault, Row, Table, read_row

MOST_BYTES = 200_000_000
MOST_ROWS = 1_000_000
MOST_FILES = 100
MOST_FAULTS = 500


@dataclass(eq=False)
class Unreadable(DomainError):
    """A file can't be read at all."""

    name: str
    reason: str
    code: ClassVar[str] = "exchange.unreadable"
    what: ClassVar[str] = "{name} can't be read."
    why: ClassVar[str] = "{reason}"
    fix: ClassVar[str] = (
        f"Bring CSV in UTF-8, an XLSX workbook, or a zip of CSV files, named {', '.join(BY_NAME)}."
    )


@dataclass
class Content:
    """What a file holds: rows by table, and all that is wrong with it."""

    rows: dict[str, list[Row]] = field(default_factory=dict)
    #: the columns that each table has in the file
    columns: dict[str, set[str]] = field(default_factory=dict)
    faults: list[Fault] = field(default_factory=list)


def read_file(name: str, data: bytes) -> Content:
    """Return the rows of a file and its faults.

    Raises
    ------
    Unreadable (exchange.unreadable)
        If the file is no CSV, XLSX or zip of CSV, or would unpack to too much.
    """
    content = Content()
    if zipfile.is_zipfile(io.BytesIO(data)):
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            _check_size(name, archive)
            if "xl/workbook.xml" in archive.namelist():
                _check_merged(archive, content)
                sheets = _workbook(name, data, content)
            else:
                sheets = _package(name, archive)
            for table_name, cells in sheets:
                _read_table(content, table_name, cells)
    else:
        stem = PurePosixPath(name).stem.lower()
        _read_table(content, stem, _csv(name, data))
    if not content.rows and not content.faults:
        raise Unreadable(name, "It holds none of the tables.")
    return content


def _check_size(name: str, archive: zipfile.ZipFile) -> None:
    members = archive.infolist()
    size = sum(m.file_size for m in members)
    if size > MOST_BYTES or len(members) > MOST_FILES:
        raise Unreadable(
            name,
            f"It would unpack to {size / 1e6:,.0f} MB in {len(members)} files; "
            f"at most {MOST_BYTES / 1e6:,.0f} MB in {MOST_FILES} are taken.",
        )


def _check_merged(archive: zipfile.ZipFile, content: Content) -> None:
    for member in archive.namelist():
        if member.startswith("xl/worksheets/") and b"<mergeCell " in archive.read(member):
            sheet = PurePosixPath(member).stem
            content.faults.append(Fault(sheet, 0, "it has merged cells; each row needs its own"))


def _workbook(
    name: str, data: bytes, content: Content
) -> Iterator[tuple[str, Iterator[list[str]]]]:
    try:
        book = load_workbook(io.BytesIO(data), read_only=True)
    except Exception as err:  # openpyxl raises whatever its XML parser does
        raise Unreadable(name, f"It is no sound XLSX workbook: {err}.") from err
    for sheet in book.worksheets:
        table = sheet.title.strip().lower().replace(" ", "_")
        yield table, _sheet_rows(sheet, table, content)


def _sheet_rows(sheet: Any, table: str, content: Content) -> Iterator[list[str]]:
    for line, cells in enumerate(sheet.iter_rows(), start=1):
        for cell in cells:
            if getattr(cell, "data_type", "") == "f":
                content.faults.append(
                    Fault(table, line, f"{cell.coordinate} holds a formula; paste its value")
                )
        yield ["" if c.value is None else str(c.value) for c in cells]


def _package(name: str, archive: zipfile.ZipFile) -> Iterator[tuple[str, Iterator[list[str]]]]:
    """Yield the CSV files of a zip: as its datapackage.json names them, else by their own names."""
    paths = {m: PurePosixPath(m).stem.lower() for m in archive.namelist() if m.endswith(".csv")}
    if "datapackage.json" in archive.namelist():
        try:
            described = json.loads(archive.read("datapackage.json"))
            paths = {r["path"]: str(r["name"]) for r in described["resources"]}
        except (ValueError, KeyError, TypeError) as err:
            raise Unreadable(name, f"Its datapackage.json can't be read: {err}.") from err
    for path, table in paths.items():
        if path not in archive.namelist():
            raise Unreadable(name, f"Its datapackage.json names {path}, which is not in it.")
        yield table, _csv(path, archive.read(path))


def _csv(name: str, data: bytes) -> Iterator[list[str]]:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as err:
        line = data[: err.start].count(b"\n") + 1
        raise Unreadable(name, f"Line {line} is not in UTF-8.") from err
    head = text.split("\n", 1)[0]
    separator = max(",;\t", key=head.count)
    try:
        yield from csv.reader(io.StringIO(text), delimiter=separator, strict=True)
    except csv.Error as err:
        raise Unreadable(name, f"It is no sound CSV: {err}.") from err


def _read_table(content: Content, name: str, cells: Iterator[list[str]]) -> None:
    table = BY_NAME.get(name)
    if table is None:
        known = ", ".join(BY_NAME)
        content.faults.append(Fault(name, 0, f"there is no table of that name; known are {known}"))
        return
    head = [c.strip().lower() for c in next(cells, [])]
    if faults := _head_faults(table, head):
        content.faults += faults
        return
    content.columns[name] = set(head)
    rows = content.rows.setdefault(name, [])
    seen: dict[tuple[Any, ...], int] = {}
    for line, row in enumerate(cells, start=2):
        if not any(row):
            continue
        if len(rows) >= MOST_ROWS or len(content.faults) >= MOST_FAULTS:
            content.faults.append(Fault(name, line, "reading stopped here"))
            return
        typed, faults = read_row(table, dict(zip(head, row, strict=False)), line)
        key = tuple(typed.values.get(k) for k in table.key)
        if not faults and key in seen:
            faults = [Fault(name, line, f"it stands on line {seen[key]} already")]
        seen.setdefault(key, line)
        content.faults += faults
        rows.append(typed)


def _head_faults(table: Table, head: list[str]) -> list[Fault]:
    missing = [c.name for c in table.columns if c.is_required and c.name not in head]
    strange = [h for h in head if h and table.column(h) is None]
    faults = [Fault(table.name, 1, f"the column {name} is missing") for name in missing]
    return faults + [Fault(table.name, 1, f"the column {name} is not known") for name in strange]
