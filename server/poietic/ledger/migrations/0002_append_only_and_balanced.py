from django.db import migrations

APPEND_ONLY = [
    "commanding_entry",
    "ledger_posting",
    "ledger_stockline",
    "ledger_journalline",
    "ledger_timeline",
    "ledger_unitline",
]

REFUSE = """
CREATE FUNCTION ledger_refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  RAISE EXCEPTION '% is append-only: take a posting back instead', TG_TABLE_NAME
    USING ERRCODE = 'integrity_constraint_violation';
END $$;
"""
BALANCED = """
CREATE FUNCTION ledger_require_balance() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE rest numeric;
BEGIN
  SELECT sum(amount) INTO rest FROM ledger_journalline WHERE posting_id = NEW.posting_id;
  IF rest <> 0 THEN
    RAISE EXCEPTION 'posting % is out of balance by %', NEW.posting_id, rest
      USING ERRCODE = 'integrity_constraint_violation';
  END IF;
  RETURN NULL;
END $$;
CREATE CONSTRAINT TRIGGER ledger_balanced AFTER INSERT ON ledger_journalline
  DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION ledger_require_balance();
"""


class Migration(migrations.Migration):
    dependencies = [("ledger", "0001_initial"), ("commanding", "0002_change_sequence")]

    operations = [
        migrations.RunSQL(REFUSE, "DROP FUNCTION ledger_refuse_change CASCADE"),
        migrations.RunSQL(BALANCED, "DROP FUNCTION ledger_require_balance CASCADE"),
        *(
            migrations.RunSQL(
                f"CREATE TRIGGER append_only BEFORE UPDATE OR DELETE ON {table} "
                "FOR EACH ROW EXECUTE FUNCTION ledger_refuse_change()",
                f"DROP TRIGGER append_only ON {table}",
            )
            for table in APPEND_ONLY
        ),
    ]
