"""What people keep beside orders: how many notes were written on each, and how many files it has."""

from collections.abc import Collection
from dataclasses import dataclass

from django.db import connection


@dataclass(frozen=True, slots=True)
class Beside:
    """Of one order."""

    notes: int = 0
    files: int = 0


BESIDE = """
SELECT o.number,
       (SELECT count(*) FROM catalog_writtennote n WHERE n.kind = 'order' AND n.code = o.number::text),
       (SELECT count(*) FROM orders_orderdocument d WHERE d.order_id = o.id)
FROM orders_order o WHERE o.number = ANY(%s::bigint[])
"""


def kept_beside(numbers: Collection[int]) -> dict[int, Beside]:
    """Return the notes and files of some orders, by number; of a page of them, in one statement."""
    if not numbers:
        return {}
    with connection.cursor() as cursor:
        cursor.execute(BESIDE, [list(numbers)])
        return {number: Beside(notes, files) for number, notes, files in cursor.fetchall()}
