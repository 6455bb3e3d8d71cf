"""What must hold of late cost."""

CHECKS = {
    "late cost not carried on is what waits to be": """
        SELECT 'account', j.amount, w.amount
        FROM (SELECT coalesce(sum(amount), 0) AS amount FROM ledger_journalline
              WHERE account = 'late cost not carried on') j,
             (SELECT coalesce(sum(amount - in_stock), 0) AS amount FROM ledger_latecost
              WHERE carried_by_id IS NULL) w
        WHERE j.amount <> w.amount""",
    "the chain of each run ends at what it carried on": """
        SELECT s.posting_id, s.amount, c.amount
        FROM (SELECT posting_id, sum(amount) AS amount FROM settling_chainrow
              WHERE stays GROUP BY 1) s
        FULL JOIN (SELECT carried_by_id AS posting_id, sum(amount - in_stock) AS amount
              FROM ledger_latecost WHERE posting_id <> carried_by_id GROUP BY 1) c
          USING (posting_id)
        WHERE coalesce(s.amount, 0) <> coalesce(c.amount, 0)""",
}
