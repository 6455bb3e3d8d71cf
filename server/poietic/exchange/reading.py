"""From files to rows: CSV, XLSX, and a zip of CSV files that a data package describes."""

import csv
import io
import json
import re
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import chain, islice
from pathlib import PurePosixPath
from typing import IO, Any, ClassVar

from openpyxl import load_workbook
from poietic_core.errors import DomainError

from .tables import BY_NAME, Fault, Row, Table, from_cell, read_row

#: what an upload may hold as it comes, and unpacked: rows are read one by one, a workbook is not
MOST_BYTES = 25_000_000
MOST_UNPACKED, MOST_OF_A_WORKBOOK = 80_000_000, 40_000_000
MOST_ROWS = 1_000_000
MOST_COLUMNS = 200
MOST_FILES = 100
MOST_FAULTS = 500
#: blank lines in a row after which a table is taken to have ended
MOST_BLANK = 10_000
#: what reading an archive raises that is damaged, encrypted or of a method unknown here
DAMAGED = (zipfile.BadZipFile, NotImplementedError, RuntimeError, zlib.error, EOFError, OSError)
PLACE = re.compile(rb'\br="([A-Z]*)([0-9]+)"')


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
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                _read_archive(name, data, archive, content)
        except DAMAGED as err:
            raise Unreadable(name, f"The archive can't be unpacked: {err}.") from err
    else:
        stem = PurePosixPath(name).stem.lower()
        _read_table(content, stem, _csv(name, io.BytesIO(data)))
    if not content.rows and not content.faults:
        raise Unreadable(name, "It holds none of the tables.")
    return content


def first_sheet(name: str, data: bytes, most: int) -> list[list[str]]:
    """Return the rows of a workbook's first sheet as texts, those that are empty left out.

    Raises
    ------
    Unreadable (exchange.unreadable)
        If it is no sound XLSX workbook, holds a formula, or has more rows than `most`.
    """
    content = Content()
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            _check_size(name, archive, MOST_OF_A_WORKBOOK)
            _check_sheets(name, archive, content)
        _, sheet = next(_workbook(name, data, content))
        rows = [row for row in islice(sheet, most + 1) if any(row)]
    except DAMAGED as err:
        raise Unreadable(name, f"The workbook can't be unpacked: {err}.") from err
    if content.faults:
        raise Unreadable(name, f"Row {content.faults[0].line}: {content.faults[0].why}.")
    if len(rows) > most:
        raise Unreadable(name, f"It has more than {most} rows.")
    return rows


def _read_archive(name: str, data: bytes, archive: zipfile.ZipFile, content: Content) -> None:
    is_workbook = "xl/workbook.xml" in archive.namelist()
    _check_size(name, archive, MOST_OF_A_WORKBOOK if is_workbook else MOST_UNPACKED)
    if is_workbook:
        _check_sheets(name, archive, content)
        sheets = _workbook(name, data, content)
    else:
        sheets = _package(name, archive)
    for table_name, cells in sheets:
        _read_table(content, table_name, cells)


def _check_size(name: str, archive: zipfile.ZipFile, most: int) -> None:
    members = archive.infolist()
    size = sum(m.file_size for m in members)
    if size > most or len(members) > MOST_FILES:
        raise Unreadable(
            name,
            f"It would unpack to {size / 1e6:,.0f} MB in {len(members)} files; "
            f"at most {most / 1e6:,.0f} MB in {MOST_FILES} are taken.",
        )


def _check_sheets(name: str, archive: zipfile.ZipFile, content: Content) -> None:
    """Refuse what can't be read row by row: merged cells, and cells where no table reaches."""
    for member in archive.namelist():
        if not member.startswith("xl/worksheets/") or not member.endswith(".xml"):
            continue
        sheet, xml = PurePosixPath(member).stem, archive.read(member)
        if b"<mergeCell " in xml:
            content.faults.append(Fault(sheet, 0, "it has merged cells; each row needs its own"))
        for letters, row in PLACE.findall(xml):
            if len(row) > 7 or int(row) > MOST_ROWS or len(letters) > 2:
                place = (letters + row)[:20].decode()
                raise Unreadable(
                    name,
                    f"{sheet} has a cell at {place}; at most {MOST_ROWS:,} rows and 702 columns are read.",
                )


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
    for line, cells in enumerate(_cells_of(sheet), start=1):
        for cell in cells:
            if getattr(cell, "data_type", "") == "f":
                content.faults.append(
                    Fault(table, line, f"{cell.coordinate} holds a formula; paste its value")
                )
        yield ["" if c.value is None else str(c.value) for c in cells]


def _cells_of(sheet: Any) -> Iterator[Any]:
    """Yield the rows of a sheet; openpyxl raises whatever a bad date or number makes it."""
    try:
        yield from sheet.iter_rows(max_col=MOST_COLUMNS)
    except Exception as err:
        raise Unreadable(sheet.title, f"A cell of it can't be read: {err}.") from err


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
        with archive.open(path) as file:
            yield table, _csv(path, file)


def _csv(name: str, file: IO[bytes]) -> Iterator[list[str]]:
    """Yield the rows of a CSV, read as they are asked for."""
    lines = _decoded(name, file)
    head = next(lines, "")
    separator = max(",;\t", key=head.count)
    try:
        yield from csv.reader(chain([head], lines), delimiter=separator, strict=True)
    except csv.Error as err:
        raise Unreadable(name, f"It is no sound CSV: {err}.") from err


def _decoded(name: str, file: IO[bytes]) -> Iterator[str]:
    line = 1
    try:
        for line, data in enumerate(file, start=1):
            yield data.decode("utf-8-sig" if line == 1 else "utf-8")
    except UnicodeDecodeError as err:
        raise Unreadable(name, f"Line {line} is not in UTF-8.") from err


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
    blank = 0
    for line, row in enumerate(cells, start=2):
        if not any(row):
            blank += 1
            if blank > MOST_BLANK:
                content.faults.append(
                    Fault(name, line, f"{blank:,} blank lines in a row: delete them")
                )
                return
            continue
        blank = 0
        if len(rows) >= MOST_ROWS or len(content.faults) >= MOST_FAULTS:
            content.faults.append(Fault(name, line, "reading stopped here"))
            return
        cells_of_row = {h: from_cell(c) for h, c in zip(head, row, strict=False)}
        typed, faults = read_row(table, cells_of_row, line)
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
