"""The cost sheet of an item, all levels: as rows, as CSV or XLSX, and on paper."""

import csv
import io
from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from typing import Any

from openpyxl import Workbook
from poietic_core.cost.model import Element
from poietic_core.quantity import ZERO, money
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from ..catalog.models import Item
from ..web_api.fields import plain
from .models import Standard

HEAD = ("level", "operation", "kind", "code", "name", "quantity", "unit", "in one", "cost in one")
#: the library's own face; it has more letters than the printer's fonts
FACE = "Vera"


def sheet_rows(tree: dict[str, Any]) -> Iterator[tuple[Any, ...]]:
    """Yield the rows of an interleaved structure with what each costs in one unit of the item."""
    for row in tree["rows"]:
        yield (
            "" if row["level"] is None else row["level"],
            row["operation"],
            row["kind"],
            row["code"],
            row["name"],
            _text(row["quantity"]),
            row["line_unit"],
            _text(row["need"]),
            _text(row["cost"]),
        )


def as_csv(tree: dict[str, Any]) -> str:
    """Return a cost sheet as CSV (RFC 4180)."""
    target = io.StringIO()
    writer = csv.writer(target)
    writer.writerow(HEAD)
    writer.writerows(sheet_rows(tree))
    return target.getvalue()


def as_workbook(tree: dict[str, Any]) -> bytes:
    """Return a cost sheet as XLSX; numbers stay text, so none loses digits."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet(tree["item"][:31])
    sheet.append(list(HEAD))
    for row in sheet_rows(tree):
        sheet.append(list(row))
    target = io.BytesIO()
    book.save(target)
    return target.getvalue()


def as_pdf(item: Item, standard: Standard, tree: dict[str, Any], day: date) -> bytes:
    """Return a cost sheet on A4: the elements, then the structure with its costs."""
    pdfmetrics.registerFont(TTFont(FACE, "Vera.ttf"))
    pdfmetrics.registerFont(TTFont(f"{FACE}-Bold", "VeraBd.ttf"))
    small = ParagraphStyle("small", fontName=FACE, fontSize=7, leading=8.5)
    bold = ParagraphStyle("bold", parent=small, fontName=f"{FACE}-Bold")
    title = ParagraphStyle("title", parent=bold, fontSize=12, leading=15)
    quiet = ParagraphStyle("quiet", parent=small, textColor=colors.Color(0.35, 0.36, 0.37))
    cost = standard.as_item_cost().cost
    elements = [["Element", "this level", "lower levels", "EUR"]]
    for element in Element:
        this = cost.this_level.get(element, ZERO)
        lower = cost.lower_levels.get(element, ZERO)
        if this or lower:
            elements.append([element.value, _money(this), _money(lower), _money(this + lower)])
    elements.append(["standard cost of one", "", "", plain(standard.total)])
    body: list[list[Any]] = [["L", "What", "Code", "used", "in one", "EUR"]]
    for row in tree["rows"]:
        is_operation = row["kind"] == "operation"
        words = f"{row['operation']} {row['name']}" if is_operation else row["name"]
        indent = "&nbsp;" * (row["depth"] * 3)
        body.append(
            [
                "" if row["level"] is None else row["level"],
                Paragraph(indent + _escaped(words), bold if is_operation else small),
                row["code"],
                f"{_text(row['quantity'])} {row['line_unit']}".strip(),
                _text(row["need"]),
                "" if row["cost"] is None else _money(row["cost"]),
            ]
        )
    target = io.BytesIO()
    paper = SimpleDocTemplate(
        target,
        pagesize=A4,
        leftMargin=15 * mm,
        rightMargin=15 * mm,
        topMargin=14 * mm,
        bottomMargin=14 * mm,
        title=f"Cost sheet {item.code}",
        invariant=True,
    )
    lot = f"standard lot {_text(item.standard_lot)} {item.unit}"
    paper.build(
        [
            Paragraph(f"Cost sheet: {_escaped(item.name)} {item.code}", title),
            Paragraph(f"rev {tree['letter']} {tree['state']}, {lot}, EUR per {item.unit}, {day:%d %b %Y}", quiet),
            Spacer(1, 4 * mm),
            _table(elements, [60, 30, 30, 30]),
            Spacer(1, 5 * mm),
            _table(body, [8, 88, 26, 24, 18, 16]),
        ],
        onLaterPages=_numbered,
    )  # fmt: skip
    return target.getvalue()


def _table(rows: list[list[Any]], widths: list[int]) -> Table:
    hair = colors.Color(0.75, 0.75, 0.74)
    style = [
        ("FONT", (0, 0), (-1, -1), FACE, 7),
        ("FONT", (0, 0), (-1, 0), f"{FACE}-Bold", 7),
        ("ALIGN", (-3 if len(widths) == 6 else 1, 0), (-1, -1), "RIGHT"),
        ("LINEBELOW", (0, 0), (-1, 0), 0.6, colors.black),
        ("LINEBELOW", (0, 1), (-1, -1), 0.25, hair),
        ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
        ("TOPPADDING", (0, 0), (-1, -1), 1.2),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1.8),
    ]
    table = Table(rows, colWidths=[w * mm for w in widths], repeatRows=1, hAlign="LEFT")
    table.setStyle(TableStyle(style))
    return table


def _numbered(canvas: Any, paper: Any) -> None:
    canvas.setFont(FACE, 7)
    canvas.drawRightString(195 * mm, 8 * mm, str(paper.page))


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")


def _text(value: Decimal | None) -> str:
    return "" if value is None else plain(value.normalize() + 0)


def _money(value: Decimal) -> str:
    return f"{money(value):,.2f}"
