"""Which periods of the books are closed, and where what belongs to them goes."""

from datetime import datetime

from django.db import connection
from django.utils import timezone

from .models import Period

#: what postings hold together and a closing alone: whoever closes waits for those on their way
GATE = 72_170


def open_moment(when: datetime, now: datetime) -> datetime:
    """Return when what happened at a moment may be posted: then, or when the next open period begins.

    Only what lies before this month is asked for: no other period can be closed.
    """
    if timezone.localdate(when).replace(day=1) == timezone.localdate(now).replace(day=1):
        return when
    closed = Period.objects.filter(closed_at__isnull=False, ends_at__gt=when)
    for begins, ends in closed.order_by("first").values_list("begins_at", "ends_at"):
        if begins <= when < ends:
            when = ends
    return when


def shut_the_gate() -> None:
    """Wait for all postings that are on their way, and let none begin until this act is done."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s)", [GATE])
