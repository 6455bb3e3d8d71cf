"""The command behind ./poietic verify."""

import sys
from typing import Any

from django.core.management.base import BaseCommand

from ...models import Posting
from ...verify import CHECKS, differences


class Command(BaseCommand):
    """Compare every balance with its postings."""

    help = "Compare every balance with what the postings say."

    def handle(self, *args: Any, **options: Any) -> None:
        """Print each difference; exit 1 if there is one."""
        found = differences()
        for line in found:
            self.stderr.write(line)
        self.stdout.write(
            f"{len(CHECKS)} rules over {Posting.objects.count()} postings: {len(found)} differences"
        )
        if found:
            sys.exit(1)
