"""Work centers, and items that have a structure, found by their words."""

from urllib.parse import quote

from django.utils import timezone

from ..catalog.finding import as_found, items_of
from ..catalog.models import Item
from ..web_api.finding import Found, ranked
from .models import WorkCenter
from .queries import in_force


def find_centers(words: list[str]) -> list[Found]:
    """Return work centers; there are few of them."""
    things = [
        Found(
            kind="work center",
            code=w.code,
            words=w.name,
            beside="",
            to=f"/define/work-centers?code={quote(w.code, safe='')}",
        )
        for w in WorkCenter.objects.all()
        if all(word in f"{w.code} {w.name}".lower() for word in words)
    ]
    return ranked(things, words)


def find_structures(words: list[str]) -> list[Found]:
    """Return items that have a structure in force."""
    made = items_of(words, (Item.Source.MAKE.value, Item.Source.BOTH.value))
    keys = in_force(timezone.localdate()).filter(item__in=[i.pk for i in made])
    standing = set(keys.values_list("item", flat=True))
    return [as_found("structure", i) for i in made if i.pk in standing]
