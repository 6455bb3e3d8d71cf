"""What was moved before lots were kept is one lot of each tracked item; units say what became of them."""

from django.db import migrations

OPEN = "".join(
    f"ALTER TABLE ledger_{table} DISABLE TRIGGER append_only;"
    for table in ("stockline", "journalline", "unitline")
)
SHUT = "SET CONSTRAINTS ALL IMMEDIATE;" + OPEN.replace("DISABLE", "ENABLE")
FILL = """
INSERT INTO ledger_lot (item_id, code, kind, supplier_code, state, change)
SELECT i.id, 'before lots', 'lot', '', 'usable', i.change FROM catalog_item i
WHERE i.tracking <> 'none' AND EXISTS (SELECT FROM ledger_stockline l WHERE l.item_id = i.id);
UPDATE ledger_stockline l SET lot_id = t.id FROM ledger_lot t WHERE t.item_id = l.item_id;
UPDATE ledger_stockbalance b SET lot_id = t.id FROM ledger_lot t WHERE t.item_id = b.item_id;
UPDATE ledger_journalline j SET cost_object_id = p.cost_object_id FROM ledger_posting p
WHERE p.id = j.posting_id AND j.account = 'work in process';
UPDATE ledger_unitline SET kind = CASE WHEN is_good THEN 'good' ELSE 'scrap' END;
"""
EMPTY = """
UPDATE ledger_unitline SET is_good = kind = 'good';
UPDATE ledger_journalline SET cost_object_id = NULL;
UPDATE ledger_stockline SET lot_id = NULL;
UPDATE ledger_stockbalance SET lot_id = NULL;
DELETE FROM ledger_lot;
"""


class Migration(migrations.Migration):
    dependencies = [("ledger", "0008_lots_and_layers"), ("catalog", "0001_initial")]

    operations = [migrations.RunSQL(OPEN + FILL + SHUT, OPEN + EMPTY + SHUT)]
