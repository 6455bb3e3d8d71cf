import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("costing", "0002_sets_next_and_what_if")]

    operations = [
        migrations.AddField(
            model_name="standard",
            name="made_with",
            field=models.CharField(blank=True, max_length=40, default=""),
            preserve_default=False,
        ),
        migrations.RunSQL(
            "ALTER TABLE costing_standard ALTER COLUMN basis TYPE text USING coalesce(basis::text, ''),"
            " ALTER COLUMN basis SET NOT NULL, ALTER COLUMN basis SET COMPRESSION lz4",
            "ALTER TABLE costing_standard ALTER COLUMN basis DROP NOT NULL,"
            " ALTER COLUMN basis TYPE jsonb USING nullif(basis, '')::jsonb,"
            " ALTER COLUMN basis SET COMPRESSION default",
            state_operations=[
                migrations.AlterField(
                    model_name="standard", name="basis", field=models.TextField(blank=True)
                )
            ],
        ),
        migrations.CreateModel(
            name="SetArrays",
            fields=[
                (
                    "cost_set",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.PROTECT,
                        primary_key=True,
                        serialize=False,
                        to="costing.costset",
                    ),
                ),
                ("data", models.BinaryField()),
            ],
        ),
    ]
