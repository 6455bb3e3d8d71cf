"""Signing in and out, and the first person of an empty database."""

from dataclasses import dataclass
from datetime import timedelta
from typing import ClassVar
from uuid import uuid4

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.db import connection, transaction
from django.http import HttpRequest
from django.middleware.csrf import get_token
from django.utils import timezone
from ninja import Router, Schema
from ninja.errors import HttpError
from ninja.utils import check_csrf
from poietic_core.errors import DomainError

from ..commanding.api import REFUSALS, Problem
from ..commanding.registry import COMMANDS
from ..commanding.roles import Role
from ..commanding.run import post
from ..web_api.fields import Code, Name, Strict
from .commands import AddPerson
from .models import FailedSignIn, Person

router = Router(tags=["people"])


@dataclass(eq=False)
class SignInRefused(DomainError):
    """Name and password do not belong together."""

    code: ClassVar[str] = "people.sign_in_refused"
    what: ClassVar[str] = "The sign-in was refused."
    why: ClassVar[str] = "Name and password do not belong together."
    fix: ClassVar[str] = "Check both, or ask an administrator for a new password."


@dataclass(eq=False)
class TooManyAttempts(DomainError):
    """Sign-in attempts are throttled."""

    minutes: int
    code: ClassVar[str] = "people.too_many_attempts"
    what: ClassVar[str] = "Too many attempts to sign in failed."
    why: ClassVar[str] = "Attempts are counted for {minutes} minutes."
    fix: ClassVar[str] = "Wait {minutes} minutes and try again."


@dataclass(eq=False)
class NotTheFirst(DomainError):
    """There is somebody already."""

    code: ClassVar[str] = "people.not_the_first"
    what: ClassVar[str] = "The first person exists already."
    why: ClassVar[str] = "Only an empty database makes its first person without signing in."
    fix: ClassVar[str] = "Sign in; an administrator adds further persons."


class SignIn(Strict):
    """Name and password."""

    name: Name
    password: str


class FirstPerson(Strict):
    """The first person, who holds all roles."""

    name: Code
    full_name: Name
    password: str


class Offer(Schema):
    """A person with the roles held."""

    name: str
    full_name: str
    roles: list[str]


class Me(Schema):
    """Who is signed in, or what the sign-in page needs to know."""

    name: str | None
    full_name: str | None
    roles: list[str]
    is_first_run: bool
    demo_people: list[Offer]
    demo_password: str
    csrf: str


@router.get("/me", response=Me, auth=None)
def me(request: HttpRequest) -> Me:
    """Return who is signed in; for nobody, whether there is anybody and whom the demo offers."""
    person = request.user if isinstance(request.user, Person) else None
    offers = [] if person else list(Person.objects.filter(is_demo=True).order_by("pk"))
    return Me(
        name=person.name if person else None,
        full_name=person.full_name if person else None,
        roles=person.roles if person else [],
        is_first_run=not person and not Person.objects.exists(),
        demo_people=[Offer(name=p.name, full_name=p.full_name, roles=p.roles) for p in offers],
        demo_password=settings.DEMO_PASSWORD if offers else "",
        csrf=get_token(request),
    )


def require_csrf(request: HttpRequest) -> None:
    """Refuse a request that another site made the browser send."""
    if check_csrf(request):
        raise HttpError(403, "the page that sent this is out of date: load it again")


@router.post("/sign-in", response={200: Me, 401: Problem, 422: Problem, 429: Problem}, auth=None)
def sign_in(request: HttpRequest, given: SignIn) -> Me:
    """Sign a person in; failed attempts by name and by address are throttled."""
    require_csrf(request)
    now = timezone.now()
    address = request.META.get("REMOTE_ADDR", "")
    since = now - timedelta(seconds=settings.SIGN_IN_PAUSE_SECONDS)
    failed = FailedSignIn.objects.filter(at__gte=since)
    by_name = failed.filter(name=given.name).count()
    by_address = failed.filter(address=address).count()
    if by_name >= settings.SIGN_IN_ATTEMPTS or by_address >= 4 * settings.SIGN_IN_ATTEMPTS:
        raise TooManyAttempts(settings.SIGN_IN_PAUSE_SECONDS // 60)
    person = authenticate(request, name=given.name, password=given.password)
    if person is None:
        FailedSignIn.objects.create(name=given.name, address=address, at=now)
        raise SignInRefused
    login(request, person)
    FailedSignIn.objects.filter(name=given.name).delete()
    return me(request)


@router.post("/sign-out", response={200: Me, 401: Problem})
def sign_out(request: HttpRequest) -> Me:
    """Sign the person out."""
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
        add = AddPerson(**given.model_dump(), roles=list(Role))
        post(COMMANDS["add-person"], add, key=f"first-{uuid4()}", person=None, now=timezone.now())
    login(request, Person.objects.get(name=given.name))
    return me(request)


@router.get("/people", response=list[Offer])
def people(request: HttpRequest) -> list[Offer]:
    """Return all persons with their roles."""
    rows = Person.objects.order_by("full_name")
    return [Offer(name=p.name, full_name=p.full_name, roles=p.roles) for p in rows]
