from django.db import migrations

FILL = """
INSERT INTO ledger_costobject (id, kind, number, opened_at, closed_at)
SELECT o.id, 'production order', o.number, o.planned_at,
  CASE WHEN o.state IN ('closed', 'cancelled') THEN coalesce(
    (SELECT max(p.entered_at) FROM ledger_posting p WHERE p.order_id = o.id), o.planned_at) END
FROM orders_order o;
SELECT setval(pg_get_serial_sequence('ledger_costobject', 'id'), greatest(max(id), 1))
FROM ledger_costobject;
"""


class Migration(migrations.Migration):
    dependencies = [
        ("ledger", "0006_cost_objects"),
        ("orders", "0009_bases_instead_of_marks"),
    ]

    operations = [migrations.RunSQL(FILL, "DELETE FROM ledger_costobject")]
