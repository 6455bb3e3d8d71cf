"""Load the demo through the application's own commands."""

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand
from django.db import transaction
from django.utils import timezone

from poietic.people.models import Person

from ... import tarn_hollow


class Command(BaseCommand):
    """Load the demo."""

    help = "Load the demo through the application's own commands."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Read whether only an empty database is to be loaded."""
        parser.add_argument("--if-empty", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Load it, unless somebody is there already."""
        if options["if_empty"] and Person.objects.exists():
            return
        with transaction.atomic():
            tarn_hollow.load(timezone.localdate())
