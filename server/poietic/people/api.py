"""Signing in and out, one's own account, and the persons of the works."""

import secrets
from dataclasses import dataclass
from typing import ClassVar
from uuid import uuid4

import pyotp
import segno
from django.contrib.auth import logout, update_session_auth_hash
from django.db import connection, transaction
from django.http import HttpRequest
from django.middleware.csrf import get_token
from django.utils import timezone
from ninja import Router, Schema
from ninja.errors import HttpError
from ninja.utils import check_csrf
from poietic_core.errors import DomainError
from pydantic import Field, SecretStr

from ..commanding.api import REFUSALS, Problem
from ..commanding.reading import SIGNED_IN, Readers, sees_costs
from ..commanding.registry import COMMANDS
from ..commanding.roles import Role
from ..commanding.run import own_key, post
from ..web_api.errors import NotFound
from ..web_api.events import publish_end
from ..web_api.fields import Code, Name, Strict, Zone, text
from ..works.models import the_works
from .commands import AddPerson, ChangePassword, GiveCode, Named
from .door import Claim, NewPasswordNeeded, SignInRefused, address_of, code_fits, let_in, note
from .models import Happening, OpenSession, Person
from .passwords import set_password
from .sessions import begin_session, end_sessions
from .works import SetZone

router = Router(tags=["people"])
ADMINISTRATORS = Readers(Role.ADMINISTRATOR)
AUDIT_ROWS = 200
LOOPBACK = ("127.0.0.1", "::1")


@dataclass(eq=False)
class NotTheFirst(DomainError):
    """There is somebody already."""

    code: ClassVar[str] = "people.not_the_first"
    what: ClassVar[str] = "The first person exists already."
    why: ClassVar[str] = "Only an empty database makes its first person without signing in."
    fix: ClassVar[str] = "Sign in; an administrator adds further persons."


@dataclass(eq=False)
class NoDemo(DomainError):
    """Somebody would come in without a password where there is no demo."""

    code: ClassVar[str] = "people.no_demo"
    what: ClassVar[str] = "Nobody comes in without a password here."
    why: ClassVar[str] = "The works is no demo, or it is asked from another machine."
    fix: ClassVar[str] = "Sign in with name and password."


class SignIn(Strict):
    """Name and password, or a one-time code and the new password; with the second factor's code."""

    name: text(120, 1)  # type: ignore[valid-type]
    password: SecretStr = Field(max_length=200)
    factor: SecretStr = Field(SecretStr(""), max_length=10)
    new_password: SecretStr = Field(SecretStr(""), max_length=200)


class DemoSignIn(Strict):
    """The person of the demo to be."""

    name: Code


class FirstPerson(Strict):
    """The first person, who holds all roles, and the time zone of the works."""

    name: Code
    full_name: Name
    password: SecretStr = Field(max_length=200)
    zone: Zone = "UTC"


class Offer(Schema):
    """A person with the roles held."""

    name: str
    full_name: str
    roles: list[str]


class PersonOut(Offer):
    """A person as an administrator sees them."""

    is_active: bool
    is_demo: bool
    has_second_factor: bool
    sessions: int


class Me(Schema):
    """Who is signed in, or what the sign-in page needs to know."""

    name: str | None
    full_name: str | None
    roles: list[str]
    sees_costs: bool
    has_password: bool
    has_second_factor: bool
    is_first_run: bool
    is_demo: bool
    demo_people: list[Offer]
    zone: str
    csrf: str


class SessionOut(Schema):
    """A session of one's own."""

    number: int
    address: str
    agent: str
    begun_at: str
    seen_at: str
    is_this: bool


class FactorOffer(Schema):
    """A new secret for an authenticator, as text, as an address and as a picture to scan."""

    secret: str
    address: str
    picture: str


class CodeOut(Schema):
    """A one-time code; it is shown this once."""

    code: str


class HappeningOut(Schema):
    """Something that happened at the door."""

    at: str
    kind: str
    person: str
    name: str
    address: str
    detail: str


@router.get("/me", response=Me, auth=None)
def me(request: HttpRequest) -> Me:
    """Return who is signed in; for nobody, whether there is anybody and whom a demo offers."""
    person = request.user if isinstance(request.user, Person) else None
    works = the_works()
    is_open = works.is_demo and _is_here(request)
    offers = Person.objects.filter(is_demo=True, is_active=True).order_by("pk")
    return Me(
        name=person.name if person else None,
        full_name=person.full_name if person else None,
        roles=person.roles if person else [],
        sees_costs=person is not None and sees_costs(person),
        has_password=person is not None and person.has_usable_password(),
        has_second_factor=person is not None and bool(person.totp_secret),
        is_first_run=not person and not Person.objects.exists(),
        is_demo=works.is_demo,
        demo_people=[Offer(name=p.name, full_name=p.full_name, roles=p.roles) for p in offers]
        if is_open and not person
        else [],
        zone=works.zone,
        csrf=get_token(request),
    )


def require_csrf(request: HttpRequest) -> None:
    """Refuse a request that another site made the browser send."""
    if check_csrf(request):
        raise HttpError(403, "the page that sent this is out of date: load it again")


def _is_here(request: HttpRequest) -> bool:
    return address_of(request) in LOOPBACK


