"""One's own account: password, sessions, second factor."""

from uuid import uuid4

import pyotp
import segno
from django.contrib.auth import update_session_auth_hash
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router

from ..commanding.api import REFUSALS, Problem
from ..commanding.reading import SIGNED_IN
from ..commanding.registry import COMMANDS
from ..commanding.run import own_key, post
from ..web_api.errors import NotFound
from ..web_api.fields import Answer
from .api import Me, me, signed_in
from .commands import ChangePassword
from .door import note
from .models import Happening, OpenSession
from .sessions import end_sessions

router = Router(tags=["people"])


class SessionOut(Answer):
    """A session of one's own."""

    number: int
    address: str
    agent: str
    begun_at: str
    seen_at: str
    is_this: bool


class FactorOffer(Answer):
    """A new secret for an authenticator, as text, as an address and as a picture to scan."""

    secret: str
    address: str
    picture: str


@router.post("/me/password", response={200: Me, **REFUSALS}, auth=SIGNED_IN)
def my_password(request: HttpRequest, given: ChangePassword) -> Me:
    """Change one's own password; this session goes on, all others of the person end."""
    person = signed_in(request)
    change = COMMANDS["change-password"]
    post(change, given, key=own_key("password", uuid4()), person=person, now=timezone.now())
    person.refresh_from_db()
    before = request.session.session_key
    update_session_auth_hash(request, person)
    OpenSession.objects.filter(key=before).update(key=request.session.session_key)
    others = OpenSession.objects.filter(person=person).exclude(key=request.session.session_key)
    end_sessions(others)
    note(request, Happening.Kind.PASSWORD)
    return me(request)


@router.get("/me/sessions", response=list[SessionOut], auth=SIGNED_IN)
def my_sessions(request: HttpRequest) -> list[SessionOut]:
    """Return one's own open sessions, the latest first."""
    rows = OpenSession.objects.filter(person=signed_in(request)).order_by("-seen_at")
    return [
        SessionOut(
            number=s.pk,
            address=s.address,
            agent=s.agent,
            begun_at=s.begun_at.isoformat(),
            seen_at=s.seen_at.isoformat(),
            is_this=s.key == request.session.session_key,
        )
        for s in rows[:100]
    ]


@router.post(
    "/me/sessions/{int:number}/end", response={200: list[SessionOut], 404: Problem}, auth=SIGNED_IN
)
def end_my_session(request: HttpRequest, number: int) -> list[SessionOut]:
    """End one of one's own sessions."""
    mine = OpenSession.objects.filter(person=signed_in(request), pk=min(number, 2**62))
    if not mine.exists():
        raise NotFound("session", str(number))
    end_sessions(mine)
    return my_sessions(request)


@router.get("/me/second-factor", response=FactorOffer, auth=SIGNED_IN)
def offer_factor(request: HttpRequest) -> FactorOffer:
    """Return a new secret; it counts once it is proved with the command set-second-factor."""
    secret = pyotp.random_base32()
    address = pyotp.TOTP(secret).provisioning_uri(
        name=signed_in(request).name, issuer_name="Poietic"
    )
    picture = segno.make(address, error="m").svg_data_uri(scale=4, border=2)
    return FactorOffer(secret=secret, address=address, picture=picture)
