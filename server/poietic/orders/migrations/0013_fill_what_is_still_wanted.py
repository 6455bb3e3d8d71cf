from django.db import migrations

FILL = """
UPDATE orders_orderinput i SET still = i.need - i.used - i.stood_in FROM orders_order o
WHERE o.id = i.order_id AND o.state IN ('released', 'started') AND i.kind = 'component'
  AND i.stands_for = '[]'::jsonb AND i.need > i.used + i.stood_in;
"""


class Migration(migrations.Migration):
    dependencies = [("orders", "0012_how_orders_stand")]

    operations = [migrations.RunSQL(FILL, "UPDATE orders_orderinput SET still = 0")]
