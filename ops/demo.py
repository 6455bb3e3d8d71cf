"""Load the demo into an empty database, without serving."""

import sys

from . import cluster
from .django import manage, prepare

if __name__ == "__main__":
    started = prepare()
    code = manage("load_demo", "--if-empty", *sys.argv[1:])
    if started:
        cluster.stop()
    sys.exit(code)
