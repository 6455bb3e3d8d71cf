"""Django's command line for the server."""

import os
import sys
from pathlib import Path

from django.core.management import execute_from_command_line

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core"), str(ROOT)]

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "poietic.config.settings.base")
    execute_from_command_line(sys.argv)
