"""The persons of the works, and what happened at the door: for administrators."""

import secrets
from uuid import uuid4

from django.db.models import Count
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from pydantic import SecretStr

from ..commanding.api import REFUSALS
from ..commanding.reading import Readers
from ..commanding.registry import COMMANDS
from ..commanding.roles import Role
from ..commanding.run import own_key, post
from ..web_api.fields import Answer
from .api import Offer, signed_in
from .commands import GiveCode, Named
from .models import Happening, Person

router = Router(tags=["people"])
ADMINISTRATORS = Readers(Role.ADMINISTRATOR)
AUDIT_ROWS = 200


class PersonOut(Offer):
    """A person as an administrator sees them."""

    is_active: bool
    is_demo: bool
    has_second_factor: bool
    sessions: int


class CodeOut(Answer):
    """A one-time code; it is shown this once."""

    code: str


class HappeningOut(Answer):
    """Something that happened at the door."""

    at: str
    kind: str
    person: str
    name: str
    address: str
    detail: str


@router.get("/people", response=list[PersonOut], auth=ADMINISTRATORS)
def people(request: HttpRequest) -> list[PersonOut]:
    """Return all persons with their roles."""
    rows = Person.objects.annotate(open_sessions=Count("sessions"))
    return [
        PersonOut(
            name=p.name,
            full_name=p.full_name,
            roles=p.roles,
            is_active=p.is_active,
            is_demo=p.is_demo,
            has_second_factor=bool(p.totp_secret),
            sessions=p.open_sessions,
        )
        for p in rows.order_by("-is_active", "full_name")
    ]


@router.post("/people/{name}/code", response={200: CodeOut, **REFUSALS}, auth=ADMINISTRATORS)
def one_time_code(request: HttpRequest, name: str) -> CodeOut:
    """Make a one-time code for a person; it is shown this once and kept as a hash only."""
    code = "-".join(secrets.token_hex(2) for _ in range(4))
    given = GiveCode(name=Named(name=name).name, code=SecretStr(code))
    key = own_key("code", uuid4())
    post(COMMANDS["give-code"], given, key=key, person=signed_in(request), now=timezone.now())
    return CodeOut(code=code)


@router.get("/audit", response=list[HappeningOut], auth=ADMINISTRATORS)
def audit(request: HttpRequest) -> list[HappeningOut]:
    """Return what happened at the door, the latest first."""
    rows = Happening.objects.select_related("person").order_by("-at", "-pk")
    return [
        HappeningOut(
            at=h.at.isoformat(),
            kind=h.kind,
            person=str(h.person or ""),
            name=h.name,
            address=h.address,
            detail=h.detail,
        )
        for h in rows[:AUDIT_ROWS]
    ]
