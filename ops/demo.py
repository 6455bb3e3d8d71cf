"""Load the demo into an empty database, without serving."""

import sys

from . import cluster
from .django import load_demo, prepare

if __name__ == "__main__":
    started = prepare()
    code = load_demo()
    if started:
        cluster.stop()
    sys.exit(code)
