"""The orders of a tree interleaved: each with its operations, these with their material, that with who makes it."""

from datetime import date
from decimal import Decimal
from typing import Any, Literal, NamedTuple

import orjson
from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO

from ..catalog.queries import item_by_code, items_by_code
from ..commanding.api import Problem
from ..commanding.reading import Cost, costs_are_hidden
from ..engineering.queries import reached_from, revision_in_force
from ..ledger.reserving import free_stock
from ..statements.prepared import array_of
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .basis import Basis, bases_of
from .commands.carrying_down import lines_of
from .models import Order

router = Router(tags=["orders"])
#: rows of an answer
MOST = 5_000


class OrderTreeRow(Answer):
    """An order, an operation of it, or a component at one."""

    depth: int
    kind: Literal["order", "operation", "component"]
    #: whose it is
    order: int
    operation: int | None
    code: str
    name: str
    unit: str
    #: of the order, units entering, need; and how much of it is received, good, issued
    quantity: DecimalText | None
    done: DecimalText | None
    state: OrderState | None
    starts: date | None
    finishes: date | None
    #: of an order that is made for another: the day before which it is needed there
    wanted: date | None
    is_late: bool
    #: of an operation: the hours that are left of it
    hours: DecimalText | None
    #: of one that a supplier does: who he is, and what of it is out
    supplier: str | None
    out: DecimalText | None
    short: DecimalText | None
    wip: Cost | None
    charged: Cost | None
    #: of an order: on what its cost stands
    basis: Basis | None


class OrderTreeOut(Answer):
    """All orders of a tree; `whole` counts its rows, of which 5,000 are shown at most."""

    top: int
    orders: int
    #: of all its orders
    wip: Cost
    rows: list[OrderTreeRow]
    whole: int


#: what the orders of a tree consist of, order by order: the orders, their operations, their components.
#: Of one that is not released yet, what it will load and need. Numbers and days come as they are sent.
ORDERS = """
SELECT o.id, o.number, o.made_for_id, o.made_for_operation, o.item_id, i.code, i.name, i.unit,
       o.quantity::text, o.received::text, o.state, s.starts::text, s.finishes::text,
       coalesce(s.wip, 0)::text, coalesce(s.charged, 0)::text, (sum(s.wip) OVER ())::text
FROM orders_order o JOIN catalog_item i ON i.id = o.item_id
LEFT JOIN orders_standing s ON s.order_id = o.id
WHERE o.id = %(top)s OR o.top_id = %(top)s ORDER BY o.number
"""
OPERATIONS = """
SELECT p.order_id, p.number, p.name, w.code, p.entering::text, p.good::text, p.hours_left::text,
       (p.starts_at AT TIME ZONE %(zone)s)::date::text, (p.ends_at AT TIME ZONE %(zone)s)::date::text,
       s.name, greatest(p.sent - p.good - p.scrap - p.rework, 0)::text
FROM orders_orderoperation p JOIN engineering_workcenter w ON w.id = p.work_center_id
LEFT JOIN catalog_partner s ON s.id = p.supplier_id
WHERE p.order_id = ANY(%(orders)s::bigint[])
UNION ALL
SELECT p.order_id, p.number, w.name, w.code, NULL, NULL, p.hours::text,
       (p.starts_at AT TIME ZONE %(zone)s)::date::text, (p.ends_at AT TIME ZONE %(zone)s)::date::text, NULL, NULL
FROM orders_plannedwork p JOIN engineering_workcenter w ON w.id = p.work_center_id
WHERE p.order_id = ANY(%(orders)s::bigint[]) ORDER BY 1, 2
"""
COMPONENTS = """
SELECT n.order_id, n.operation, n.item_id, i.code, i.name, n.unit, n.need::text,
       (n.used + n.stood_in)::text, h.quantity::text
FROM orders_orderinput n JOIN catalog_item i ON i.id = n.item_id
LEFT JOIN orders_shortage h ON h.order_id = n.order_id AND h.item_id = n.item_id AND n.still > 0
WHERE n.kind = 'component' AND n.order_id = ANY(%(orders)s::bigint[])
UNION ALL
SELECT n.order_id, NULL, n.item_id, i.code, i.name, i.unit, n.quantity::text, NULL,
       nullif(n.short, 0)::text
FROM orders_plannedneed n JOIN catalog_item i ON i.id = n.item_id
WHERE n.order_id = ANY(%(orders)s::bigint[]) ORDER BY 1, 2, 4
"""


