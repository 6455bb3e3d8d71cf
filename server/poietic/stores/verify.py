"""What must hold between transfers and the ledger, for the check of all balances."""

CHECKS = {
    "what is on the way is what was sent and did not arrive": """
        WITH sent AS (
          SELECT n.item_id, coalesce(n.lot_id, 0) AS lot, t.site_id,
                 sum(n.quantity - n.arrived - n.missing) AS left
          FROM stores_transferline n JOIN stores_transfer x ON x.id = n.transfer_id
          JOIN catalog_place t ON t.id = x.to_place_id GROUP BY 1, 2, 3),
        there AS (
          SELECT b.item_id, coalesce(b.lot_id, 0) AS lot, p.site_id, sum(b.quantity) AS left
          FROM ledger_stockbalance b JOIN catalog_place p ON p.id = b.place_id
          WHERE p.kind = 'on the way' GROUP BY 1, 2, 3)
        SELECT item_id, lot, site_id, s.left, t.left
        FROM sent s FULL JOIN there t USING (item_id, lot, site_id)
        WHERE coalesce(s.left, 0) <> coalesce(t.left, 0)""",
    "a transfer is on the way as long as something of it is": """
        SELECT x.id, x.is_on_the_way FROM stores_transfer x
        WHERE x.is_on_the_way <> EXISTS (
          SELECT 1 FROM stores_transferline n
          WHERE n.transfer_id = x.id AND n.quantity > n.arrived + n.missing)""",
}
