"""Labels and papers as files, and what the printer was sent."""

from datetime import datetime
from typing import Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router

from ..commanding.api import Problem
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, ShortText, Skip
from .commands import label_of
from .kinds import PAPERS
from .labels import as_pdf, as_svg
from .models import Printed

router = Router(tags=["papers"])
#: labels of an answer
PAGE = 40


class PrintedOut(Answer):
    """A label that the printer was sent."""

    number: int
    kind: str
    title: str
    content: str
    copies: int
    person: str
    printed_at: datetime
    #: the label as it came out
    svg: str


class PrintedPage(Answer):
    """The last labels, the newest first."""

    rows: list[PrintedOut]
    whole: int


@router.get("/printer", response=PrintedPage)
def printed(request: HttpRequest, skip: Skip = 0) -> PrintedPage:
    """Return what the label printer was sent."""
    rows = Printed.objects.select_related("person")
    return PrintedPage(
        rows=[
            PrintedOut(
                number=p.pk,
                kind=p.kind,
                title=p.title,
                content=p.content,
                copies=p.copies,
                person=str(p.person) if p.person else "",
                printed_at=p.printed_at,
                svg=p.svg,
            )
            for p in rows[skip : skip + PAGE]
        ],
        whole=rows.count(),
    )


@router.get("/labels/{kind}.{form}", response={200: None, 404: Problem})
def label(
    request: HttpRequest,
    kind: str,
    form: Literal["svg", "pdf"],
    code: ShortText,
    of: ShortText = "",
) -> HttpResponse:
    """Return a label as SVG or PDF."""
    found = label_of(kind, code, of)
    if form == "svg":
        return HttpResponse(as_svg(found), content_type="image/svg+xml")
    return HttpResponse(as_pdf([found]), content_type="application/pdf")


@router.get("/papers/{kind}.pdf", response={200: None, 404: Problem})
def paper(request: HttpRequest, kind: str, code: ShortText) -> HttpResponse:
    """Return a paper as PDF: a pick list, a traveller."""
    if kind not in PAPERS:
        raise NotFound("kind of paper", kind)
    return HttpResponse(PAPERS[kind](code), content_type="application/pdf")