class OrderRow(NamedTuple):
    """A row of the orders."""

    key: int
    number: int
    made_for: int | None
    made_for_operation: int | None
    item: int
    code: str
    name: str
    unit: str
    quantity: str
    received: str
    state: str
    starts: str | None
    finishes: str | None
    wip: str
    charged: str
    #: of all orders of the tree
    whole_wip: str | None


@router.get("/orders/{number}/tree", response={200: OrderTreeOut, 404: Problem})
def order_tree(request: HttpRequest, number: int) -> HttpResponse:
    """Return the tree that an order belongs to, at any depth, with progress and cost."""
    found = Order.objects.filter(number=min(number, 2**31 - 1)).values_list("pk", "top").first()
    if found is None:
        raise NotFound("order", str(number))
    tree = Tree(found[1] or found[0])
    rows = tree.rows()
    top = tree.orders[tree.top]
    answer = {
        "top": top.number,
        "orders": len(tree.orders),
        "wip": tree.cost(top.whole_wip or "0"),
        "rows": rows[:MOST],
        "whole": len(rows),
    }
    # as the database said it: a long tree is not checked row by row once more
    return HttpResponse(orjson.dumps(answer), content_type="application/json")


class Tree:
    """The orders of a tree with what they consist of, read in four statements."""

    def __init__(self, top: int) -> None:
        self.top = top
        self._hides = costs_are_hidden()
        self.operations: dict[int, list[tuple[Any, ...]]] = {}
        self.components: dict[int, list[tuple[Any, ...]]] = {}
        self.children: dict[tuple[int, int], list[OrderRow]] = {}
        with connection.cursor() as cursor:
            cursor.execute(ORDERS, {"top": top})
            self.orders = {r[0]: OrderRow(*r) for r in cursor.fetchall()}
            self._bases = bases_of(self.orders)
            asked = {"orders": array_of(self.orders), "zone": timezone.get_current_timezone_name()}
            for statement, found in ((OPERATIONS, self.operations), (COMPONENTS, self.components)):
                cursor.execute(statement, asked)
                for r in cursor.fetchall():
                    found.setdefault(r[0], []).append(r)
        for o in self.orders.values():
            if o.made_for is not None:
                self.children.setdefault((o.made_for, o.item), []).append(o)

    def cost(self, amount: str) -> str:
        """Return an amount, empty for those who may not see it."""
        return "" if self._hides else amount

    def rows(self) -> list[dict[str, Any]]:
        """Return the rows, each order followed by what it consists of."""
        found: list[dict[str, Any]] = []
        self._order(found, self.orders[self.top], 0, None)
        return found

    def _order(
        self, rows: list[dict[str, Any]], o: OrderRow, depth: int, wanted: str | None
    ) -> None:
        rows.append(NOTHING | {
            "depth": depth, "kind": "order", "order": o.number, "code": o.code, "name": o.name, "unit": o.unit,
            "quantity": o.quantity, "done": o.received, "state": o.state, "starts": o.starts,
            "finishes": o.finishes, "wanted": wanted,
            "is_late": bool(wanted and o.finishes and o.finishes >= wanted),  # days as text are in order
            "wip": self.cost(o.wip), "charged": self.cost(o.charged),
            "basis": None if self._hides else self._bases[o.key],
        })  # fmt: skip
        by_operation: dict[int | None, list[tuple[Any, ...]]] = {}
        for c in self.components.get(o.key, ()):
            by_operation.setdefault(c[1], []).append(c)
        for _, number, name, center, entering, good, hours, begins, ends, supplier, out in self.operations.get(o.key, ()):  # fmt: skip
            rows.append(NOTHING | {
                "depth": depth + 1, "kind": "operation", "order": o.number, "operation": number, "code": center,
                "name": name, "unit": o.unit, "quantity": entering, "done": good, "starts": begins,
                "finishes": ends, "hours": hours, "supplier": supplier, "out": out,
            })  # fmt: skip
            for c in by_operation.pop(number, ()):
                self._component(rows, o, c, depth + 2, begins)
        for rest in by_operation.values():
            for c in rest:
                self._component(rows, o, c, depth + 1, o.starts)

    def _component(
        self,
        rows: list[dict[str, Any]],
        o: OrderRow,
        c: tuple[Any, ...],
        depth: int,
        begins: str | None,
    ) -> None:
        _, operation, item, code, name, unit, need, used, short = c
        rows.append(NOTHING | {
            "depth": depth, "kind": "component", "order": o.number, "operation": operation, "code": code,
            "name": name, "unit": unit, "quantity": need, "done": used, "short": short,
        })  # fmt: skip
        for child in self.children.get((o.key, item), ()):
            if operation in (None, child.made_for_operation):
                self._order(rows, child, depth + 1, begins or o.starts)


