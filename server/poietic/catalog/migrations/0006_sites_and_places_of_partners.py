import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("catalog", "0005_list_prices")]

    operations = [
        migrations.CreateModel(
            name="Site",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("change", models.BigIntegerField()),
                ("code", models.CharField(max_length=40, unique=True)),
                ("name", models.CharField(max_length=120)),
            ],
            options={"ordering": ["code"]},
        ),
        migrations.AlterField("place", "code", models.CharField(max_length=80, unique=True)),
        migrations.AlterField(
            "place",
            "kind",
            models.CharField(
                choices=[
                    ("store", "Store"),
                    ("floor", "Floor"),
                    ("supplier", "Supplier"),
                    ("customer", "Customer"),
                    ("work in process", "Wip"),
                ],
                max_length=20,
            ),
        ),
        migrations.AddField(
            "place",
            "site",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="places",
                to="catalog.site",
            ),
        ),
        migrations.AddField(
            "place",
            "partner",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="places",
                to="catalog.partner",
            ),
        ),
        migrations.AddField("place", "walk_order", models.IntegerField(default=0)),
        migrations.AddField("place", "scan_code", models.CharField(max_length=80, null=True)),
        migrations.AlterField(
            "item",
            "valuation",
            models.CharField(
                choices=[
                    ("moving average", "moving average"),
                    ("standard", "standard"),
                    ("FIFO layers", "FIFO layers"),
                    ("lot actual", "lot actual"),
                ],
                default="moving average",
                max_length=20,
            ),
        ),
        migrations.AlterField(
            "item",
            "tracking",
            models.CharField(
                choices=[("none", "none"), ("lot", "lot"), ("serial", "serial")],
                default="none",
                max_length=10,
            ),
        ),
    ]
