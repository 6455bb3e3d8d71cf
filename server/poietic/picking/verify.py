"""What must hold between pick lists and what was taken, for the check of all balances."""

CHECKS = {
    "what was picked of a line is what was taken for it": """
        SELECT n.id, n.picked, t.taken FROM picking_pickline n
        LEFT JOIN (SELECT line_id, sum(quantity - put_back) AS taken FROM picking_picktake GROUP BY 1) t
          ON t.line_id = n.id
        WHERE n.picked <> coalesce(t.taken, 0)""",
    "a pick list is open as long as one of its lines is": """
        SELECT l.id, l.state FROM picking_picklist l
        WHERE (l.state = 'open') <> EXISTS (
          SELECT 1 FROM picking_pickline n WHERE n.pick_list_id = l.id AND n.state = 'open')""",
    "parts release no more of a component than its order needs": """
        SELECT i.order_id, i.id, i.need, sum(t.quantity) FROM orders_trancheline t
        JOIN orders_orderinput i ON i.id = t.input_id
        GROUP BY i.order_id, i.id, i.need HAVING sum(t.quantity) > i.need""",
}
