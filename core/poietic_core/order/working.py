"""Whether an operation of an order is being worked at, and how long that has been."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from enum import StrEnum
from typing import ClassVar

from ..errors import DomainError
from ..quantity import HOUR_STEP, ZERO, round_to
from .attendance import clock_hours


class Working(StrEnum):
    """How an operation stands with the people who work at it."""

    NOT = ""
    RUNNING = "running"
    PAUSED = "paused"
    #: nothing more is worked in
    FINISHED = "finished"


@dataclass(eq=False)
class AlreadySo(DomainError):
    """An operation that is to be what it is."""

    operation: int
    state: str
    code: ClassVar[str] = "operation.already_so"
    what: ClassVar[str] = "Operation {operation} is {state} already."
    why: ClassVar[str] = "Somebody said so before."
    fix: ClassVar[str] = "Report what was made, or choose another operation."


@dataclass(eq=False)
class NotRunning(DomainError):
    """An operation that is to pause and does not run."""

    operation: int
    code: ClassVar[str] = "operation.not_running"
    what: ClassVar[str] = "Operation {operation} can't pause."
    why: ClassVar[str] = "Nobody has started it."
    fix: ClassVar[str] = "Start it first."


@dataclass(eq=False)
class OperationFinished(DomainError):
    """A report of an operation at which nothing more was to be done."""

    operation: int
    order: int
    code: ClassVar[str] = "operation.finished"
    what: ClassVar[str] = "Operation {operation} of order {order} is finished."
    why: ClassVar[str] = "Somebody said that nothing more is worked in there."
    fix: ClassVar[str] = "Start it again, if there is more to do."


@dataclass(frozen=True, slots=True)
class Clock:
    """An operation's clock: how it stands, since when it runs, and what it has run since the last report [h]."""

    working: Working = Working.NOT
    since: datetime | None = None
    hours: Decimal = ZERO

    def elapsed(self, now: datetime) -> Decimal:
        """Return the hours run since the last report, until now [h]."""
        running = clock_hours((self.since, now)) if self.since and now > self.since else ZERO
        return round_to(self.hours + running, HOUR_STEP)

    def started(self, operation: int, now: datetime) -> Clock:
        """Return the clock going; what was finished goes on. AlreadySo (operation.already_so)."""
        if self.working is Working.RUNNING:
            raise AlreadySo(operation, self.working.value)
        return Clock(Working.RUNNING, now, self.hours)

    def paused(self, operation: int, now: datetime) -> Clock:
        """Return the clock standing. NotRunning (operation.not_running)."""
        if self.working is not Working.RUNNING:
            raise NotRunning(operation)
        return Clock(Working.PAUSED, None, self.elapsed(now))

    def finished(self, operation: int, now: datetime) -> Clock:
        """Return the clock standing for good. AlreadySo (operation.already_so)."""
        if self.working is Working.FINISHED:
            raise AlreadySo(operation, self.working.value)
        return Clock(Working.FINISHED, None, self.elapsed(now))

    def reported(self, now: datetime) -> Clock:
        """Return the clock after a report, which told what it had run: from nothing again."""
        return Clock(self.working, now if self.working is Working.RUNNING else None, ZERO)
