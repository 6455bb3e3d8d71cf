"""The months of the books: which are closed, which is next, and their bounds in the works' time."""

from dataclasses import dataclass
from datetime import date, datetime, time

from django.utils import timezone

from ..ledger.models import Period, Posting


@dataclass(frozen=True)
class Month:
    """A month of the works' calendar."""

    first: date

    @classmethod
    def of(cls, day: date) -> "Month":
        """Return the month that a day lies in."""
        return cls(day.replace(day=1))

    @property
    def next(self) -> "Month":
        """Return the month after it."""
        year, month = divmod(self.first.year * 12 + self.first.month, 12)
        return Month(date(year, month + 1, 1))

    @property
    def begins_at(self) -> datetime:
        """Return the moment it begins at."""
        return timezone.make_aware(datetime.combine(self.first, time()))

    @property
    def ends_at(self) -> datetime:
        """Return the moment the next one begins at."""
        return self.next.begins_at

    def __str__(self) -> str:
        return f"{self.first:%B %Y}"


def first_month() -> Month | None:
    """Return the month of the first posting; None: there is none."""
    earliest = Posting.objects.order_by("happened_at").values_list("happened_at", flat=True).first()
    return Month.of(timezone.localdate(earliest)) if earliest else None


def next_to_close() -> Month | None:
    """Return the earliest month that is open; None: nothing was posted yet."""
    month = first_month()
    closed = set(Period.objects.filter(closed_at__isnull=False).values_list("first", flat=True))
    while month and month.first in closed:
        month = month.next
    return month
