from django.db import migrations

FILL = """
INSERT INTO catalog_site (code, name, change) VALUES ('MAIN', 'Main site', 0);
UPDATE catalog_place SET scan_code = code;
UPDATE catalog_place SET site_id = (SELECT id FROM catalog_site WHERE code = 'MAIN')
WHERE kind IN ('store', 'floor');
INSERT INTO catalog_place (code, scan_code, name, kind, partner_id, walk_order, change)
SELECT k.kind || ':' || p.code, k.kind || ':' || p.code, p.name, k.kind, p.id, 0, p.change
FROM catalog_partner p JOIN (VALUES ('supplier'), ('customer')) AS k(kind)
  ON (k.kind = 'supplier' AND p.is_supplier) OR (k.kind = 'customer' AND p.is_customer);
SET CONSTRAINTS ALL IMMEDIATE;
"""
EMPTY = """
DELETE FROM catalog_place WHERE partner_id IS NOT NULL
  AND NOT EXISTS (SELECT FROM ledger_stockline l WHERE catalog_place.id IN (l.from_place_id, l.to_place_id));
UPDATE catalog_place SET site_id = NULL, partner_id = NULL, scan_code = NULL;
DELETE FROM catalog_site;
SET CONSTRAINTS ALL IMMEDIATE;
"""


class Migration(migrations.Migration):
    dependencies = [
        ("catalog", "0006_sites_and_places_of_partners"),
        ("ledger", "0001_initial"),
    ]

    operations = [migrations.RunSQL(FILL, EMPTY)]