#: a row of which nothing is known yet
NOTHING: dict[str, Any] = dict.fromkeys(OrderTreeRow.model_fields) | {"is_late": False}


class MadeComponent(Answer):
    """A made component that an order of an item needs, and what is free of it."""

    level: int
    item: str
    name: str
    unit: str
    #: by how many operations an order of its own would have
    operations: int
    need: DecimalText
    free: DecimalText
    #: that could not be taken in: it has no structure in force
    has_structure: bool


@router.get("/items/{code}/made-components", response={200: list[MadeComponent], 404: Problem})
def made_components(request: HttpRequest, code: str, quantity: str = "1") -> list[MadeComponent]:
    """Return the made components of an item over all levels with what a quantity of it needs of each."""
    item = item_by_code(code)
    day = timezone.localdate()
    top = revision_in_force(item, day)
    if top is None:
        return []
    wanted = _decimal(quantity)
    revisions, structures = reached_from(top, day)
    codes = {c.item for s in structures.values() for c in s.components}
    items = items_by_code(codes) | {item.code: item}
    needs: dict[str, Decimal] = {item.code: wanted}
    levels: dict[str, int] = {item.code: 0}
    for parent in _parents_first(item.code, {k: [c.item for c in s.components] for k, s in structures.items()}):  # fmt: skip
        structure = structures.get(parent)
        if structure is None or not needs.get(parent):
            continue
        for line, need in lines_of(structure, needs[parent], items):
            needs[line.item] = needs.get(line.item, ZERO) + need
            levels[line.item] = max(levels.get(line.item, 0), levels[parent] + 1)
    made = [i for i in items.values() if i.is_made and not i.is_phantom and i != item]
    free = free_stock([i.pk for i in made], day)
    return [
        MadeComponent(
            level=levels[i.code],
            item=i.code,
            name=i.name,
            unit=i.unit,
            operations=len(structures[i.code].operations) if i.code in structures else 0,
            need=needs.get(i.code, ZERO),
            free=free.get(i.pk, ZERO),
            has_structure=i.code in revisions,
        )
        for i in sorted(made, key=lambda i: (levels.get(i.code, 0), i.code))
    ]


def _decimal(text: str) -> Decimal:
    """Return a number that somebody is still typing; 1 where it is none yet."""
    try:
        value = Decimal(text)
    except ArithmeticError:
        return Decimal(1)
    return value if value.is_finite() and 0 < value < Decimal(10) ** 9 else Decimal(1)


def _parents_first(top: str, children: dict[str, list[str]]) -> list[str]:
    """Return items so that each comes after everything that it goes into."""
    done: list[str] = []
    seen: set[str] = set()
    stack: list[tuple[str, bool]] = [(top, False)]
    while stack:
        code, is_left = stack.pop()
        if is_left:
            done.append(code)
        elif code not in seen:
            seen.add(code)
            stack.append((code, True))
            stack += [(c, False) for c in children.get(code, []) if c not in seen]
    return done[::-1]
