from django.db import migrations

GATE = """
CREATE FUNCTION ledger_require_open_period() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_advisory_xact_lock_shared(72170);
  IF EXISTS (SELECT 1 FROM ledger_period p WHERE p.closed_at IS NOT NULL
             AND NEW.happened_at >= p.begins_at AND NEW.happened_at < p.ends_at) THEN
    RAISE EXCEPTION 'the period of % is closed', NEW.happened_at::date
      USING ERRCODE = 'check_violation', CONSTRAINT = 'posting_in_an_open_period';
  END IF;
  RETURN NEW;
END $$;
CREATE TRIGGER open_period BEFORE INSERT ON ledger_posting
  FOR EACH ROW EXECUTE FUNCTION ledger_require_open_period();
"""


class Migration(migrations.Migration):
    dependencies = [("ledger", "0019_periods_deliveries_and_late_cost")]

    operations = [
        migrations.RunSQL(GATE, "DROP FUNCTION ledger_require_open_period CASCADE"),
        *(
            migrations.RunSQL(
                f"CREATE TRIGGER append_only BEFORE UPDATE OR DELETE ON {table} "
                "FOR EACH ROW EXECUTE FUNCTION ledger_refuse_change()",
                f"DROP TRIGGER append_only ON {table}",
            )
            for table in ("ledger_correction", "ledger_periodevent")
        ),
    ]
