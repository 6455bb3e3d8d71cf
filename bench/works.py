"""A works of 10,000 items, 50,000 orders of which 5,000 are open, and 1,000,000 postings.

One family of items is made by the application's own commands, with one order that is closed and one
that runs; both are then copied, family by family and order by order, past the commands. Numbers are
chosen so that nothing is rounded: the copies' stock, WIP and values are whole multiples.
"""

from dataclasses import dataclass
from datetime import timedelta

import psycopg
from django.db import connection
from django.utils import timezone
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting
from poietic.orders.models import Order
from poietic.statements.prepared import planned_once

from ops import cluster

#: items of a family: one that is made, and what it is made of
PARTS = 9
#: orders of a family
CLOSED, OPEN = 45, 5
#: tables of a family, and of an order, each with the columns that refer to a family's or an order's rows
FAMILY = {
    "catalog_item": {"id": "item"},
    "ledger_holding": {"item_id": "item"},
    "ledger_stockbalance": {"id": "item", "item_id": "item"},
    "engineering_revision": {"id": "item", "item_id": "item"},
    "engineering_operationrow": {"id": "item", "revision_id": "item"},
    "engineering_componentrow": {"id": "item", "revision_id": "item", "item_id": "item"},
    "costing_standard": {"id": "item", "item_id": "item"},
}
ORDER = {
    "ledger_costobject": {"id": "order"},
    "orders_order": {"id": "order", "item_id": "item", "revision_id": "item", "standard_id": "item"},
    "orders_orderoperation": {"id": "order", "order_id": "order"},
    "orders_orderinput": {"id": "order", "order_id": "order", "item_id": "item"},
    "ledger_posting": {"id": "order", "cost_object_id": "order"},
    "ledger_stockline": {"id": "order", "posting_id": "order", "item_id": "item"},
    "ledger_journalline": {"id": "order", "posting_id": "order", "item_id": "item", "cost_object_id": "order"},
    "ledger_timeline": {"id": "order", "posting_id": "order"},
    "ledger_unitline": {"id": "order", "posting_id": "order"},
    "ledger_wipbalance": {"id": "order", "cost_object_id": "order"},
    "ledger_reservation": {"id": "order", "cost_object_id": "order", "item_id": "item"},
}  # fmt: skip
#: further than any key of what is copied
STRIDE = 100_000
#: which rows of a table belong to the template order
OWN = {
    "ledger_costobject": "id = {order}",
    "orders_order": "id = {order}",
    "orders_orderoperation": "order_id = {order}",
    "orders_orderinput": "order_id = {order}",
    "ledger_posting": "id = ANY('{postings}')",
    "ledger_wipbalance": "cost_object_id = {order}",
    "ledger_reservation": "cost_object_id = {order}",
}
LINES = "posting_id = ANY('{postings}')"


@dataclass(frozen=True)
class Template:
    """An order that is copied, with all that was posted for it."""

    order: int
    postings: list[int]


def build(families: int) -> None:
    """Make a works of so many families in the database that Django is connected to."""
    closed, running = _family(Shop())
    connection.commit() if connection.in_atomic_block else None
    with cluster.as_superuser(str(connection.settings_dict["NAME"])) as link:
        link.execute("SET session_replication_role = replica")  # keys are right by construction
        _copy_families(link, families)
        first = 0
        for template, times in ((closed, CLOSED), (running, OPEN)):
            _copy_orders(link, template, families, times, first)
            first += times
        _add_up(link, families)
        link.execute("SET session_replication_role = DEFAULT")
        for table in (*FAMILY, *ORDER):
            link.execute(f"SELECT setval(pg_get_serial_sequence('{table}', 'id'), max(id)) FROM {table}") if _has_sequence(link, table) else None  # fmt: skip
        link.execute("SELECT setval('orders_number', max(number)) FROM orders_order")
        link.execute("ANALYZE")
    with planned_once() as cursor:  # what was planned for an empty database
        cursor.execute("DEALLOCATE ALL")
    connection.close()


def _family(shop: Shop) -> tuple[Template, Template]:
    """Make the first family by commands: a made item of nine parts, one order closed, one running."""
    mirror_cell.define(shop)
    parts = [f"F0000-P{n}" for n in range(PARTS)]
    for code in parts:
        shop.do("define-item", code=code, name=f"Part {code}", unit="pcs", source="buy", price="2")
    shop.do("define-item", code="F0000-M", name="Machine F0000", unit="pcs", source="make", standard_lot="7")  # fmt: skip
    mirror_cell.structure(
        shop,
        "F0000-M",
        [{"number": 10, "name": "Fit", "work_center": "ASSY", "run_labour_hours": "0.25"}],
        [{"item": code, "operation": 10, "quantity": "1"} for code in parts],
    )
    shop.do("freeze-standard")
    closed, running = (_order(shop, parts, is_closed=is_closed) for is_closed in (True, False))
    return closed, running


def _order(shop: Shop, parts: list[str], *, is_closed: bool) -> Template:
    """Make one order of seven: its own material received, issued in five acts, reported piece by piece."""
    before = Posting.objects.order_by("-pk").values_list("pk", flat=True).first() or 0
    lines = [{"item": c, "quantity": "7", "price": "2", "place": "STORE"} for c in parts]
    shop.do("receive-material", lines=lines)
    due = timezone.localdate() + timedelta(days=30)
    number = mirror_cell.plan(shop, "F0000-M", "7" if is_closed else "14", due)
    shop.do("release-order", order=number)
    for n in range(0, PARTS, 2):
        moved = [{"operation": 10, "item": c, "quantity": "7"} for c in parts[n : n + 2]]
        shop.do("issue-material", order=number, lines=moved)
    for _ in range(7):
        shop.do("report", order=number, operation=10, good="1", receive="1")
    if is_closed:
        shop.do("complete-order", order=number)
        shop.do("close-order", order=number)
    made = Posting.objects.filter(pk__gt=before).order_by("pk")
    return Template(Order.objects.get(number=number).pk, list(made.values_list("pk", flat=True)))


