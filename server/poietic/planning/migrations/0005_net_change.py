"""What the last plan was made of, and the items of which demand or supply changed since."""

import django.db.models.deletion
from django.db import migrations, models

#: what is noted of a row of a table when one of its columns changes: a query of items, of OLD or NEW as `r`
NOTED = {
    "selling_customerline": (
        "SELECT r.item_id",
        ("item_id", "quantity", "wanted_on", "promised_on", "priority", "is_planned", "open"),
    ),
    "selling_forecast": ("SELECT r.item_id", ("item_id", "first_day", "last_day", "quantity")),
    "selling_customerorder": (
        "SELECT n.item_id FROM selling_customerline n WHERE n.order_id = r.id",
        ("state",),
    ),
    "buying_purchaseline": (
        "SELECT r.item_id",
        ("item_id", "quantity", "per_unit", "comes_on", "is_work", "coming", "place_id"),
    ),
    "buying_purchase": (
        "SELECT n.item_id FROM buying_purchaseline n WHERE n.purchase_id = r.id",
        ("state",),
    ),
    "stores_transferline": ("SELECT r.item_id", ("item_id", "quantity", "arrived", "missing")),
    "stores_transfer": (
        "SELECT n.item_id FROM stores_transferline n WHERE n.transfer_id = r.id",
        ("is_on_the_way", "expected_on"),
    ),
    "orders_orderinput": ("SELECT r.item_id WHERE r.item_id IS NOT NULL", ("item_id", "still")),
    "orders_plannedneed": ("SELECT r.item_id", ("item_id", "quantity")),
    "orders_order": (
        "SELECT r.item_id UNION SELECT n.item_id FROM orders_plannedneed n WHERE n.order_id = r.id "
        "UNION SELECT i.item_id FROM orders_orderinput i WHERE i.order_id = r.id AND i.still > 0 AND i.item_id IS NOT NULL",
        ("item_id", "due", "state", "quantity", "received", "supply_place_id", "receipt_place_id"),
    ),
    "orders_standing": (
        "SELECT o.item_id FROM orders_order o WHERE o.id = r.order_id "
        "UNION SELECT n.item_id FROM orders_plannedneed n WHERE n.order_id = r.order_id",
        ("starts", "finishes"),
    ),
    "orders_orderoperation": (
        "SELECT i.item_id FROM orders_orderinput i WHERE i.order_id = r.order_id AND i.operation = r.number "
        "AND i.still > 0 AND i.item_id IS NOT NULL",
        ("starts_at",),
    ),
}


def noting(table: str) -> migrations.RunSQL:
    """Return the triggers that note what a change of a table's rows changes of demand and supply."""
    query, columns = NOTED[table]
    note = "INSERT INTO planning_stirred (item) "
    old, new = (query.replace("r.", f"{row}.") for row in ("OLD", "NEW"))
    told = ", ".join(columns)
    was, now = (", ".join(f"{row}.{c}" for c in columns) for row in ("OLD", "NEW"))
    return migrations.RunSQL(
        f"""
CREATE FUNCTION note_{table}() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP <> 'DELETE' THEN {note}{new}; END IF;
  IF TG_OP <> 'INSERT' THEN {note}{old}; END IF;
  RETURN NULL;
END $$;
CREATE TRIGGER plan_comes_or_goes AFTER INSERT OR DELETE ON {table}
  FOR EACH ROW EXECUTE FUNCTION note_{table}();
CREATE TRIGGER plan_changes AFTER UPDATE OF {told} ON {table} FOR EACH ROW
  WHEN (ROW({was}) IS DISTINCT FROM ROW({now})) EXECUTE FUNCTION note_{table}();
""",
        f"DROP FUNCTION note_{table} CASCADE",
    )


class Migration(migrations.Migration):
    dependencies = [
        ("planning", "0004_declined"),
        ("selling", "0003_number_sequence"),
        ("buying", "0005_ended_with_order"),
        ("stores", "0001_initial"),
        ("orders", "0036_attention_of_promises"),
    ]

    operations = [
        migrations.CreateModel(
            name="Stirred",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("item", models.BigIntegerField()),
            ],
        ),
        migrations.CreateModel(
            name="PlanBasis",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("arrays", models.BinaryField()),
                (
                    "run",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="basis",
                        to="planning.planrun",
                    ),
                ),
            ],
        ),
        # megabytes of numbers that are read whole: packing them would take longer than all else
        migrations.RunSQL(
            "ALTER TABLE planning_planbasis ALTER COLUMN arrays SET STORAGE EXTERNAL",
            migrations.RunSQL.noop,
        ),
        *(noting(table) for table in NOTED),
    ]
