"""Who asks, read with every request: the session and the person, by statements that are made once."""

from django.contrib.auth.backends import ModelBackend
from django.contrib.sessions.backends.db import SessionStore as DatabaseSessions
from django.contrib.sessions.models import Session
from django.utils import timezone

from ..statements.prepared import Prepared
from .models import Person

SESSIONS = Prepared(lambda key: Session.objects.filter(session_key=key))
PERSONS = Prepared(lambda key: Person.objects.filter(pk=key))


class SessionStore(DatabaseSessions):
    """Django's sessions in the database."""

    @classmethod
    def get_model_class(cls) -> type[Session]:
        """Return the model of Django's own sessions."""
        return Session

    def _get_session_from_db(self) -> Session | None:
        found = SESSIONS.of(self.session_key or "")
        if found and found[0].expire_date > timezone.now():
            return found[0]
        self._session_key = None
        return None


class Known(ModelBackend):
    """Django's way of knowing a person by the key that the session holds."""

    def get_user(self, user_id: int) -> Person | None:
        """Return the person, if active."""
        found = PERSONS.of(int(user_id))
        return found[0] if found and self.user_can_authenticate(found[0]) else None
