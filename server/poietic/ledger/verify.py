"""Every balance compared with what the postings say; each difference is a sentence."""

from django.db import connection

from ..catalog.models import STOCK_KINDS, Item, Place

#: the checks of all apps: what must hold, each with the statement that finds the rows where it does not
CHECKS: dict[str, str] = {}


def register(checks: dict[str, str]) -> None:
    """Add an app's checks. A statement may name `%(stock_places)s`, the places that hold stock."""
    CHECKS.update(checks)


register(
    {
        "every posting balances to 0.00": """
            SELECT posting_id, sum(amount) FROM ledger_journalline
            GROUP BY posting_id HAVING sum(amount) <> 0""",
        "stock by item, place and lot equals the movements": """
            WITH moved AS (
              SELECT item_id, to_place_id AS place_id, lot_id, quantity FROM ledger_stockline
              UNION ALL SELECT item_id, from_place_id, lot_id, -quantity FROM ledger_stockline),
            rebuilt AS (
              SELECT item_id, place_id, coalesce(lot_id, 0) AS lot, sum(quantity) AS quantity
              FROM moved WHERE place_id = ANY(%(stock_places)s) GROUP BY 1, 2, 3),
            kept AS (
              SELECT item_id, place_id, coalesce(lot_id, 0) AS lot, quantity FROM ledger_stockbalance)
            SELECT coalesce(r.item_id, b.item_id), coalesce(r.place_id, b.place_id),
                   coalesce(r.lot, b.lot), r.quantity, b.quantity
            FROM rebuilt r FULL JOIN kept b USING (item_id, place_id, lot)
            WHERE coalesce(r.quantity, 0) <> coalesce(b.quantity, 0)""",
        "what is reserved by item, place and lot equals the reservations": """
            WITH rebuilt AS (
              SELECT item_id, place_id, coalesce(lot_id, 0) AS lot, sum(quantity) AS quantity
              FROM ledger_reservation GROUP BY 1, 2, 3),
            kept AS (
              SELECT item_id, place_id, coalesce(lot_id, 0) AS lot, reserved FROM ledger_stockbalance)
            SELECT coalesce(r.item_id, b.item_id), coalesce(r.place_id, b.place_id),
                   coalesce(r.lot, b.lot), r.quantity, b.reserved
            FROM rebuilt r FULL JOIN kept b USING (item_id, place_id, lot)
            WHERE coalesce(r.quantity, 0) <> coalesce(b.reserved, 0)""",
        "no more is reserved of an item at a place than there is": """
            SELECT item_id, place_id, sum(reserved), sum(quantity) FROM ledger_stockbalance
            GROUP BY 1, 2 HAVING sum(reserved) > sum(quantity)""",
        "an item's holding is the sum of its places": """
            SELECT h.item_id, h.quantity, sum(b.quantity) FROM ledger_holding h
            LEFT JOIN ledger_stockbalance b USING (item_id) GROUP BY h.item_id, h.quantity
            HAVING h.quantity <> coalesce(sum(b.quantity), 0)""",
        "an item's stock value equals its journal lines": """
            SELECT h.item_id, h.value, sum(j.amount) FROM ledger_holding h
            LEFT JOIN ledger_journalline j ON j.item_id = h.item_id AND j.account = 'stock'
            GROUP BY h.item_id, h.value HAVING h.value <> coalesce(sum(j.amount), 0)""",
        "no stock has a value without a quantity": """
            SELECT item_id, quantity, value FROM ledger_holding
            WHERE quantity < 0 OR (quantity = 0 AND value <> 0)""",
        "standard-costed stock is worth quantity times standard": """
            SELECT item_id, quantity, standard, value FROM ledger_holding
            WHERE item_id = ANY(%(standard_items)s)
              AND value <> round(quantity * coalesce(standard, 0), 2)""",
        "tracked items move by lot, and others do not": """
            SELECT posting_id, item_id, lot_id FROM ledger_stockline
            WHERE (lot_id IS NOT NULL) <> (item_id = ANY(%(tracked_items)s))""",
        "a lot moves only as pieces of its item": """
            SELECT l.id, l.item_id, t.item_id FROM ledger_stockline l
            JOIN ledger_lot t ON t.id = l.lot_id WHERE t.item_id <> l.item_id""",
        "a serial is one piece, in one place": """
            SELECT t.item_id, t.code, sum(b.quantity) FROM ledger_stockbalance b
            JOIN ledger_lot t ON t.id = b.lot_id
            WHERE t.kind = 'serial' GROUP BY 1, 2 HAVING sum(b.quantity) NOT IN (0, 1)""",
        "what is left of a layer is what came in less what was taken": """
            SELECT y.id, y.quantity_left, y.quantity - coalesce(sum(c.quantity), 0),
                   y.value_left, y.value - coalesce(sum(c.value), 0)
            FROM ledger_layer y LEFT JOIN ledger_consumption c ON c.layer_id = y.id GROUP BY y.id
            HAVING y.quantity_left <> y.quantity - coalesce(sum(c.quantity), 0)
                OR y.value_left <> y.value - coalesce(sum(c.value), 0)
                OR y.quantity_left < 0 OR (y.quantity_left = 0 AND y.value_left <> 0)""",
        "a layer is what its line brought in": """
            SELECT y.id, y.quantity, l.quantity, y.value, l.value FROM ledger_layer y
            JOIN ledger_stockline l ON l.id = y.line_id
            WHERE (y.item_id, y.quantity, y.value) <> (l.item_id, l.quantity, l.value)
               OR y.lot_id IS DISTINCT FROM l.lot_id""",
        "a line took from layers, or put back, what it moved": """
            SELECT l.id, l.quantity, sum(c.quantity), l.value, sum(c.value)
            FROM ledger_consumption c JOIN ledger_stockline l ON l.id = c.line_id
            GROUP BY l.id HAVING l.quantity <> abs(sum(c.quantity)) OR l.value <> abs(sum(c.value))""",
        "stock valued by layers is the sum of its layers": """
            SELECT h.item_id, h.quantity, y.quantity, h.value, y.value FROM ledger_holding h
            LEFT JOIN (SELECT item_id, sum(quantity_left) AS quantity, sum(value_left) AS value
                       FROM ledger_layer GROUP BY 1) y USING (item_id)
            WHERE (h.item_id = ANY(%(layered_items)s) OR y.quantity > 0)
              AND (h.quantity <> coalesce(y.quantity, 0) OR h.value <> coalesce(y.value, 0))""",
        "WIP by cost object, operation and element equals the journal": """
            WITH rebuilt AS (
              SELECT j.cost_object_id, j.operation, j.element, sum(j.amount) AS amount,
                     -sum(j.amount) FILTER (WHERE p.kind = 'receipt') AS credited
              FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id
              WHERE j.account = 'work in process' GROUP BY 1, 2, 3)
            SELECT cost_object_id, operation, element, r.amount, b.amount
            FROM rebuilt r FULL JOIN ledger_wipbalance b
              USING (cost_object_id, operation, element)
            WHERE coalesce(r.amount, 0) <> coalesce(b.amount, 0)
               OR coalesce(r.credited, 0) <> coalesce(b.credited, 0)""",
        "what orders hand over to each other adds up to nothing": """
            SELECT p.entry_id, 'money', sum(j.amount) FROM ledger_journalline j
            JOIN ledger_posting p ON p.id = j.posting_id
            WHERE j.account = 'handed over between orders' GROUP BY 1 HAVING sum(j.amount) <> 0
            UNION ALL
            SELECT p.entry_id, h.part, sum(abs(h.quantity)) FROM ledger_handoverline h
            JOIN ledger_posting p ON p.id = h.posting_id WHERE p.kind IN ('split', 'merge')
            GROUP BY 1, 2, h.item_id, h.lot_id, h.operation HAVING sum(h.quantity) <> 0 OR sum(h.amount) <> 0
            UNION ALL
            SELECT p.entry_id, 'units', sum(u.quantity) FROM ledger_unitline u
            JOIN ledger_posting p ON p.id = u.posting_id WHERE p.kind IN ('split', 'merge')
            GROUP BY 1, u.operation, u.kind HAVING sum(u.quantity) <> 0""",
        "WIP of closed cost objects is 0.00 in every cell": """
            SELECT o.kind, o.number, b.operation, b.element, b.amount FROM ledger_wipbalance b
            JOIN ledger_costobject o ON o.id = b.cost_object_id
            WHERE o.closed_at IS NOT NULL AND b.amount <> 0""",
        "a reversal mirrors the quantities, hours and units it takes back": """
            SELECT r.id, r.reverses_id FROM ledger_posting r WHERE r.reverses_id IS NOT NULL AND (
              (SELECT coalesce(sum(quantity), 0) FROM ledger_stockline WHERE posting_id = r.id)
              <> (SELECT coalesce(sum(quantity), 0) FROM ledger_stockline WHERE posting_id = r.reverses_id)
              OR (SELECT coalesce(sum(quantity), 0) FROM ledger_timeline
                  WHERE posting_id IN (r.id, r.reverses_id)) <> 0
              OR (SELECT coalesce(sum(quantity), 0) FROM ledger_unitline
                  WHERE posting_id IN (r.id, r.reverses_id)) <> 0)""",
    }
)


def differences() -> list[str]:
    """Return a sentence for every row where a balance and its postings disagree."""
    items = Item.objects.order_by()
    known = {
        "stock_places": Place.objects.filter(kind__in=STOCK_KINDS),
        "standard_items": items.filter(valuation="standard"),
        "layered_items": items.filter(valuation__in=["FIFO layers", "lot actual"]),
        "tracked_items": items.exclude(tracking="none"),
    }
    values = {name: list(rows.values_list("pk", flat=True)) for name, rows in known.items()}
    found: list[str] = []
    with connection.cursor() as cursor:
        for rule, statement in CHECKS.items():
            cursor.execute(statement, values)
            found += [f"{rule}: {', '.join(str(v) for v in row)}" for row in cursor.fetchall()]
    return found
