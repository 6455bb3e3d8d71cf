from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("ledger", "0005_overhead_lines")]

    operations = [
        migrations.CreateModel(
            name="CostObject",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                (
                    "kind",
                    models.CharField(choices=[("production order", "Order")], max_length=20),
                ),
                ("number", models.IntegerField()),
                ("opened_at", models.DateTimeField()),
                ("closed_at", models.DateTimeField(null=True)),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(
                        fields=("kind", "number"), name="one_cost_object_per_number"
                    )
                ]
            },
        ),
    ]
