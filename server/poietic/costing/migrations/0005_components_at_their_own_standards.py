import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("costing", "0004_name_what_items_are_made_with")]

    operations = [
        migrations.AddField(
            model_name="standard",
            name="rolled_in",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="rolled",
                to="costing.costset",
            ),
        ),
        # a basis from before tells what its components cost
        migrations.RunSQL(
            "UPDATE costing_standard SET rolled_in_id = cost_set_id;SET CONSTRAINTS ALL IMMEDIATE",
            migrations.RunSQL.noop,
        ),
        migrations.AlterField(
            model_name="standard",
            name="rolled_in",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.PROTECT,
                related_name="rolled",
                to="costing.costset",
            ),
        ),
    ]
