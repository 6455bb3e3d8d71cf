"""What orders know of items: at a glance, and what is lacking."""

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..web_api.fields import MOST_ROWS, Answer
from .peek import LackOut, PeekOut, lacks, peek_at

router = Router(tags=["orders"])


@router.get("/items/{code}/peek", response={200: PeekOut, 404: Problem})
def peek(request: HttpRequest, code: str) -> PeekOut:
    """Return an item at a glance."""
    return peek_at(item_by_code(code), timezone.localdate())


class LackPage(Answer):
    """What would stop the next order of anything; and how much of it there is."""

    rows: list[LackOut]
    whole: int


@router.get("/lacks", response=LackPage)
def lacking(request: HttpRequest) -> LackPage:
    """Return what would stop the next order of anything; 200 things at most."""
    found = lacks(timezone.localdate())
    return LackPage(rows=found[:MOST_ROWS], whole=len(found))