def _columns(link: "psycopg.Connection[tuple[object, ...]]", table: str) -> list[str]:
    rows = link.execute(
        "SELECT column_name FROM information_schema.columns WHERE table_name = %s "
        "AND table_schema = 'public' "
        "AND is_generated = 'NEVER' ORDER BY ordinal_position",
        [table],
    )
    return [str(row[0]) for row in rows.fetchall()]


def _has_sequence(link: "psycopg.Connection[tuple[object, ...]]", table: str) -> bool:
    if "id" not in _columns(link, table):
        return False
    found = link.execute("SELECT pg_get_serial_sequence(%s, 'id')", [table]).fetchone()
    return bool(found and found[0])


def _selected(columns: list[str], refers: dict[str, str], named: dict[str, str]) -> str:
    """Return the columns of a copy: keys moved on by family or order, codes with the family's number."""
    moved = {"item": f"t.{{}} + f::bigint * {STRIDE}", "order": f"t.{{}} + (f::bigint * {CLOSED + OPEN} + k) * {STRIDE}"}  # fmt: skip
    return ", ".join(
        named.get(c) or (moved[refers[c]].format(c) if c in refers else f"t.{c}") for c in columns
    )


def _copy_families(link: "psycopg.Connection[tuple[object, ...]]", families: int) -> None:
    items = "SELECT id FROM catalog_item WHERE code LIKE 'F0000-%'"
    revisions = f"SELECT id FROM engineering_revision WHERE item_id IN ({items})"
    own = {
        "catalog_item": f"t.id IN ({items})",
        "engineering_operationrow": f"t.revision_id IN ({revisions})",
        "engineering_componentrow": f"t.revision_id IN ({revisions})",
    }
    renamed = "replace(t.{}, 'F0000', 'F' || lpad(f::text, 4, '0'))"
    for table, refers in FAMILY.items():
        columns = _columns(link, table)
        named = {c: renamed.format(c) for c in ("code", "name", "basis") if c in columns and table != "engineering_operationrow"}  # fmt: skip
        where = own.get(table, f"t.item_id IN ({items})")
        link.execute(
            f"INSERT INTO {table} ({', '.join(columns)}) SELECT {_selected(columns, refers, named)} "
            f"FROM {table} t CROSS JOIN generate_series(1, {families - 1}) f WHERE {where}"
        )


def _copy_orders(
    link: "psycopg.Connection[tuple[object, ...]]",
    template: Template,
    families: int,
    times: int,
    first: int,
) -> None:
    """Copy an order so often to each family; the first family keeps the original as its first."""
    values = {"order": template.order, "postings": "{" + ",".join(map(str, template.postings)) + "}"}  # fmt: skip
    for table, refers in ORDER.items():
        columns = _columns(link, table)
        named = {}
        if table in ("orders_order", "ledger_costobject"):
            named["number"] = f"t.number + 100000 + (f * {CLOSED + OPEN} + k) * 10"
        if table == "orders_order":
            named["due"] = f"t.due + (f * 7 + k * 3) % 60 - {60 if times == OPEN else 400}"
        where = OWN.get(table, LINES).format(**values)
        link.execute(
            f"INSERT INTO {table} ({', '.join(columns)}) SELECT {_selected(columns, refers, named)} "
            f"FROM {table} t CROSS JOIN generate_series(0, {families - 1}) f "
            f"CROSS JOIN generate_series({first + 1}, {first + times - 1}) k WHERE {where}"
        )
        link.execute(  # the one that each other family has in the place of the original
            f"INSERT INTO {table} ({', '.join(columns)}) SELECT {_selected(columns, refers, named)} "
            f"FROM {table} t CROSS JOIN generate_series(1, {families - 1}) f "
            f"CROSS JOIN (SELECT {first} AS k) k WHERE {where}"
        )


def _add_up(link: "psycopg.Connection[tuple[object, ...]]", families: int) -> None:
    """Put balances and holdings at what all the copies come to."""
    link.execute(
        """
        WITH moved AS (
          SELECT item_id, to_place_id AS place_id, quantity FROM ledger_stockline
          UNION ALL SELECT item_id, from_place_id, -quantity FROM ledger_stockline)
        UPDATE ledger_stockbalance b SET quantity = m.quantity, reserved = 0 FROM (
          SELECT item_id, place_id, sum(quantity) AS quantity FROM moved GROUP BY 1, 2) m
        WHERE (m.item_id, m.place_id) = (b.item_id, b.place_id)"""
    )
    link.execute("DELETE FROM ledger_reservation")
    link.execute(
        """
        UPDATE ledger_holding h SET quantity = coalesce(b.quantity, 0), value = coalesce(j.value, 0)
        FROM catalog_item i
        LEFT JOIN (SELECT item_id, sum(quantity) AS quantity FROM ledger_stockbalance GROUP BY 1) b
          ON b.item_id = i.id
        LEFT JOIN (SELECT item_id, sum(amount) AS value FROM ledger_journalline
                   WHERE account = 'stock' GROUP BY 1) j ON j.item_id = i.id
        WHERE h.item_id = i.id"""
    )
