"""Running Django's command line as one of the database roles."""

import hashlib
import subprocess
import sys

from . import cluster
from .files import write_whole

APPS = cluster.ROOT / "server/poietic"
MIGRATED = cluster.VAR / "stamps/migrated"


def manage(*arguments: str, role: str = cluster.SERVING, settings: str = "base") -> int:
    """Run a management command and return its exit code."""
    env = cluster.environment(role) | {
        "DJANGO_SETTINGS_MODULE": f"poietic.config.settings.{settings}"
    }
    return subprocess.call(
        [sys.executable, str(cluster.ROOT / "server/manage.py"), *arguments], env=env
    )


def prepare() -> bool:
    """Start the cluster and bring the schema up to date; return whether this started it."""
    started = cluster.ensure()
    stamp = _schema_stamp()
    if not (MIGRATED.exists() and MIGRATED.read_text() == stamp and _is_migrated()):
        if code := manage("migrate", "-v", "0", "--no-input", role=cluster.OWNER):
            sys.exit(code)
        MIGRATED.parent.mkdir(parents=True, exist_ok=True)
        write_whole(MIGRATED, stamp)
    return started


def load_demo() -> int:
    """Load the demo unless somebody is there already; return the exit code."""
    with cluster.as_superuser(cluster.DATABASE) as link:
        if link.execute("SELECT 1 FROM people_person LIMIT 1").fetchone():
            return 0
    return manage("load_demo", "--if-empty")


def _schema_stamp() -> str:
    """Return what tells whether migrating would do anything: all that a migration runs."""
    sources = [*APPS.glob("*/migrations/*.py"), APPS / "ledger/rights.py", cluster.ROOT / "requirements.lock"]  # fmt: skip
    content = b"".join(p.read_bytes() for p in sorted(sources))
    return hashlib.sha256(content).hexdigest()


def _is_migrated() -> bool:
    """Tell whether the database has had all migrations of the stamp: it may be another one by now."""
    ours = {(p.parts[-3], p.stem) for p in APPS.glob("*/migrations/0*.py")}
    with cluster.as_superuser(cluster.DATABASE) as link:
        if link.execute("SELECT to_regclass('django_migrations')").fetchone() == (None,):
            return False
        return ours <= set(link.execute("SELECT app, name FROM django_migrations").fetchall())
