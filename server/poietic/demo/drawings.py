"""Drawings and pictures of the demo's items, drawn here so that none is anybody else's."""

import io
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image, ImageDraw
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

INK, PAPER, LINE = (35, 38, 40), (250, 248, 243), (150, 152, 150)


def picture(name: str, caption: str, rings: int, spokes: int) -> SimpleUploadedFile:
    """Return a PNG that shows rings with spokes: a cell, a spider, a mirror on its lap."""
    image = Image.new("RGB", (640, 400), PAPER)
    draw = ImageDraw.Draw(image)
    x, y = 320, 185
    for n in range(rings):
        r = 150 - n * 32
        draw.ellipse((x - r, y - r, x + r, y + r), outline=INK, width=2 if n else 4)
    for n in range(spokes):
        dx, dy = ((0, -1), (1, 0), (0, 1), (-1, 0))[n % 4]
        draw.line((x, y, x + dx * 150, y + dy * 150), fill=INK, width=3)
    draw.line((40, 185, 600, 185), fill=LINE)
    draw.line((320, 20, 320, 350), fill=LINE)
    draw.text((24, 370), caption, fill=INK)
    content = io.BytesIO()
    image.save(content, "PNG")
    return SimpleUploadedFile(name, content.getvalue(), "image/png")


def drawing(name: str, code: str, title: str, diameter: int) -> SimpleUploadedFile:
    """Return a one-page PDF with a round part, its diameter and a title block."""
    content = io.BytesIO()
    page: Any = Canvas(content, pagesize=landscape(A4), invariant=True)
    page.setTitle(f"{code} {title}")
    page.rect(10 * mm, 10 * mm, 277 * mm, 190 * mm)
    page.circle(120 * mm, 110 * mm, 70 * mm)
    page.circle(120 * mm, 110 * mm, 52 * mm)
    page.setDash(8, 3)
    page.line(40 * mm, 110 * mm, 200 * mm, 110 * mm)
    page.line(120 * mm, 30 * mm, 120 * mm, 190 * mm)
    page.setDash()
    page.drawString(124 * mm, 183 * mm, f"Ø {diameter}")
    page.rect(187 * mm, 10 * mm, 100 * mm, 30 * mm)
    page.drawString(192 * mm, 30 * mm, f"{code}   {title}")
    page.drawString(192 * mm, 18 * mm, "Tarn Hollow Instruments   mm   1:2")
    page.save()
    return SimpleUploadedFile(name, content.getvalue(), "application/pdf")
