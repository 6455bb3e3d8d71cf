"""What could be released, and what stops the rest; what can be built now of what is free."""

import json
from datetime import date, timedelta
from decimal import Decimal
from typing import Annotated, Literal, NamedTuple

from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.planning.buildable import MOST, Shelf, can_be_built
from poietic_core.quantity import money
from poietic_core.structure.phantom import inline
from pydantic import Field

from ..catalog.models import Item
from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..costing.queries import standards_in_force
from ..engineering.queries import phantoms_on, reached_from, revision_in_force
from ..ledger.reserving import free_stock
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, PageSize, Skip
from .standing import words_of_day

router = Router(tags=["orders"])
Weeks = Annotated[int, Field(ge=1, le=104)]
Group = Literal["nothing", "comes", "late", "never", "data"]

#: of each order that is not released: what stops it. Master data before material; material that nobody
#: knows the day of before what comes too late, and that before what comes in time.
READY = """
WITH needs AS (
  SELECT n.order_id, count(*) FILTER (WHERE n.short > 0) AS short,
         count(*) FILTER (WHERE n.short > 0 AND n.comes IS NULL) AS unknown,
         max(n.comes) FILTER (WHERE n.short > 0) AS comes
  FROM orders_plannedneed n GROUP BY 1),
waiting AS (
  SELECT o.id, o.number, i.code, i.name, i.unit, o.quantity, o.due, o.state, o.note, o.customer_order,
         s.starts, s.finishes, coalesce(s.days_late, 0) AS days_late, coalesce(s.fault, '') AS fault,
         coalesce(s.blocks, '[]') AS blocks, coalesce(n.short, 0) AS short, n.comes, i.id AS item_id,
         CASE WHEN s.blocks <> '[]' OR s.fault <> '' THEN 'data'
              WHEN coalesce(n.short, 0) = 0 THEN 'nothing'
              WHEN n.unknown > 0 THEN 'never'
              WHEN n.comes > o.due OR n.comes > s.starts THEN 'late'
              ELSE 'comes' END AS what
  FROM orders_order o
  JOIN catalog_item i ON i.id = o.item_id
  LEFT JOIN orders_standing s ON s.order_id = o.id
  LEFT JOIN needs n ON n.order_id = o.id
  WHERE o.state IN ('planned', 'firm') AND o.due <= %(until)s)
SELECT *, count(*) OVER (PARTITION BY what) AS alike, count(*) OVER () AS whole FROM waiting
ORDER BY array_position(ARRAY['nothing', 'comes', 'late', 'never', 'data'], what), due, number
LIMIT %(limit)s OFFSET %(skip)s
"""

#: of some orders: the items that they are short of, the last to come first, and what of each is held back
LACKS = """
SELECT n.order_id, i.code, i.unit, n.short, n.comes,
       (SELECT sum(b.quantity) FROM ledger_stockbalance b JOIN ledger_lot l ON l.id = b.lot_id
        WHERE b.item_id = n.item_id AND (l.state <> 'usable' OR l.expires_on < %s)) FROM (
  SELECT *, row_number() OVER (PARTITION BY order_id ORDER BY comes DESC NULLS FIRST, item_id) AS nth
  FROM orders_plannedneed WHERE order_id = ANY(%s) AND short > 0) n
JOIN catalog_item i ON i.id = n.item_id WHERE n.nth <= %s ORDER BY n.order_id, n.nth
"""
#: items that are named of an order
NAMED = 3


class Waiting(NamedTuple):
    """A row of it."""

    key: int
    number: int
    item: str
    name: str
    unit: str
    quantity: Decimal
    due: date
    state: str
    note: str
    customer_order: str
    starts: date | None
    finishes: date | None
    days_late: int
    fault: str
    blocks: list[dict[str, str]] | str
    short: int
    comes: date | None
    item_key: int
    what: Group
    alike: int
    whole: int


class ReadyRow(Answer):
    """An order that is not released: when it would run, what it is worth, what stops it."""

    number: int
    item: str
    name: str
    unit: str
    quantity: DecimalText
    due: date
    state: str
    #: whom it is for, in words
    wanted: str
    starts: date | None
    finishes: date | None
    days_late: int
    group: Group
    #: what stops it, in words: the first things
    stops: list[str]
    #: how many things stop it
    count: int
    #: by the standard in force; null where it has none
    worth: Cost | None


