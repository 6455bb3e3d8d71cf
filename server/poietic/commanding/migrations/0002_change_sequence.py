from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("commanding", "0001_initial")]

    operations = [
        migrations.RunSQL("CREATE SEQUENCE commanding_change", "DROP SEQUENCE commanding_change")
    ]
