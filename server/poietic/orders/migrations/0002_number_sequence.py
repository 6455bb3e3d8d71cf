from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("orders", "0001_initial")]

    operations = [
        migrations.RunSQL("CREATE SEQUENCE orders_number START 1001", "DROP SEQUENCE orders_number")
    ]
