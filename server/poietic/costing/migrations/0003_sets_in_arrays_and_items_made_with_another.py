import django.db.models.deletion
from django.db import migrations, models


def name_the_main_items(apps, schema_editor):
    """Note for co-products and grades in whose basis they are computed."""
    standard = apps.get_model("costing", "Standard")
    rows = standard.objects.exclude(basis=None).values_list("cost_set_id", "item__code", "basis")
    for cost_set, code, basis in rows.iterator():
        beside = [i["code"] for i in basis["inputs"] if i["kind"] == "co-product"]
        beside += basis.get("grades") or {}
        if beside:
            made = standard.objects.filter(cost_set_id=cost_set, item__code__in=beside)
            made.update(made_with=code)


class Migration(migrations.Migration):
    dependencies = [("costing", "0002_sets_next_and_what_if")]

    operations = [
        migrations.AddField(
            model_name="standard",
            name="made_with",
            field=models.CharField(blank=True, max_length=40, default=""),
            preserve_default=False,
        ),
        migrations.RunPython(name_the_main_items, migrations.RunPython.noop),
        migrations.AlterField(
            model_name="standard",
            name="basis",
            field=models.TextField(null=True),
        ),
        migrations.RunSQL(
            "UPDATE costing_standard SET basis = '' WHERE basis IS NULL", migrations.RunSQL.noop
        ),
        migrations.AlterField(
            model_name="standard",
            name="basis",
            field=models.TextField(blank=True),
        ),
        migrations.RunSQL(
            "ALTER TABLE costing_standard ALTER COLUMN basis SET COMPRESSION lz4",
            "ALTER TABLE costing_standard ALTER COLUMN basis SET COMPRESSION default",
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
