"""What must hold between purchases and the ledger, for the check of all balances."""

CHECKS = {
    "a line's received, returned and invoiced are the sums of its deliveries": """
        SELECT n.id, n.received, d.quantity, n.returned, d.returned, n.invoiced, d.invoiced
        FROM buying_purchaseline n LEFT JOIN (
          SELECT line_id, sum(quantity) AS quantity, sum(returned) AS returned, sum(invoiced) AS invoiced
          FROM buying_delivery WHERE NOT is_undone GROUP BY 1) d ON d.line_id = n.id
        WHERE (n.received, n.returned, n.invoiced)
           <> (coalesce(d.quantity, 0), coalesce(d.returned, 0), coalesce(d.invoiced, 0))""",
    "what went back of a delivery and was invoiced of it is what its returns and invoices say": """
        SELECT d.id, d.returned, r.quantity, d.invoiced, v.quantity, d.cleared, v.cleared
        FROM buying_delivery d
        LEFT JOIN (SELECT delivery_id, sum(quantity) AS quantity, sum(value) AS value
                   FROM buying_supplierreturn WHERE NOT is_undone GROUP BY 1) r ON r.delivery_id = d.id
        LEFT JOIN (SELECT delivery_id, sum(quantity) AS quantity, sum(cleared) AS cleared
                   FROM buying_invoiceline GROUP BY 1) v ON v.delivery_id = d.id
        WHERE (d.returned, d.returned_value, d.invoiced, d.cleared)
           <> (coalesce(r.quantity, 0), coalesce(r.value, 0), coalesce(v.quantity, 0), coalesce(v.cleared, 0))
           OR d.is_open <> (NOT d.is_undone AND d.quantity <> d.returned + d.invoiced)""",
    "goods received not invoiced is what is open of the deliveries": """
        WITH booked AS (
          SELECT sum(j.amount) AS amount FROM ledger_journalline j
          JOIN ledger_posting p ON p.id = j.posting_id
          WHERE j.account = 'goods received not invoiced'
            AND (p.kind IN ('purchase receipt', 'returned to supplier', 'supplier invoice')
                 OR coalesce(p.reverses_id, p.id) IN (SELECT posting_id FROM buying_delivery))),
        open AS (
          SELECT -sum(value - returned_value - cleared) AS amount FROM buying_delivery WHERE NOT is_undone)
        SELECT b.amount, o.amount FROM booked b, open o
        WHERE coalesce(b.amount, 0) <> coalesce(o.amount, 0)""",
    "what is fully invoiced or returned holds no value": """
        SELECT id, value, returned_value, cleared FROM buying_delivery
        WHERE NOT is_undone AND quantity = returned + invoiced AND value <> returned_value + cleared""",
    "an invoice's payable is its total": """
        SELECT v.id, v.total, -sum(j.amount) FROM buying_invoice v
        JOIN ledger_posting w ON w.id = v.posting_id
        LEFT JOIN ledger_posting p ON p.entry_id = w.entry_id
        LEFT JOIN ledger_journalline j ON j.posting_id = p.id AND j.account = 'payables'
        GROUP BY v.id HAVING v.total <> -coalesce(sum(j.amount), 0)""",
    "the late cost of invoices is what they left for where the goods have gone on": """
        WITH booked AS (
          SELECT sum(l.amount - l.in_stock) AS amount FROM ledger_latecost l
          JOIN ledger_posting p ON p.id = l.posting_id WHERE p.kind = 'supplier invoice'),
        kept AS (SELECT sum(gone_on) AS amount FROM buying_invoiceline)
        SELECT b.amount, k.amount FROM booked b, kept k
        WHERE coalesce(b.amount, 0) <> coalesce(k.amount, 0)""",
}
