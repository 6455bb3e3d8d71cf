from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("catalog", "0007_fill_sites_and_places_of_partners")]

    operations = [
        migrations.AlterField("place", "scan_code", models.CharField(max_length=80, unique=True)),
        migrations.AddConstraint(
            "place",
            models.CheckConstraint(
                condition=models.Q(
                    models.Q(("kind__in", ["store", "floor"]), ("site__isnull", False)),
                    models.Q(("kind__in", ["store", "floor"]), _negated=True),
                    _connector="OR",
                ),
                name="stock_place_has_its_site",
            ),
        ),
        migrations.AddConstraint(
            "place",
            models.UniqueConstraint(
                fields=("partner", "kind"), name="one_place_per_partner_and_kind"
            ),
        ),
    ]
