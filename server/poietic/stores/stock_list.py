"""All stock by item: on hand, reserved, free, held back and on the way, in one statement."""

from datetime import date
from decimal import Decimal
from typing import NamedTuple

from django.db import connection

#: of each item that there is something of; the core's `LotStock.may_be_used`, for many at once
STOCK = """
WITH kept AS (
  SELECT b.item_id,
         sum(b.quantity) AS on_hand,
         sum(b.reserved) AS reserved,
         sum(b.quantity) FILTER (WHERE p.kind = 'on the way') AS on_the_way,
         sum(b.quantity) FILTER (
           WHERE p.kind <> 'on the way'
             AND (l.state <> 'usable' OR l.expires_on < %(day)s)) AS held
  FROM ledger_stockbalance b
  JOIN catalog_place p ON p.id = b.place_id
  LEFT JOIN catalog_site s ON s.id = p.site_id
  LEFT JOIN ledger_lot l ON l.id = b.lot_id
  WHERE (b.quantity > 0 OR b.reserved > 0) AND (%(place)s = '' OR p.code = %(place)s) AND (%(site)s = '' OR s.code = %(site)s)
  GROUP BY 1)
SELECT i.id, i.code, i.name, i.unit, k.on_hand, k.reserved, coalesce(k.on_the_way, 0),
       coalesce(k.held, 0), count(*) OVER ()
FROM kept k JOIN catalog_item i ON i.id = k.item_id
WHERE i.search LIKE %(words)s AND (%(item)s = '' OR i.code = %(item)s)
ORDER BY i.code LIMIT %(limit)s OFFSET %(skip)s
"""


class ItemStock(NamedTuple):
    """A row of it."""

    key: int
    code: str
    name: str
    unit: str
    on_hand: Decimal
    reserved: Decimal
    on_the_way: Decimal
    #: quarantined, rejected or expired
    held: Decimal
    #: in how many rows there is something
    found: int

    @property
    def free(self) -> Decimal:
        """Return what may be used and is not reserved."""
        return self.on_hand - self.on_the_way - self.held - self.reserved


def stock_list(
    day: date,
    *,
    words: str = "",
    item: str = "",
    place: str = "",
    site: str = "",
    limit: int,
    skip: int,
) -> list[ItemStock]:
    """Return the items that there is stock of, by code: those whose code or name holds the words, or one."""
    escaped = words.lower().replace("\\", r"\\").replace("%", r"\%").replace("_", r"\_")
    asked: dict[str, str | int | date] = {"day": day, "item": item, "place": place, "site": site, "words": f"%{escaped}%", "limit": limit, "skip": skip}  # fmt: skip
    with connection.cursor() as cursor:
        cursor.execute(STOCK, asked)
        return [ItemStock(*row) for row in cursor.fetchall()]
