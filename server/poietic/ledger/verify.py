"""Every balance compared with what the postings say; each difference is a sentence."""

from django.db import connection

#: what must hold, each with the statement that finds the rows where it does not
CHECKS: dict[str, str] = {
    "every posting balances to 0.00": """
        SELECT posting_id, sum(amount) FROM ledger_journalline
        GROUP BY posting_id HAVING sum(amount) <> 0""",
    "stock by item and place equals the movements": """
        WITH moved AS (
          SELECT item_id, to_place_id AS place_id, quantity FROM ledger_stockline
          UNION ALL SELECT item_id, from_place_id, -quantity FROM ledger_stockline),
        rebuilt AS (
          SELECT item_id, place_id, sum(quantity) AS quantity
          FROM moved JOIN catalog_place p ON p.id = place_id
          WHERE p.kind IN ('store', 'floor') GROUP BY item_id, place_id)
        SELECT coalesce(r.item_id, b.item_id), coalesce(r.place_id, b.place_id),
               r.quantity, b.quantity
        FROM rebuilt r FULL JOIN ledger_stockbalance b USING (item_id, place_id)
        WHERE coalesce(r.quantity, 0) <> coalesce(b.quantity, 0)""",
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
        JOIN catalog_item i ON i.id = item_id
        WHERE i.valuation = 'standard' AND value <> round(quantity * coalesce(standard, 0), 2)""",
    "WIP by order, operation and element equals the journal": """
        WITH rebuilt AS (
          SELECT p.order_id, j.operation, j.element, sum(j.amount) AS amount,
                 -sum(j.amount) FILTER (WHERE p.kind = 'receipt') AS credited
          FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id
          WHERE j.account = 'work in process' GROUP BY 1, 2, 3)
        SELECT order_id, operation, element, r.amount, b.amount
        FROM rebuilt r FULL JOIN ledger_wipbalance b USING (order_id, operation, element)
        WHERE coalesce(r.amount, 0) <> coalesce(b.amount, 0)
           OR coalesce(r.credited, 0) <> coalesce(b.credited, 0)""",
    "WIP of closed and cancelled orders is 0.00 in every cell": """
        SELECT o.number, b.operation, b.element, b.amount FROM ledger_wipbalance b
        JOIN orders_order o ON o.id = b.order_id
        WHERE o.state IN ('closed', 'cancelled') AND b.amount <> 0""",
    "operations' good and scrap equal the unit lines": """
        SELECT oo.order_id, oo.number, oo.good, oo.scrap FROM orders_orderoperation oo
        LEFT JOIN (SELECT p.order_id, u.operation,
                     sum(u.quantity) FILTER (WHERE u.is_good) AS good,
                     sum(u.quantity) FILTER (WHERE NOT u.is_good) AS scrap
                   FROM ledger_unitline u JOIN ledger_posting p ON p.id = u.posting_id
                   GROUP BY 1, 2) r ON r.order_id = oo.order_id AND r.operation = oo.number
        WHERE oo.good <> coalesce(r.good, 0) OR oo.scrap <> coalesce(r.scrap, 0)""",
    "orders' material and by-products equal the movements": """
        WITH moved AS (
          SELECT p.order_id, s.operation, s.item_id, s.part,
                 CASE WHEN (t.kind = 'work in process') = (s.part = 'component')
                      THEN 1 ELSE -1 END AS sign, s.quantity, s.worth
          FROM ledger_stockline s JOIN ledger_posting p ON p.id = s.posting_id
          JOIN catalog_place t ON t.id = s.to_place_id WHERE s.part <> ''),
        rebuilt AS (
          SELECT order_id, operation, item_id, part, sum(sign * quantity) AS used,
                 sum(sign * worth) AS amount FROM moved GROUP BY 1, 2, 3, 4)
        SELECT i.order_id, i.operation, i.item_id, i.used, r.used, i.amount, r.amount
        FROM orders_orderinput i LEFT JOIN rebuilt r
          ON (r.order_id, r.operation, r.item_id, r.part) = (i.order_id, i.operation, i.item_id, i.kind)
        WHERE i.item_id IS NOT NULL
          AND (i.used <> coalesce(r.used, 0) OR i.amount <> coalesce(r.amount, 0))
        UNION ALL
        SELECT o.id, NULL, o.item_id, o.received, r.used, o.received_value, r.amount
        FROM orders_order o LEFT JOIN (
          SELECT order_id, sum(used) AS used, sum(amount) AS amount
          FROM rebuilt WHERE part = 'output' GROUP BY 1) r ON r.order_id = o.id
        WHERE o.received <> coalesce(r.used, 0) OR o.received_value <> coalesce(r.amount, 0)""",
    "what operations wrote off equals the scrap expense": """
        SELECT oo.order_id, oo.number, oo.written_off, r.amount FROM orders_orderoperation oo
        LEFT JOIN (SELECT p.order_id, j.operation, sum(j.amount) AS amount
                   FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id
                   WHERE j.account = 'scrap expense' GROUP BY 1, 2) r
          ON r.order_id = oo.order_id AND r.operation = oo.number
        WHERE oo.written_off <> coalesce(r.amount, 0)""",
    "graded orders received the sum of their grades": """
        SELECT o.number, o.received, sum(g.received), o.received_value, sum(g.received_value)
        FROM orders_ordergrade g JOIN orders_order o ON o.id = g.order_id
        GROUP BY o.number, o.received, o.received_value
        HAVING (o.received, o.received_value) <> (sum(g.received), sum(g.received_value))""",
    "what receipts credited is what the order's output was received at": """
        SELECT o.number, o.received_value, sum(b.credited) FROM orders_order o
        LEFT JOIN ledger_wipbalance b ON b.order_id = o.id
        GROUP BY o.number, o.received_value HAVING o.received_value <> coalesce(sum(b.credited), 0)""",
    "operations were set up as often as was reported": """
        SELECT oo.order_id, oo.number, oo.times_set_up, r.times FROM orders_orderoperation oo
        LEFT JOIN (SELECT p.order_id, t.operation, sum(t.quantity) AS times
                   FROM ledger_timeline t JOIN ledger_posting p ON p.id = t.posting_id
                   WHERE t.kind = 'times set up' GROUP BY 1, 2) r
          ON r.order_id = oo.order_id AND r.operation = oo.number
        WHERE oo.times_set_up IS DISTINCT FROM r.times AND oo.times_set_up IS NOT NULL""",
    "orders' hours equal the time lines": """
        SELECT i.order_id, i.operation, i.kind, i.used, r.quantity FROM orders_orderinput i
        LEFT JOIN (SELECT p.order_id, t.operation, t.kind, t.code, sum(t.quantity) AS quantity,
                     sum(t.amount) AS amount
                   FROM ledger_timeline t JOIN ledger_posting p ON p.id = t.posting_id
                   GROUP BY 1, 2, 3, 4) r
          ON (r.order_id, r.operation, r.kind, r.code)
             = (i.order_id, i.operation, i.kind, i.overhead)
        WHERE i.item_id IS NULL
          AND (i.used <> coalesce(r.quantity, 0) OR i.amount <> coalesce(r.amount, 0))""",
    "a reversal mirrors the quantities, hours and units it takes back": """
        SELECT r.id, r.reverses_id FROM ledger_posting r WHERE r.reverses_id IS NOT NULL AND (
          (SELECT coalesce(sum(quantity), 0) FROM ledger_stockline WHERE posting_id = r.id)
          <> (SELECT coalesce(sum(quantity), 0) FROM ledger_stockline WHERE posting_id = r.reverses_id)
          OR (SELECT coalesce(sum(quantity), 0) FROM ledger_timeline
              WHERE posting_id IN (r.id, r.reverses_id)) <> 0
          OR (SELECT coalesce(sum(quantity), 0) FROM ledger_unitline
              WHERE posting_id IN (r.id, r.reverses_id)) <> 0)""",
}


def differences() -> list[str]:
    """Return a sentence for every row where a balance and its postings disagree."""
    found: list[str] = []
    with connection.cursor() as cursor:
        for rule, statement in CHECKS.items():
            cursor.execute(statement)
            found += [f"{rule}: {', '.join(str(v) for v in row)}" for row in cursor.fetchall()]
    return found
