"""Labels for lots, serials, places and carriers: drawn once, as SVG or as PDF."""

import io
from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.graphics import renderPDF, renderSVG
from reportlab.graphics.barcode.code128 import Code128
from reportlab.graphics.barcode.qr import QrCodeWidget
from reportlab.graphics.shapes import Drawing, Rect, String
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas

from .sheet import FACE

WIDTH, HEIGHT = 80 * mm, 40 * mm
MARGIN = 3 * mm
#: modules of white beside the bars (ISO/IEC 15417)
QUIET = 10
#: what separates variable elements, and begins a GS1 code; as the drawing library writes it
FNC1 = "\xf1"


@dataclass(frozen=True, slots=True, kw_only=True)
class Label:
    """What stands on a label."""

    kind: str
    #: large
    title: str
    #: below it, each in a line
    lines: Sequence[str] = ()
    #: what the bars say, and what is written under them
    code: str
    shown: str = ""
    #: the bars hold a GS1 element string
    is_gs1: bool = False


def draw(label: Label) -> Drawing:
    """Return a label of 80 by 40 mm: words, bars (Code 128, ISO/IEC 15417) and a square (QR, ISO/IEC 18004)."""
    drawing = Drawing(WIDTH, HEIGHT)
    side = 18 * mm  # the white around it is four of its squares, as the standard wants
    shown = label.shown or label.code
    square = QrCodeWidget(shown, barLevel="M", barWidth=side, barHeight=side, barBorder=0)
    square.x, square.y = WIDTH - side - MARGIN, HEIGHT - side - MARGIN
    drawing.add(square)
    room = WIDTH - side - 3 * MARGIN
    drawing.add(_line(label.title, HEIGHT - MARGIN - 12, 13, room, bold=True))
    for n, words in enumerate(label.lines):
        drawing.add(_line(words, HEIGHT - MARGIN - 23 - n * 9, 7.5, room))
    for bar in _bars(label.code, WIDTH, 9 * mm, is_gs1=label.is_gs1):
        bar.y = MARGIN + 8
        drawing.add(bar)
    drawing.add(_line(shown, MARGIN - 1, 7.5, WIDTH - 2 * MARGIN))
    return drawing


def bars(code: str, room: float) -> Drawing:
    """Return bars with what they say below them, for a paper."""
    drawing = Drawing(room, 8 * mm)
    for bar in _bars(code, room, 5 * mm):
        bar.y = 3 * mm
        drawing.add(bar)
    drawing.add(String(0, 0.4 * mm, code, fontName=FACE, fontSize=6))
    return drawing


def encode(code: str, *, is_gs1: bool = False) -> Code128:
    """Return a Code 128 symbol; `encoded` holds its values: start, data, check, stop."""
    symbol = Code128(FNC1 + code if is_gs1 else code)
    symbol.validate()
    symbol.encode()
    symbol.decompose()
    return symbol


def as_svg(label: Label) -> str:
    """Return a label as SVG."""
    drawn: str = renderSVG.drawToString(draw(label))
    return drawn[drawn.index("<svg") :]


def as_pdf(labels: Sequence[Label]) -> bytes:
    """Return labels as PDF, one on each page."""
    target = io.BytesIO()
    canvas = Canvas(target, pagesize=(WIDTH, HEIGHT), invariant=True)
    for label in labels:
        renderPDF.draw(draw(label), canvas, 0, 0)
        canvas.showPage()
    canvas.save()
    return target.getvalue()


def _bars(code: str, room: float, height: float, *, is_gs1: bool = False) -> list[Rect]:
    """Return the bars of a code, as wide as there is room for with ten modules of white on each side."""
    widths = _widths(encode(code, is_gs1=is_gs1).decomposed)
    unit = min(0.5 * mm, room / (sum(widths) + 2 * QUIET))
    found, at = [], QUIET * unit
    for n, width in enumerate(widths):
        if n % 2 == 0:
            found.append(Rect(at, 0, width * unit, height, strokeColor=None))
        at += width * unit
    return found


def _widths(decomposed: str) -> list[int]:
    """Return the widths of bars and gaps in turn; the library writes bars as small letters, gaps as large."""
    return [ord(c.lower()) - ord("a") + 1 for c in decomposed]


def _line(words: str, y: float, size: float, room: float, *, bold: bool = False) -> String:
    """Return a line of text, cut where it would leave its room."""
    face = f"{FACE}-Bold" if bold else FACE
    text = words
    while text and stringWidth(text, face, size) > room:
        text = text[:-1]
    if text != words:
        text = text[:-1] + "…"
    return String(MARGIN, y, text, fontName=face, fontSize=size)
