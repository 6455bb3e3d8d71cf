"""Measurements, each as a ratio against a named baseline in the same run."""

import sys

from . import cluster
from .django import manage

if __name__ == "__main__":
    started = cluster.ensure()
    # Django's runner makes the database and drops it; the measurements are no tests
    code = manage(
        *("test", "--no-input", "-t", ".", "--pattern", "measure_*.py", "bench"),
        role=cluster.OWNER,
        settings="test",
    )
    if started:
        cluster.stop()
    sys.exit(code)
