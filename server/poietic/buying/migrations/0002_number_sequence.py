"""Purchase orders are numbered from a sequence."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("buying", "0001_initial")]
    operations = [
        migrations.RunSQL("CREATE SEQUENCE buying_number START 7001", "DROP SEQUENCE buying_number")
    ]
