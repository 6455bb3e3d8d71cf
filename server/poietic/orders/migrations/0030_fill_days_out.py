"""What suppliers take of orders that run: so far a wait of the operation."""

from django.db import migrations

FILL = """
UPDATE orders_orderoperation o
SET supplier_id = r.supplier_id, days_out = r.days_out,
    wait_hours = greatest(0, o.wait_hours - r.days_out * 24)
FROM orders_order d, engineering_operationrow r
WHERE d.id = o.order_id AND r.revision_id = d.revision_id AND r.number = o.number
  AND r.supplier_id IS NOT NULL
  AND EXISTS (SELECT 1 FROM orders_orderinput i WHERE i.order_id = o.order_id
              AND i.operation = o.number AND i.kind = 'subcontract' AND i.allowed > 0)
"""
BACK = """
UPDATE orders_orderoperation SET wait_hours = wait_hours + days_out * 24 WHERE supplier_id IS NOT NULL
"""


class Migration(migrations.Migration):
    dependencies = [
        ("orders", "0029_days_out"),
        ("engineering", "0008_suppliers_times"),
    ]

    operations = [migrations.RunSQL(FILL, BACK)]
