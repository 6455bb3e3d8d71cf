"""What the serving role may do in the database: append to the ledger, never change it."""

from typing import Any

from django.conf import settings
from django.db import connections

#: tables that are written once; the serving role may only read and append
APPEND_ONLY = [
    "commanding_entry",
    "ledger_posting",
    "ledger_stockline",
    "ledger_journalline",
    "ledger_timeline",
    "ledger_handoverline",
    "ledger_unitline",
    "ledger_consumption",
    "ledger_correction",
    "ledger_periodevent",
    "people_happening",
]


def grant(using: str, **kwargs: Any) -> None:
    """Give the serving role its rights, after every migration."""
    role = settings.APPLICATION_ROLE
    with connections[using].cursor() as cursor:
        cursor.execute("SELECT 1 FROM pg_roles WHERE rolname = %s", [role])
        if not cursor.fetchone():
            return
        cursor.execute(f"GRANT USAGE ON SCHEMA public TO {role}")
        cursor.execute(
            f"GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO {role}"
        )
        cursor.execute(f"GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO {role}")
        cursor.execute("SELECT to_regclass('orders_number')")
        if cursor.fetchone()[0]:  # a works that begins here goes on with the numbers that it has
            cursor.execute(f"GRANT UPDATE ON SEQUENCE orders_number TO {role}")
        existing = set(connections[using].introspection.table_names(cursor))
        for table in APPEND_ONLY:
            if table in existing:
                cursor.execute(f"REVOKE UPDATE, DELETE, TRUNCATE ON {table} FROM {role}")
