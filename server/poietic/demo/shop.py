"""Driving the application's own commands from Python: the demo, benchmarks and tests use it."""

from datetime import datetime
from itertools import count
from typing import Any
from uuid import uuid4

from django.utils import timezone

from ..commanding.registry import COMMANDS
from ..commanding.run import Outcome, post, preview
from ..people.models import Person


class Shop:
    """Carries out commands by name as one person, at a time of its own."""

    def __init__(self, person: Person | None = None, now: datetime | None = None) -> None:
        self.person = person
        self.now = now
        self._run = uuid4().hex
        self._keys = count(1)

    def do(self, name: str, /, **given: Any) -> Outcome:
        """Carry out a command."""
        command = COMMANDS[name]
        return post(
            command,
            command.given.model_validate(given),
            key=f"{self._run}-{next(self._keys)}",
            person=self.person,
            now=self.now or timezone.now(),
        )

    def preview(self, name: str, /, **given: Any) -> Outcome:
        """Return what a command would do."""
        assert self.person is not None
        command = COMMANDS[name]
        return preview(
            command,
            command.given.model_validate(given),
            person=self.person,
            now=self.now or timezone.now(),
        )
