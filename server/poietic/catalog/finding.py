"""Items, partners and documents, found by their words."""

from urllib.parse import quote

from django.db.models import Q, QuerySet
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


def items_of(words: list[str], rows: QuerySet[Item] | None = None) -> list[Item]:
    """Return a few items that have the words; those whose code begins with them come first."""
    rows = Item.objects.all() if rows is None else rows
    begins = list(rows.filter(code__istartswith=" ".join(words)).order_by("code")[:MOST])
    if len(begins) == MOST:
        return begins
    others = rows.filter(all_of(words)).order_by()[:LOOKED_AT]
    known = {i.pk for i in begins}
    return [*begins, *sorted((i for i in others if i.pk not in known), key=lambda i: i.code)][:MOST]


def find_items(words: list[str]) -> list[Found]:
    """Return items by code and name."""
    return [as_found("item", i) for i in items_of(words)]


def find_made(words: list[str]) -> list[Found]:
    """Return items that are made."""
    made = Item.objects.exclude(source=Item.Source.BUY)
    return [as_found("made item", i) for i in items_of(words, made)]


def find_bought(words: list[str]) -> list[Found]:
    """Return items that are bought."""
    bought = Item.objects.exclude(source=Item.Source.MAKE)
    return [as_found("bought item", i) for i in items_of(words, bought)]


def as_found(kind: str, i: Item) -> Found:
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
