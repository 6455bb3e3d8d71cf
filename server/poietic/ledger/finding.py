"""Lots and serials, found by their own code or the supplier's."""

from urllib.parse import quote

from django.db.models import Value
from django.db.models.functions import Concat, Lower

from ..catalog.finding import LOOKED_AT, all_of
from ..web_api.finding import Found, ranked
from .models import Lot


def find_lots(words: list[str]) -> list[Found]:
    """Return lots with the item that they are of."""
    small = Lower(Concat("code", Value(" "), "supplier_code"))
    rows = Lot.objects.alias(small=small).filter(all_of(words, "small"))
    things = [
        Found(
            kind="lot",
            code=lot.code,
            words=f"{lot.kind} of {lot.item.name}",
            beside=lot.item.code,
            to=f"/define/items/{quote(lot.item.code, safe='')}",
        )
        for lot in rows.select_related("item").order_by()[:LOOKED_AT]
    ]
    return ranked(things, words)
