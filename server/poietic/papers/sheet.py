"""Papers on A4: a title, tables with hairlines, numbered pages."""

import io
from collections.abc import Sequence
from html import escape
from typing import Any

from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Table, TableStyle

#: the library's own face; it has more letters than the printer's fonts
FACE = "Vera"
pdfmetrics.registerFont(TTFont(FACE, "Vera.ttf"))
pdfmetrics.registerFont(TTFont(f"{FACE}-Bold", "VeraBd.ttf"))

SMALL = ParagraphStyle("small", fontName=FACE, fontSize=7, leading=8.5)
BOLD = ParagraphStyle("bold", parent=SMALL, fontName=f"{FACE}-Bold")
TITLE = ParagraphStyle("title", parent=BOLD, fontSize=12, leading=15)
QUIET = ParagraphStyle("quiet", parent=SMALL, textColor=colors.Color(0.35, 0.36, 0.37))
HAIR = colors.Color(0.75, 0.75, 0.74)
#: between the margins [mm]
WIDTH = 180


def words(text: str, style: ParagraphStyle = SMALL) -> Paragraph:
    """Return text that breaks into lines."""
    return Paragraph(escape(text), style)


def table(rows: list[list[Any]], widths: Sequence[int], *, numbers: Sequence[int] = ()) -> Table:
    """Return a table with its head repeated on each page.

    Parameters
    ----------
    rows : the head first
    widths : of the columns [mm]
    numbers : columns set to the right
    """
    style = [
        ("FONT", (0, 0), (-1, -1), FACE, 7),
        ("FONT", (0, 0), (-1, 0), f"{FACE}-Bold", 7),
        *(("ALIGN", (n, 0), (n, -1), "RIGHT") for n in numbers),
        ("LINEBELOW", (0, 0), (-1, 0), 0.6, colors.black),
        ("LINEBELOW", (0, 1), (-1, -1), 0.25, HAIR),
        ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
        ("TOPPADDING", (0, 0), (-1, -1), 1.2),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1.8),
    ]
    made = Table(rows, colWidths=[w * mm for w in widths], repeatRows=1, hAlign="LEFT")
    made.setStyle(TableStyle(style))
    return made


def paper(title: str, parts: Sequence[Flowable]) -> bytes:
    """Return a PDF on A4; the same parts give the same bytes."""
    target = io.BytesIO()
    sheet = SimpleDocTemplate(
        target,
        pagesize=A4,
        leftMargin=15 * mm,
        rightMargin=15 * mm,
        topMargin=14 * mm,
        bottomMargin=14 * mm,
        title=title,
        invariant=True,
    )
    sheet.build(list(parts), onLaterPages=_numbered)
    return target.getvalue()


def _numbered(canvas: Any, sheet: SimpleDocTemplate) -> None:
    canvas.setFont(FACE, 7)
    canvas.drawRightString(A4[0] - 15 * mm, 8 * mm, f"{sheet.title}, page {sheet.page}")
