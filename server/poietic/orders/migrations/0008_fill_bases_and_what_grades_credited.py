from django.db import migrations

FORWARD = """
UPDATE orders_orderinput SET allowed_exactly = allowed::text,
  basis = CASE WHEN is_per_order THEN 'order' WHEN is_per_good THEN 'good unit'
          ELSE 'unit entering' END;
UPDATE orders_orderinput SET standard_basis = basis;
UPDATE orders_ordergrade g SET received_value = r.worth FROM (
  SELECT p.order_id, s.item_id,
         sum(CASE WHEN t.kind = 'work in process' THEN -s.worth ELSE s.worth END) AS worth
  FROM ledger_stockline s JOIN ledger_posting p ON p.id = s.posting_id
  JOIN catalog_place t ON t.id = s.to_place_id
  WHERE s.part = 'output' GROUP BY 1, 2) r
WHERE (r.order_id, r.item_id) = (g.order_id, g.item_id);
"""
BACKWARD = """
UPDATE orders_orderinput SET is_per_order = (basis = 'order'), is_per_good = (basis = 'good unit');
"""


class Migration(migrations.Migration):
    dependencies = [
        ("orders", "0007_each_side_of_an_input_keeps_its_basis"),
        ("ledger", "0001_initial"),
    ]

    operations = [migrations.RunSQL(FORWARD, BACKWARD)]
