from django.db import migrations

FILL = """
UPDATE orders_standing s SET touched_on = x.day FROM (
  SELECT o.id, greatest(max(p.entered_at), o.released_at, o.planned_at)::date AS day
  FROM orders_order o LEFT JOIN ledger_posting p ON p.cost_object_id = o.id GROUP BY o.id) x
WHERE x.id = s.order_id AND s.touched_on IS NULL
"""


class Migration(migrations.Migration):
    """Orders that stood before say when they were touched last."""

    dependencies = [
        ("orders", "0019_holds_events_and_last_touches"),
        ("ledger", "0014_no_more_reserved_than_there_is"),
    ]
    operations = [migrations.RunSQL(FILL, migrations.RunSQL.noop)]
