"""Rows as files: CSV and XLSX."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any

from openpyxl import Workbook

#: by the ending of the file
MEDIA_TYPES = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


def as_csv(head: Sequence[str], rows: Iterable[Sequence[Any]]) -> str:
    """Return rows as CSV (RFC 4180)."""
    target = io.StringIO()
    writer = csv.writer(target)
    writer.writerow(head)
    writer.writerows(rows)
    return target.getvalue()


def as_workbook(title: str, head: Sequence[str], rows: Iterable[Sequence[Any]]) -> bytes:
    """Return rows as XLSX; numbers that are given as text stay text, so none loses digits."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet(title[:31])
    sheet.append(list(head))
    for row in rows:
        sheet.append(list(row))
    target = io.BytesIO()
    book.save(target)
    return target.getvalue()