@router.post("/sign-in", response={200: Me, 401: Problem, 422: Problem, 429: Problem}, auth=None)
def sign_in(request: HttpRequest, given: SignIn) -> Me:
    """Sign a person in; failed attempts by name and by address are throttled."""
    require_csrf(request)
    claim = Claim(given.name, given.password.get_secret_value(), given.factor.get_secret_value())
    try:
        person, is_code = let_in(claim, address_of(request))
        if is_code:
            person = _with_new_password(person, claim, given.new_password.get_secret_value())
    except DomainError as err:
        if err.code in ("people.sign_in_refused", "people.too_many_attempts"):
            is_refused = isinstance(err, SignInRefused)
            kind = Happening.Kind.REFUSED if is_refused else Happening.Kind.THROTTLED
            note(request, kind, name=given.name)
        raise
    begin_session(request, person)
    return me(request)


def _with_new_password(person: Person, claim: Claim, password: str) -> Person:
    """Set the password of a person whom a one-time code let in: the code counts once."""
    if not password:
        raise NewPasswordNeeded
    with transaction.atomic():
        person = Person.objects.select_for_update().get(pk=person.pk)
        if not code_fits(person, claim.password):
            raise SignInRefused
        set_password(person, password)
        person.save(update_fields=["password", "code_hash", "code_until"])
    return person


@router.post("/demo/sign-in", response={200: Me, **REFUSALS}, auth=None)
def demo_sign_in(request: HttpRequest, given: DemoSignIn) -> Me:
    """Sign in as a person of the demo: only in a works made as one, and only on its own machine."""
    require_csrf(request)
    if not (the_works().is_demo and _is_here(request)):
        raise NoDemo
    person = Person.objects.filter(name=given.name, is_demo=True, is_active=True).first()
    if person is None:
        raise NotFound("person of the demo", given.name)
    begin_session(request, person)
    return me(request)


@router.post("/sign-out", response={200: Me, 401: Problem}, auth=SIGNED_IN)
def sign_out(request: HttpRequest) -> Me:
    """Sign the person out; the pages of the session are told no more."""
    note(request, Happening.Kind.SIGNED_OUT)
    key = request.session.session_key or ""
    OpenSession.objects.filter(key=key).delete()
    publish_end(session=key)
    logout(request)
    return me(request)


@router.post("/first-person", response={200: Me, **REFUSALS}, auth=None)
def first_person(request: HttpRequest, given: FirstPerson) -> Me:
    """Make the first person of an empty database, with all roles, and sign in."""
    require_csrf(request)
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("LOCK TABLE people_person IN SHARE ROW EXCLUSIVE MODE")
        if Person.objects.exists():
            raise NotTheFirst
        add = AddPerson(**given.model_dump(exclude={"zone"}), roles=list(Role))
        now = timezone.now()
        post(COMMANDS["add-person"], add, key=own_key("first", uuid4()), person=None, now=now)
        zone = SetZone(zone=given.zone)
        post(COMMANDS["set-zone"], zone, key=own_key("zone", uuid4()), person=None, now=now)
    begin_session(request, Person.objects.get(name=given.name))
    return me(request)


@router.post("/me/password", response={200: Me, **REFUSALS}, auth=SIGNED_IN)
def my_password(request: HttpRequest, given: ChangePassword) -> Me:
    """Change one's own password; this session goes on, all others of the person end."""
    person = _me(request)
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
    rows = OpenSession.objects.filter(person=_me(request)).order_by("-seen_at")
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
    mine = OpenSession.objects.filter(person=_me(request), pk=min(number, 2**62))
    if not mine.exists():
        raise NotFound("session", str(number))
    end_sessions(mine)
    return my_sessions(request)


@router.get("/me/second-factor", response=FactorOffer, auth=SIGNED_IN)
def offer_factor(request: HttpRequest) -> FactorOffer:
    """Return a new secret; it counts once it is proved with the command set-second-factor."""
    secret = pyotp.random_base32()
    address = pyotp.TOTP(secret).provisioning_uri(name=_me(request).name, issuer_name="Poietic")
    picture = segno.make(address, error="m").svg_data_uri(scale=4, border=2)
    return FactorOffer(secret=secret, address=address, picture=picture)


@router.get("/people", response=list[PersonOut], auth=ADMINISTRATORS)
def people(request: HttpRequest) -> list[PersonOut]:
    """Return all persons with their roles."""
    open_ones: dict[int, int] = {}
    for pk in OpenSession.objects.values_list("person_id", flat=True):
        open_ones[pk] = open_ones.get(pk, 0) + 1
    return [
        PersonOut(
            name=p.name,
            full_name=p.full_name,
            roles=p.roles,
            is_active=p.is_active,
            is_demo=p.is_demo,
            has_second_factor=bool(p.totp_secret),
            sessions=open_ones.get(p.pk, 0),
        )
        for p in Person.objects.order_by("-is_active", "full_name")
    ]


@router.post("/people/{name}/code", response={200: CodeOut, **REFUSALS}, auth=ADMINISTRATORS)
def one_time_code(request: HttpRequest, name: str) -> CodeOut:
    """Make a one-time code for a person; it is shown this once and kept as a hash only."""
    code = "-".join(secrets.token_hex(2) for _ in range(4))
    given = GiveCode(name=Named(name=name).name, code=SecretStr(code))
    key = own_key("code", uuid4())
    post(COMMANDS["give-code"], given, key=key, person=_me(request), now=timezone.now())
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


def _me(request: HttpRequest) -> Person:
    assert isinstance(request.user, Person)
    return request.user
