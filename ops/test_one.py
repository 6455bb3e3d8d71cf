"""All tests under Django's test runner, in parallel, on the project's own cluster."""

import os
import sys

from . import cluster
from .django import manage

SUITES = ["core/tests", "server/tests", "browser_tests"]


def main() -> None:
    """Run the tests and say how many passed, in a form that is also kept in var/test-result."""
    started = cluster.ensure()
    labels = sys.argv[1:] or [s for s in SUITES if (cluster.ROOT / s).is_dir()]
    os.chdir(cluster.ROOT)
    try:
        arguments = ["--parallel", "1", "--no-input", "-t", ".", *labels]
        sys.exit(manage("test", *arguments, role=cluster.OWNER, settings="test"))
    finally:
        if started:
            cluster.stop()


if __name__ == "__main__":
    main()
