from django.db import migrations

#: a demo made before doors were a matter of the works: its persons had a password that everybody was told
FORWARD = """
INSERT INTO works_works (id, zone, is_demo, change)
  SELECT 1, 'UTC', true, 0 WHERE EXISTS (SELECT FROM people_person WHERE is_demo)
  ON CONFLICT (id) DO NOTHING;
UPDATE people_person SET password = '!' || md5(random()::text) || md5(random()::text) WHERE is_demo;
"""


class Migration(migrations.Migration):
    dependencies = [
        ("people", "0002_doors_and_sessions"),
        ("works", "0001_the_works"),
    ]

    operations = [migrations.RunSQL(FORWARD, migrations.RunSQL.noop)]
