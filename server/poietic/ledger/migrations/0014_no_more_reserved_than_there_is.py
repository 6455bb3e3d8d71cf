from django.db import migrations

#: where others took what was reserved, nobody has it reserved any more; who needs it is told as short
FIT = """
WITH over AS (
  SELECT item_id, place_id FROM ledger_stockbalance
  GROUP BY 1, 2 HAVING sum(reserved) > sum(quantity)),
gone AS (
  DELETE FROM ledger_reservation r USING over o
  WHERE (r.item_id, r.place_id) = (o.item_id, o.place_id))
UPDATE ledger_stockbalance b SET reserved = 0 FROM over o
WHERE (b.item_id, b.place_id) = (o.item_id, o.place_id)
"""


class Migration(migrations.Migration):
    dependencies = [
        ("ledger", "0013_what_happens_in_stores"),
    ]

    operations = [migrations.RunSQL(FIT, migrations.RunSQL.noop)]
