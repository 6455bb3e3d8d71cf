from typing import Any

import django.db.models.deletion
from django.db import migrations, models

PROTECT = django.db.models.deletion.PROTECT
CONSUMPTION = "ledger_consumption"


def quantity(**given: Any) -> "models.DecimalField[Any, Any]":
    return models.DecimalField(decimal_places=6, max_digits=18, **given)


def money(**given: Any) -> "models.DecimalField[Any, Any]":
    return models.DecimalField(decimal_places=2, max_digits=18, **given)


def key() -> "tuple[str, models.Field[Any, Any]]":
    return (
        "id",
        models.BigAutoField(
            auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
        ),
    )


def of(model: str, **given: Any) -> "models.ForeignKey[Any, Any]":
    return models.ForeignKey(on_delete=PROTECT, to=model, **given)


class Migration(migrations.Migration):
    dependencies = [
        ("ledger", "0007_each_order_is_a_cost_object"),
        ("catalog", "0005_list_prices"),
    ]

    operations = [
        migrations.RemoveIndex("posting", "posting_by_order"),
        migrations.RenameField("posting", "order", "cost_object"),
        migrations.AlterField(
            "posting",
            "cost_object",
            of("ledger.costobject", null=True, related_name="postings"),
        ),
        migrations.AddIndex(
            "posting", models.Index(fields=["cost_object", "id"], name="posting_by_cost_object")
        ),
        migrations.RemoveConstraint("wipbalance", "one_wip_balance_per_cell"),
        migrations.RenameField("wipbalance", "order", "cost_object"),
        migrations.AlterField(
            "wipbalance", "cost_object", of("ledger.costobject", related_name="wip")
        ),
        migrations.AddConstraint(
            "wipbalance",
            models.UniqueConstraint(
                fields=("cost_object", "operation", "element"), name="one_wip_balance_per_cell"
            ),
        ),
        migrations.AddField(
            "journalline",
            "cost_object",
            of("ledger.costobject", null=True, related_name="+"),
        ),
        migrations.CreateModel(
            name="Lot",
            fields=[
                key(),
                ("change", models.BigIntegerField()),
                ("item", of("catalog.item", related_name="lots")),
                ("code", models.CharField(max_length=80)),
                (
                    "kind",
                    models.CharField(choices=[("lot", "lot"), ("serial", "serial")], max_length=10),
                ),
                ("supplier_code", models.CharField(blank=True, max_length=80)),
                ("came_by", of("ledger.posting", null=True, related_name="lots")),
                ("made_on", models.DateField(null=True)),
                ("expires_on", models.DateField(null=True)),
                (
                    "state",
                    models.CharField(
                        choices=[
                            ("usable", "usable"),
                            ("quarantined", "quarantined"),
                            ("rejected", "rejected"),
                        ],
                        default="usable",
                        max_length=12,
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(
                        fields=("item", "code"), name="one_lot_per_item_and_code"
                    )
                ]
            },
        ),
        migrations.CreateModel(
            name="LotCounter",
            fields=[
                key(),
                ("item", of("catalog.item")),
                ("stem", models.CharField(max_length=80)),
                ("last", models.IntegerField()),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(
                        fields=("item", "stem"), name="one_counter_per_item_and_stem"
                    )
                ]
            },
        ),
        migrations.CreateModel(
            name="Layer",
            fields=[
                key(),
                ("item", of("catalog.item", related_name="layers")),
                ("lot", of("ledger.lot", null=True)),
                ("posting", of("ledger.posting", related_name="layers")),
                (
                    "line",
                    models.OneToOneField(
                        null=True, on_delete=PROTECT, related_name="layer", to="ledger.stockline"
                    ),
                ),
                ("quantity", quantity()),
                ("value", money()),
                ("quantity_left", quantity()),
                ("value_left", money()),
            ],
            options={
                "constraints": [
                    models.CheckConstraint(
                        condition=models.Q(("quantity_left__gte", 0)), name="layer_not_below_zero"
                    )
                ],
                "indexes": [
                    models.Index(
                        condition=models.Q(("quantity_left__gt", 0)),
                        fields=["item"],
                        name="open_layer_by_item",
                    )
                ],
            },
        ),
        migrations.CreateModel(
            name="Consumption",
            fields=[
                key(),
                ("posting", of("ledger.posting", related_name="consumptions")),
                ("layer", of("ledger.layer", related_name="consumptions")),
                ("line", of("ledger.stockline", null=True, related_name="consumptions")),
                ("quantity", quantity()),
                ("value", money()),
            ],
        ),
        migrations.CreateModel(
            name="Reservation",
            fields=[
                key(),
                ("cost_object", of("ledger.costobject", related_name="reservations")),
                ("operation", models.IntegerField()),
                ("item", of("catalog.item")),
                ("place", of("catalog.place")),
                ("lot", of("ledger.lot", null=True)),
                ("quantity", quantity()),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(
                        fields=("cost_object", "operation", "item", "place", "lot"),
                        name="one_reservation_per_line",
                        nulls_distinct=False,
                    ),
                    models.CheckConstraint(
                        condition=models.Q(("quantity__gt", 0)), name="reservation_above_zero"
                    ),
                ]
            },
        ),
        migrations.AddField("stockline", "lot", of("ledger.lot", null=True, related_name="lines")),
        migrations.AddField("stockbalance", "lot", of("ledger.lot", null=True)),
        migrations.AddField("stockbalance", "reserved", quantity(default=0)),
        migrations.AddField(
            "unitline",
            "kind",
            models.CharField(
                choices=[("good", "Good"), ("scrap", "Scrap"), ("rework", "Rework")],
                max_length=8,
                null=True,
            ),
        ),
        migrations.AlterField("unitline", "is_good", models.BooleanField(null=True)),
        migrations.AlterField(
            "posting",
            "kind",
            models.CharField(
                choices=[
                    ("material received", "Receive Material"),
                    ("issue", "Issue"),
                    ("return", "Return"),
                    ("report", "Report"),
                    ("receipt", "Receipt"),
                    ("completion", "Completion"),
                    ("closing", "Closing"),
                    ("standard changed", "Revaluation"),
                    ("valued otherwise", "Valuation"),
                ],
                max_length=20,
            ),
        ),
        migrations.RunSQL(
            f"CREATE TRIGGER append_only BEFORE UPDATE OR DELETE ON {CONSUMPTION} "
            "FOR EACH ROW EXECUTE FUNCTION ledger_refuse_change()",
            f"DROP TRIGGER append_only ON {CONSUMPTION}",
        ),
    ]
