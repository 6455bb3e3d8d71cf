from django.db import migrations


class Migration(migrations.Migration):
    """Open orders are stood anew by the job that does so at each change of the day: it finds their forecasts."""

    dependencies = [("orders", "0034_mixes_and_forecasts")]
    operations = [
        migrations.RunSQL("UPDATE orders_standing SET as_of = as_of - 1", migrations.RunSQL.noop)
    ]
