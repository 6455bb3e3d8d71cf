"""What must hold between orders and the ledger, for the check of all balances."""

CHECKS = {
    "the parts of what finished orders varied by are their variance": """
        SELECT o.order_id, o.variance, c.amount FROM orders_outcome o
        LEFT JOIN (SELECT order_id, sum(amount) AS amount FROM orders_causerow GROUP BY 1) c
          USING (order_id)
        WHERE o.variance <> coalesce(c.amount, 0)""",
    "an order is its cost object, and ends with it": """
        SELECT o.number, c.kind, c.number, c.closed_at FROM orders_order o
        LEFT JOIN ledger_costobject c ON c.id = o.id
        WHERE c.id IS NULL OR (c.kind, c.number) <> ('production order', o.number)
           OR (o.state IN ('closed', 'cancelled')) <> (c.closed_at IS NOT NULL)""",
    "only orders that run, or are to, have something reserved": """
        SELECT o.number, r.item_id, r.quantity FROM ledger_reservation r
        JOIN orders_order o ON o.id = r.cost_object_id
        WHERE o.state NOT IN ('planned', 'firm', 'released', 'started')""",
    "operations' good, scrap, rework and sent units equal the unit lines": """
        SELECT oo.order_id, oo.number, oo.good, oo.scrap, oo.rework, oo.sent FROM orders_orderoperation oo
        LEFT JOIN (SELECT p.cost_object_id, u.operation,
                     sum(u.quantity) FILTER (WHERE u.kind = 'good') AS good,
                     sum(u.quantity) FILTER (WHERE u.kind = 'scrap') AS scrap,
                     sum(u.quantity) FILTER (WHERE u.kind = 'rework') AS rework,
                     sum(u.quantity) FILTER (WHERE u.kind = 'sent') AS sent
                   FROM ledger_unitline u JOIN ledger_posting p ON p.id = u.posting_id
                   GROUP BY 1, 2) r ON r.cost_object_id = oo.order_id AND r.operation = oo.number
        WHERE oo.good <> coalesce(r.good, 0) OR oo.scrap <> coalesce(r.scrap, 0)
           OR oo.rework <> coalesce(r.rework, 0) OR oo.sent <> coalesce(r.sent, 0)
           OR oo.sent < 0 OR (oo.sent > 0 AND oo.good + oo.scrap + oo.rework > oo.sent)""",
    "orders' material and by-products equal the movements": """
        WITH moved AS (
          SELECT p.cost_object_id, s.operation, s.item_id, s.part,
                 CASE WHEN (t.kind = 'work in process') = (s.part = 'component')
                      THEN 1 ELSE -1 END AS sign, s.quantity, s.worth
          FROM ledger_stockline s JOIN ledger_posting p ON p.id = s.posting_id
          JOIN catalog_place t ON t.id = s.to_place_id WHERE s.part <> ''
          UNION ALL
          SELECT p.cost_object_id, h.operation, h.item_id, h.part, 1, h.quantity, h.amount
          FROM ledger_handoverline h JOIN ledger_posting p ON p.id = h.posting_id),
        rebuilt AS (
          SELECT cost_object_id AS order_id, operation, item_id, part, sum(sign * quantity) AS used,
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
        LEFT JOIN (SELECT p.cost_object_id, j.operation, sum(j.amount) AS amount
                   FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id
                   WHERE j.account = 'scrap expense' GROUP BY 1, 2) r
          ON r.cost_object_id = oo.order_id AND r.operation = oo.number
        WHERE oo.written_off <> coalesce(r.amount, 0)""",
    "graded orders received the sum of their grades": """
        SELECT o.number, o.received, sum(g.received), o.received_value, sum(g.received_value)
        FROM orders_ordergrade g JOIN orders_order o ON o.id = g.order_id
        GROUP BY o.number, o.received, o.received_value
        HAVING (o.received, o.received_value) <> (sum(g.received), sum(g.received_value))""",
    "what receipts credited is what the order's output was received at": """
        SELECT o.number, o.received_value, sum(b.credited) FROM orders_order o
        LEFT JOIN ledger_wipbalance b ON b.cost_object_id = o.id
        GROUP BY o.number, o.received_value HAVING o.received_value <> coalesce(sum(b.credited), 0)""",
    "operations were set up as often as was reported": """
        SELECT oo.order_id, oo.number, oo.times_set_up, r.times FROM orders_orderoperation oo
        LEFT JOIN (SELECT p.cost_object_id, t.operation, sum(t.quantity) AS times
                   FROM ledger_timeline t JOIN ledger_posting p ON p.id = t.posting_id
                   WHERE t.kind = 'times set up' GROUP BY 1, 2) r
          ON r.cost_object_id = oo.order_id AND r.operation = oo.number
        WHERE oo.times_set_up IS DISTINCT FROM r.times AND oo.times_set_up IS NOT NULL""",
    "orders' hours equal the time lines": """
        SELECT i.order_id, i.operation, i.kind, i.used, r.quantity FROM orders_orderinput i
        LEFT JOIN (SELECT p.cost_object_id, t.operation, t.kind, t.code, t.is_rework, sum(t.quantity) AS quantity,
                     sum(t.amount) AS amount
                   FROM ledger_timeline t JOIN ledger_posting p ON p.id = t.posting_id
                   GROUP BY 1, 2, 3, 4, 5) r
          ON (r.cost_object_id, r.operation, r.kind, r.code, r.is_rework)
             = (i.order_id, i.operation, i.kind, i.overhead, i.is_rework)
        WHERE i.item_id IS NULL
          AND (i.used <> coalesce(r.quantity, 0) OR i.amount <> coalesce(r.amount, 0))""",
}
