"""Compare every balance of the database with what its postings say."""

import sys

from . import cluster
from .django import manage, prepare

if __name__ == "__main__":
    started = prepare()
    code = manage("verify_ledger")
    if started:
        cluster.stop()
    sys.exit(code)
