"""Items, partners and documents, found by their words."""

from collections.abc import Sequence
from typing import NamedTuple
from urllib.parse import quote

from django.db import connection
from django.db.models import Q
from django.db.models.functions import Lower

from ..web_api.finding import MOST, Found, ranked
from .models import Item, ItemDocument, Partner

#: looked at before they are ranked
LOOKED_AT = 5 * MOST


def all_of(words: list[str], field: str = "search") -> Q:
    """Return the condition that a field has all words, each by its trigrams."""
    condition = Q()
    for word in words:
        condition &= Q(**{f"{field}__contains": word})
    return condition


SOURCES = [s.value for s in Item.Source]


class FoundItem(NamedTuple):
    """An item that was found."""

    pk: int
    code: str
    name: str
    source: str


def items_of(words: list[str], sources: Sequence[str] = SOURCES) -> list[FoundItem]:
    """Return a few items that have the words; those whose code begins with them come first."""
    begins = _like(" ".join(words)) + "%"
    # planned for its text, and in the order of the index: the first few are read, no more
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT id, code, name, source FROM catalog_item WHERE search LIKE %s "
            "AND source = ANY(%s) ORDER BY search USING ~<~ LIMIT %s",
            [begins, list(sources), MOST],
        )
        found = [FoundItem(*row) for row in cursor.fetchall()]
        if len(found) < MOST:
            cursor.execute(
                "SELECT id, code, name, source FROM catalog_item WHERE search LIKE ALL(%s) "
                "AND search NOT LIKE %s AND source = ANY(%s) LIMIT %s",
                [[f"%{_like(w)}%" for w in words], begins, list(sources), LOOKED_AT],
            )
            others = sorted((FoundItem(*row) for row in cursor.fetchall()), key=lambda i: i.code)
            found += others[: MOST - len(found)]
    return found


def _like(text: str) -> str:
    """Return a text as LIKE finds it literally."""
    return text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def find_items(words: list[str]) -> list[Found]:
    """Return items by code and name."""
    return [as_found("item", i) for i in items_of(words)]


def find_made(words: list[str]) -> list[Found]:
    """Return items that are made."""
    made = (Item.Source.MAKE.value, Item.Source.BOTH.value)
    return [as_found("made item", i) for i in items_of(words, made)]


def find_bought(words: list[str]) -> list[Found]:
    """Return items that are bought."""
    bought = (Item.Source.BUY.value, Item.Source.BOTH.value)
    return [as_found("bought item", i) for i in items_of(words, bought)]


def as_found(kind: str, i: FoundItem) -> Found:
    """Return an item as it is shown among what was found."""
    to = f"/define/items/{quote(i.code, safe='')}"
    return Found(kind=kind, code=i.code, words=i.name, beside=i.source, to=to)


def find_partners(words: list[str]) -> list[Found]:
    """Return suppliers and customers."""
    rows = Partner.objects.filter(all_of(words)).order_by()[:LOOKED_AT]
    things = [
        Found(
            kind="partner",
            code=p.code,
            words=p.name,
            beside="supplier" if p.is_supplier else "customer",
            to="/define/partners",
        )
        for p in rows
    ]
    return ranked(things, words)


def find_documents(words: list[str]) -> list[Found]:
    """Return drawings and pictures by their names, with the item that they show."""
    rows = ItemDocument.objects.alias(small=Lower("name")).filter(all_of(words, "small"))
    things = [
        Found(
            kind="document",
            code=d.name,
            words=d.item.name,
            beside=d.item.code,
            to=f"/define/items/{quote(d.item.code, safe='')}",
        )
        for d in rows.select_related("item").order_by()[:LOOKED_AT]
    ]
    return ranked(things, words)
