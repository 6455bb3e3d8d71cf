"""Sessions: how long they last, whose they are, and ending them with all that hangs on them."""

from collections.abc import Callable
from datetime import timedelta

from django.conf import settings
from django.contrib.auth import login, logout
from django.contrib.sessions.models import Session
from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from ..statements.prepared import Prepared
from ..web_api.events import publish_end
from .door import address_of, note
from .models import Happening, OpenSession, Person

#: how exactly it is known when a session was last used
SEEN_EVERY = timedelta(minutes=1)

OPEN_SESSIONS = Prepared(lambda key: OpenSession.objects.filter(key=key))


class SessionLimits:
    """Middleware: a session ends that is too old, or was not used for too long."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer; to a session that has ended, as to nobody."""
        is_asked = request.path_info.startswith("/api/") and settings.SESSION_COOKIE_NAME in request.COOKIES  # fmt: skip
        if is_asked and isinstance(request.user, Person):
            _look_at(request)
        return self._get_response(request)


def _look_at(request: HttpRequest) -> None:
    now = timezone.now()
    found = OPEN_SESSIONS.of(request.session.session_key or "")
    row = found[0] if found else None
    idle = timedelta(minutes=settings.SESSION_IDLE_MINUTES)
    length = timedelta(hours=settings.SESSION_HOURS)
    if row is None or now - row.seen_at > idle or now - row.begun_at > length:
        if row is not None:
            note(request, Happening.Kind.SESSION_ENDED, detail="it had lasted long enough")
            end_sessions(OpenSession.objects.filter(pk=row.pk))
        logout(request)
    elif now - row.seen_at > SEEN_EVERY:
        OpenSession.objects.filter(pk=row.pk).update(seen_at=now)


def begin_session(request: HttpRequest, person: Person) -> None:
    """Sign a person in, in a session of its own."""
    login(request, person, backend=settings.AUTHENTICATION_BACKENDS[0])
    request.session.save()
    now = timezone.now()
    OpenSession.objects.update_or_create(
        key=request.session.session_key,
        defaults={
            "person": person,
            "address": address_of(request),
            "agent": str(request.META.get("HTTP_USER_AGENT") or "")[:200],
            "begun_at": now,
            "seen_at": now,
        },
    )
    note(request, Happening.Kind.SIGNED_IN)


def end_sessions(sessions: QuerySet[OpenSession]) -> int:
    """End sessions and the streams that hang on them; return how many."""
    keys = list(sessions.values_list("key", flat=True))
    Session.objects.filter(session_key__in=keys).delete()
    OpenSession.objects.filter(key__in=keys).delete()
    for key in keys:
        publish_end(session=key)
    return len(keys)
