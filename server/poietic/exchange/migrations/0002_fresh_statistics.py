from django.db import migrations

TABLES = (
    "catalog_item",
    "catalog_pricerow",
    "engineering_revision",
    "engineering_operationrow",
    "engineering_componentrow",
    "engineering_outputrow",
    "ledger_holding",
)


class Migration(migrations.Migration):
    """Let the serving role have the database look at tables that an import has just filled."""

    dependencies = [
        ("exchange", "0001_initial"),
        ("catalog", "0004_partners_prices_documents_and_planning"),
        ("engineering", "0004_rates_grades_subcontract_and_outputs"),
        ("ledger", "0001_initial"),
    ]

    operations = [
        migrations.RunSQL(
            "CREATE FUNCTION exchange_fresh_statistics() RETURNS void LANGUAGE plpgsql "
            "SECURITY DEFINER SET search_path = public AS $$ BEGIN "
            + " ".join(f"ANALYZE {table};" for table in TABLES)
            + " END $$",
            "DROP FUNCTION exchange_fresh_statistics()",
        )
    ]
