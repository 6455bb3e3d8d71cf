from django.db import migrations, models

BASES = [
    ("unit entering", "unit entering"),
    ("good unit", "good unit"),
    ("order", "order"),
]


class Migration(migrations.Migration):
    dependencies = [
        ("orders", "0006_overhead_of_orders"),
    ]

    operations = [
        migrations.AddField(
            model_name="orderinput",
            name="basis",
            field=models.CharField(choices=BASES, default="unit entering", max_length=20),
        ),
        migrations.AddField(
            model_name="orderinput",
            name="standard_basis",
            field=models.CharField(choices=BASES, default="unit entering", max_length=20),
        ),
        migrations.AddField(
            model_name="orderinput",
            name="allowed_exactly",
            field=models.TextField(default="0"),
        ),
        migrations.AddField(
            model_name="orderoperation",
            name="each",
            field=models.TextField(default="1"),
        ),
        migrations.AddField(
            model_name="orderoperation",
            name="each_per",
            field=models.CharField(default="unit", max_length=10),
        ),
        migrations.AddField(
            model_name="orderoperation",
            name="times_set_up",
            field=models.IntegerField(null=True),
        ),
        migrations.AddField(
            model_name="ordergrade",
            name="received_value",
            field=models.DecimalField(decimal_places=2, default=0, max_digits=18),
        ),
        migrations.AlterField(
            model_name="orderinput",
            name="is_per_order",
            field=models.BooleanField(default=False),
        ),
    ]
