"""Signing in and out, and the first person of an empty works."""

from dataclasses import dataclass
from typing import Annotated, ClassVar
from uuid import uuid4

from django.contrib.auth import logout
from django.db import connection, transaction
from django.http import HttpRequest
from django.middleware.csrf import get_token
from django.utils import timezone
from ninja import Router
from ninja.errors import HttpError
from ninja.utils import check_csrf
from poietic_core.errors import DomainError
from pydantic import Field, SecretStr

from ..commanding.api import REFUSALS, Problem
from ..commanding.reading import SIGNED_IN, sees_costs
from ..commanding.registry import COMMANDS
from ..commanding.roles import Role
from ..commanding.run import own_key, post
from ..web_api.errors import NotFound
from ..web_api.events import publish_end
from ..web_api.fields import Answer, Code, Name, Strict, Text, Zone
from ..works.models import the_works
from .commands import AddPerson
from .door import Claim, NewPasswordNeeded, SignInRefused, address_of, code_fits, let_in, note
from .models import Happening, OpenSession, Person
from .passwords import set_password
from .sessions import begin_session
from .works import SetZone

router = Router(tags=["people"])
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

    name: Annotated[str, Text(120, 1)]
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


class Offer(Answer):
    """A person with the roles held."""

    name: str
    full_name: str
    roles: list[str]


class Me(Answer):
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


def signed_in(request: HttpRequest) -> Person:
    """Return the person who asks, where somebody has to be signed in."""
    assert isinstance(request.user, Person)
    return request.user
