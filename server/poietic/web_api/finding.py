"""Going to anything by its number, code or words: each app says what of its own can be found."""

from collections.abc import Callable, Iterable

from django.http import HttpRequest
from ninja import Router

from .fields import Answer, ShortText

router = Router(tags=["finding"])
#: of each kind of thing, at most
MOST = 8


class Found(Answer):
    """A thing, where it is shown, and what tells it from others."""

    kind: str
    code: str
    words: str
    #: its state, or what else tells it apart
    beside: str
    to: str


#: the kinds in the order in which they are shown, where none is asked for
SHOWN = ("order", "customer order", "purchase", "item", "lot", "work center", "partner", "document")
#: finders by kind; each is given small words
FINDERS: dict[str, Callable[[list[str]], Iterable[Found]]] = {}


@router.get("/find", response=list[Found])
def find(request: HttpRequest, q: ShortText, kind: ShortText = "") -> list[Found]:
    """Return what has all the words, a few of each kind, those first whose code begins with them."""
    words = q.lower().split()
    if not words:
        return []
    kinds = SHOWN if kind == "" else (kind,)
    return [found for name in kinds if name in FINDERS for found in FINDERS[name](words)]


def ranked(things: Iterable[Found], words: list[str]) -> list[Found]:
    """Return the best of some things: those whose code begins with what was asked, then by code."""
    asked = " ".join(words)
    return sorted(things, key=lambda t: (not t.code.lower().startswith(asked), t.code))[:MOST]
