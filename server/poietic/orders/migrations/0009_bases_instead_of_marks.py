from django.db import migrations, models

BASES = [
    ("unit entering", "unit entering"),
    ("good unit", "good unit"),
    ("order", "order"),
]


class Migration(migrations.Migration):
    dependencies = [
        ("orders", "0008_fill_bases_and_what_grades_credited"),
    ]

    operations = [
        migrations.RemoveField(model_name="orderinput", name="is_per_order"),
        migrations.RemoveField(model_name="orderinput", name="is_per_good"),
        migrations.AlterField(
            model_name="orderinput",
            name="basis",
            field=models.CharField(choices=BASES, max_length=20),
        ),
        migrations.AlterField(
            model_name="orderinput",
            name="standard_basis",
            field=models.CharField(choices=BASES, max_length=20),
        ),
        migrations.AlterField(
            model_name="orderinput",
            name="allowed_exactly",
            field=models.TextField(),
        ),
    ]
