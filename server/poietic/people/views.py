"""Saved views of tables."""

from django.http import HttpRequest
from ninja import Router

from ..web_api.fields import Answer
from .commands import MOST_VIEWS, Page
from .models import SavedView

router = Router(tags=["people"])


class ViewOut(Answer):
    """A saved view."""

    name: str
    query: str
    person: str


@router.get("/views/{page}", response=list[ViewOut])
def views(request: HttpRequest, page: Page) -> list[ViewOut]:
    """Return the saved views of a page."""
    rows = SavedView.objects.filter(page=page).select_related("person")
    return [
        ViewOut(name=v.name, query=v.query, person=str(v.person) if v.person else "")
        for v in rows[:MOST_VIEWS]
    ]