class ReadyGroup(Answer):
    """How many orders the same thing stops."""

    group: Group
    orders: int


class ReadyOut(Answer):
    """Orders by what stops them; those that nothing stops first."""

    rows: list[ReadyRow]
    groups: list[ReadyGroup]
    whole: int
    until: date


@router.get("/orders/ready", response=ReadyOut)
def ready(
    request: HttpRequest, weeks: Weeks = 6, limit: PageSize = MOST_ROWS, skip: Skip = 0
) -> ReadyOut:
    """Return the orders that could be released, due within some weeks, by what stops them."""
    until = timezone.localdate() + timedelta(weeks=weeks)
    with connection.cursor() as cursor:
        cursor.execute(READY, {"until": until, "limit": limit, "skip": skip})
        rows = [Waiting(*row) for row in cursor.fetchall()]
        cursor.execute(LACKS, [timezone.localdate(), [r.key for r in rows], NAMED])
        lacks: dict[int, list[str]] = {}
        for order, code, unit, short, comes, held in cursor.fetchall():
            when = f"there {words_of_day(comes)}" if comes else "none is to come"
            back = f"; {held.normalize():f} are held back: judge the lots" if held else ""
            words = f"{code}: {short.normalize():f} {unit} short, {when}{back}"
            lacks.setdefault(order, []).append(words)
    items = Item.objects.in_bulk({r.item_key for r in rows})
    standards = standards_in_force(list(items.values()))
    groups = {r.what: r.alike for r in rows}
    return ReadyOut(
        rows=[
            ReadyRow(
                number=r.number,
                item=r.item,
                name=r.name,
                unit=r.unit,
                quantity=r.quantity,
                due=r.due,
                state=r.state,
                wanted=r.customer_order or r.note,
                starts=r.starts,
                finishes=r.finishes,
                days_late=r.days_late,
                group=r.what,
                stops=_stops(r, lacks.get(r.key, [])),
                count=r.short + len(_blocks(r)),
                worth=money(s.total * r.quantity) if (s := standards.get(r.item)) else None,
            )
            for r in rows
        ],
        groups=[ReadyGroup(group=g, orders=n) for g, n in groups.items()],
        whole=rows[0].whole if rows else 0,
        until=until,
    )


def _blocks(r: Waiting) -> list[dict[str, str]]:
    found: list[dict[str, str]] = json.loads(r.blocks) if isinstance(r.blocks, str) else r.blocks
    return found


def _stops(r: Waiting, lacks: list[str]) -> list[str]:
    if r.fault:
        return [r.fault]
    return [b["why"] for b in _blocks(r)][:NAMED] or lacks


class LimitOut(Answer):
    """A component that keeps one more from being built."""

    item: str
    name: str
    unit: str
    missing: DecimalText
    #: how many more could be built with one more of it
    gives: DecimalText


class BuildableOut(Answer):
    """How many of an item can be built now of what is free, over all levels."""

    item: str
    unit: str
    #: null: nothing limits it
    quantity: DecimalText | None
    limits: list[LimitOut]


@router.get("/items/{code}/buildable", response={200: BuildableOut, 404: Problem})
def buildable(request: HttpRequest, code: str) -> BuildableOut:
    """Return how many of an item can be built now, sub-assemblies made on the way, and what limits it."""
    item = item_by_code(code)
    day = timezone.localdate()
    top = revision_in_force(item, day)
    structures = {}
    if top:
        phantoms = phantoms_on(day)
        _, reached = reached_from(top, day)
        structures = {c: inline(s, phantoms).structure for c, s in reached.items() if c not in phantoms}  # fmt: skip
    codes = {code, *structures, *(c.item for s in structures.values() for c in s.components)}
    items = {i.code: i for i in Item.objects.filter(code__in=codes)}
    free = free_stock([i.pk for i in items.values()], day)
    shelf = Shelf(
        structures=structures,
        free={i.code: free[i.pk] for i in items.values() if i.pk in free},
        steps={i.code: i.step for i in items.values()},
    )
    found = can_be_built(code, shelf)
    return BuildableOut(
        item=code,
        unit=item.unit,
        quantity=None if found.quantity >= MOST else found.quantity,
        limits=[
            LimitOut(
                item=n.item,
                name=items[n.item].name,
                unit=items[n.item].unit,
                missing=n.missing,
                gives=n.gives,
            )
            for n in found.limits
        ],
    )
