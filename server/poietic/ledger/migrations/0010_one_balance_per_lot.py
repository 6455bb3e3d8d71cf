from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("ledger", "0009_fill_lots_and_kinds")]

    operations = [
        migrations.RemoveField("unitline", "is_good"),
        migrations.AlterField(
            "unitline",
            "kind",
            models.CharField(
                choices=[("good", "Good"), ("scrap", "Scrap"), ("rework", "Rework")], max_length=8
            ),
        ),
        migrations.RemoveConstraint("stockbalance", "one_balance_per_item_and_place"),
        migrations.AddConstraint(
            "stockbalance",
            models.UniqueConstraint(
                fields=("item", "place", "lot"),
                name="one_balance_per_item_place_and_lot",
                nulls_distinct=False,
            ),
        ),
        migrations.AddConstraint(
            "stockbalance",
            models.CheckConstraint(
                condition=models.Q(("reserved__gte", 0)), name="reserved_not_below_zero"
            ),
        ),
        migrations.RemoveConstraint("journalline", "wip_line_has_its_cell"),
        migrations.AddConstraint(
            "journalline",
            models.CheckConstraint(
                condition=models.Q(
                    models.Q(("account", "work in process"), _negated=True),
                    models.Q(
                        ("cost_object__isnull", False),
                        ("operation__isnull", False),
                        models.Q(("element", ""), _negated=True),
                    ),
                    _connector="OR",
                ),
                name="wip_line_has_its_cell",
            ),
        ),
    ]
