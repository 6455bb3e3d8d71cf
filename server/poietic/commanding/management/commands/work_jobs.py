"""Carry out background jobs until told to stop; those that a killed worker left are taken up again."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand

from ...jobs import take_up_lost


class Command(BaseCommand):
    help = "Carry out background jobs."

    def handle(self, *args: Any, **options: Any) -> None:
        """Work, one job at a time."""
        take_up_lost()
        call_command(
            "procrastinate", "worker", "--concurrency", "1", "--shutdown-graceful-timeout", "3"
        )
