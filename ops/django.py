"""Running Django's command line as one of the database roles."""

import subprocess
import sys

from . import cluster


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
    if code := manage("migrate", "-v", "0", "--no-input", role=cluster.OWNER):
        sys.exit(code)
    return started
