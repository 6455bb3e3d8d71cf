"""What counts on a day: of things with a first and a last day, and of things that replace each other."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Protocol, TypeVar


class Begins(Protocol):
    """Something that counts from a day on, until the next of its kind does."""

    @property
    def effective_from(self) -> date | None:
        """First day; None: from the beginning."""


T = TypeVar("T", bound=Begins)


def counts_on(day: date, first: date | None, last: date | None) -> bool:
    """Tell whether a day lies between a first and a last one, both included; None: open.

    Source
    ------
    Effectivity dates: common practice.

    >>> counts_on(date(2026, 3, 1), date(2026, 3, 1), None)
    True
    """
    return (first or day) <= day <= (last or day)


def latest_begun(things: Iterable[T], day: date) -> T | None:
    """Return what counts on a day, of things that replace each other: the last that has begun.

    Parameters
    ----------
    things : of one kind, in any order; no two begin on the same day

    Source
    ------
    As of `counts_on`.
    """
    begun = [t for t in things if counts_on(day, t.effective_from, None)]
    return max(begun, key=lambda t: t.effective_from or date.min, default=None)
