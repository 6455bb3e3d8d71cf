from django.db import migrations, models

#: of several what-ifs of one name the newest keeps it
NUMBERED = """
UPDATE costing_costset s SET name = left(s.name, 100) || ' (' || n.rank || ')' FROM (
  SELECT id, row_number() OVER (PARTITION BY name ORDER BY id DESC) AS rank
  FROM costing_costset WHERE state = 'what-if') n
WHERE n.id = s.id AND n.rank > 1
"""


class Migration(migrations.Migration):
    dependencies = [
        ("costing", "0005_components_at_their_own_standards"),
    ]

    operations = [
        migrations.RunSQL(NUMBERED, migrations.RunSQL.noop),
        migrations.AddConstraint(
            model_name="costset",
            constraint=models.UniqueConstraint(
                condition=models.Q(("state", "what-if")),
                fields=("name",),
                name="one_what_if_of_a_name",
            ),
        ),
    ]
