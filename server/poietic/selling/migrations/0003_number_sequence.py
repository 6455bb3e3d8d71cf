"""Customers' orders are numbered from a sequence."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("selling", "0002_customer_orders")]
    operations = [
        migrations.RunSQL(
            "CREATE SEQUENCE selling_number START 5001", "DROP SEQUENCE selling_number"
        )
    ]
