from django.db import migrations


class Migration(migrations.Migration):
    """Let revisions approved before there was effectivity be in force since their approval."""

    dependencies = [("engineering", "0002_calendars_effectivity_and_times")]

    operations = [
        migrations.RunSQL(
            "UPDATE engineering_revision SET effective_from = approved_at::date "
            "WHERE approved_at IS NOT NULL AND effective_from IS NULL",
            migrations.RunSQL.noop,
        )
    ]
