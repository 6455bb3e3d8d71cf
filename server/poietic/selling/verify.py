"""What must hold of customers' orders."""

CHECKS = {
    "what left for a customer's line is what its deliveries say": """
        SELECT n.id, n.delivered, coalesce(d.quantity, 0)
        FROM selling_customerline n LEFT JOIN (
          SELECT s.ordered_id, sum(l.quantity) AS quantity FROM selling_sold s
          JOIN ledger_stockline l ON l.id = s.line_id
          LEFT JOIN ledger_posting r ON r.reverses_id = s.posting_id WHERE r.id IS NULL GROUP BY 1) d ON d.ordered_id = n.id
        WHERE n.delivered <> coalesce(d.quantity, 0)""",
    "what is still to leave for a customer is what was ordered and did not leave": """
        SELECT n.id, n.open FROM selling_customerline n JOIN selling_customerorder o ON o.id = n.order_id
        WHERE n.open <> CASE WHEN o.state = 'accepted' THEN greatest(0, n.quantity - n.delivered) ELSE 0 END""",
}
