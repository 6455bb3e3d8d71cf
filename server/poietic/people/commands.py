"""Commands on persons."""

import re
from datetime import timedelta
from typing import Annotated

import pyotp
from django.contrib.auth.hashers import make_password
from django.db.models import Q
from pydantic import AfterValidator, Field, SecretStr

from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..web_api.errors import Exists, InvalidInput, NotFound
from ..web_api.fields import Code, Name, Strict, Text
from .models import OpenSession, Person, SavedView
from .passwords import set_password
from .sessions import end_sessions
from .works import works_to_change

EVERYBODY = tuple(Role)
#: who is told of persons
TOLD = (Role.ADMINISTRATOR,)
#: how long a one-time code counts
CODE_LASTS = timedelta(hours=24)
#: saved views of one page
MOST_VIEWS = 100


class AddPerson(Strict):
    """Somebody new; without a password, one comes in by a one-time code."""

    name: Code
    full_name: Name
    password: SecretStr | None = Field(None, max_length=200)
    roles: list[Role]
    #: comes in without a password; only the demo's own set-up may say so
    is_demo: bool = False


class SetRoles(Strict):
    """The roles that a person is to hold from now on."""

    name: Code
    roles: list[Role]


class Named(Strict):
    """A person by the name that signs in."""

    name: Code


class GiveCode(Named):
    """A one-time code for a person, to set a new password with."""

    code: SecretStr = Field(min_length=12, max_length=60)


class ChangePassword(Strict):
    """One's own new password, with the present one."""

    present: SecretStr = Field(max_length=200)
    password: SecretStr = Field(max_length=200)


def _base32(secret: SecretStr) -> SecretStr:
    if not re.fullmatch(r"[A-Z2-7]+", secret.get_secret_value()):
        raise ValueError("must be in base 32: A to Z and 2 to 7")
    return secret


class SetFactor(Strict):
    """A second factor of one's own, proved by a code of it."""

    secret: Annotated[SecretStr, Field(min_length=32, max_length=64), AfterValidator(_base32)]
    code: SecretStr = Field(min_length=6, max_length=8)


class Nothing(Strict):
    """Nothing to say."""


@command("add-person", "Add a person", Role.ADMINISTRATOR, told=TOLD)
def add_person(context: Context, given: AddPerson) -> None:
    """Make a person who can sign in."""
    if Person.objects.filter(name=given.name).exists():
        raise Exists("person", given.name)
    if given.is_demo and context.person is not None:
        raise InvalidInput(["is_demo: only the demo makes such persons"])
    person = Person(
        name=given.name,
        full_name=given.full_name,
        roles=[r.value for r in given.roles],
        is_demo=given.is_demo,
        change=context.change,
    )
    if given.password is None:
        person.set_unusable_password()
    else:
        set_password(person, given.password.get_secret_value())
    person.save()
    context.made["person"] = person.name
    context.effects.field(f"person {person.name}", "roles", None, ", ".join(person.roles))


@command("set-roles", "Set a person's roles", Role.ADMINISTRATOR, told=TOLD)
def set_roles(context: Context, given: SetRoles) -> None:
    """Give a person the roles named, and no others; one administrator always remains."""
    person, others = _with_administrators(context, given.name)
    if Role.ADMINISTRATOR not in given.roles and not others:
        raise InvalidInput([f"roles: {person.name} is the only administrator"])
    before, person.roles = person.roles, [r.value for r in given.roles]
    _save(context, person, "roles")
    context.effects.field(
        f"person {person.name}", "roles", ", ".join(before), ", ".join(person.roles)
    )
    end_sessions(OpenSession.objects.filter(person=person))


@command("deactivate-person", "Deactivate a person", Role.ADMINISTRATOR, told=TOLD)
def deactivate_person(context: Context, given: Named) -> None:
    """Let a person in no more; what the person did stays."""
    person, others = _with_administrators(context, given.name)
    if not others:
        raise InvalidInput([f"name: {person.name} is the only administrator"])
    if not person.is_active:
        raise InvalidInput([f"name: {person.name} is not active"])
    _set_active(context, person, False)
    ended = end_sessions(OpenSession.objects.filter(person=person))
    context.effects.field(f"person {person.name}", "open sessions", ended, 0)


@command("activate-person", "Activate a person", Role.ADMINISTRATOR, told=TOLD)
def activate_person(context: Context, given: Named) -> None:
    """Let a person in again."""
    person = _locked(context, given.name)
    if person.is_active:
        raise InvalidInput([f"name: {person.name} is active"])
    _set_active(context, person, True)


@command("end-sessions", "End a person's sessions", Role.ADMINISTRATOR, told=TOLD)
def end_all_sessions(context: Context, given: Named) -> None:
    """Sign a person out everywhere."""
    person = _locked(context, given.name)
    ended = end_sessions(OpenSession.objects.filter(person=person))
    context.effects.field(f"person {person.name}", "open sessions", ended, 0)


@command("give-code", "Give a one-time code", Role.ADMINISTRATOR, told=TOLD)
def give_code(context: Context, given: GiveCode) -> None:
    """Let a person set a new password; the old one and its sessions end."""
    person = _locked(context, given.name)
    person.set_unusable_password()
    person.code_hash = make_password(given.code.get_secret_value())
    person.code_until = context.now + CODE_LASTS
    _save(context, person, "password", "code_hash", "code_until")
    end_sessions(OpenSession.objects.filter(person=person))
    context.effects.field(f"person {person.name}", "password", "", "to be set with a one-time code")


@command("change-password", "Change my password", *EVERYBODY, told=TOLD)
def change_password(context: Context, given: ChangePassword) -> None:
    """Set one's own password; all one's other sessions end."""
    person = _myself(context)
    if not person.check_password(given.present.get_secret_value()):
        raise InvalidInput(["present: it is not the present password"])
    set_password(person, given.password.get_secret_value())
    _save(context, person, "password", "code_hash", "code_until")
    context.effects.field(f"person {person.name}", "password", "", "changed")


@command("set-second-factor", "Set up my second factor", *EVERYBODY, told=TOLD)
def set_second_factor(context: Context, given: SetFactor) -> None:
    """Sign in with a code of an authenticator from now on (RFC 6238)."""
    person = _myself(context)
    if person.totp_secret:  # whoever finds a session open must not put another one in its place
        raise InvalidInput(["secret: there is a second factor; an administrator takes it away"])
    secret = given.secret.get_secret_value()
    if not pyotp.TOTP(secret).verify(
        given.code.get_secret_value(), for_time=context.now, valid_window=1
    ):
        raise InvalidInput(["code: it is not the one that the authenticator shows now"])
    person.totp_secret, person.totp_step = secret, 0
    _save(context, person, "totp_secret", "totp_step")
    context.effects.field(f"person {person.name}", "second factor", "", "an authenticator")


@command("drop-second-factor", "Take a second factor away", Role.ADMINISTRATOR, told=TOLD)
def drop_second_factor(context: Context, given: Named) -> None:
    """Let a person who lost the authenticator sign in without."""
    person = _locked(context, given.name)
    if not person.totp_secret:
        raise InvalidInput([f"name: {person.name} has no second factor"])
    person.totp_secret = ""
    _save(context, person, "totp_secret")
    end_sessions(OpenSession.objects.filter(person=person))
    context.effects.field(f"person {person.name}", "second factor", "an authenticator", "none")


@command("open-demo", "Open the demo", Role.ADMINISTRATOR, told=TOLD)
def open_demo(context: Context, given: Nothing) -> None:
    """Make the works a demo whose persons come in without passwords; only its own set-up may."""
    if context.person is not None:
        raise InvalidInput(["a works becomes a demo only while it is set up"])
    works = works_to_change(context)
    works.is_demo = True
    works.save()
    context.effects.field("works", "demo", "no", "yes")


@command("close-demo", "Close the demo", Role.ADMINISTRATOR, told=TOLD)
def close_demo(context: Context, given: Nothing) -> None:
    """Deactivate all persons of the demo: the works goes on with real ones only."""
    works = works_to_change(context)
    people = context.lock(Person.objects.filter(Q(is_demo=True) | _administrators()), "person")
    if not any(not p.is_demo and Role.ADMINISTRATOR in p.roles and p.is_active for p in people):
        raise InvalidInput(["there is no administrator yet who is not of the demo: add one first"])
    for person in (p for p in people if p.is_demo and p.is_active):
        _set_active(context, person, False)
    end_sessions(OpenSession.objects.filter(person__is_demo=True))
    works.is_demo = False
    works.save()
    context.effects.field("works", "demo", "yes", "no")


def _administrators() -> Q:
    return Q(roles__contains=[Role.ADMINISTRATOR.value], is_active=True)


def _with_administrators(context: Context, name: str) -> tuple[Person, list[Person]]:
    """Return a person, and the other active administrators, all locked: two can't step down at once."""
    people = context.lock(Person.objects.filter(_administrators() | Q(name=name)), "person")
    person = next((p for p in people if p.name == name), None)
    if person is None:
        raise NotFound("person", name)
    return person, [p for p in people if p is not person]


def _locked(context: Context, name: str) -> Person:
    return context.lock_one(Person.objects.filter(name=name), "person", NotFound("person", name))


def _myself(context: Context) -> Person:
    if context.person is None:
        raise InvalidInput(["nobody is signed in"])
    return _locked(context, context.person.get_username())


def _set_active(context: Context, person: Person, is_active: bool) -> None:
    person.is_active = is_active
    _save(context, person, "is_active")
    words = ("not active", "active")
    context.effects.field(f"person {person.name}", "state", words[not is_active], words[is_active])


def _save(context: Context, person: Person, *fields: str) -> None:
    person.change = context.change
    person.save(update_fields=[*fields, "change"])


Page = Annotated[str, Field(pattern="^[a-z-]{1,40}$")]
ViewName = Annotated[str, Text(60, 1)]


class SaveView(Strict):
    """A view to save; the same name replaces."""

    page: Page
    name: ViewName
    query: Annotated[str, Text(1000)]


class DropView(Strict):
    """A view that nobody needs any more."""

    page: Page
    name: ViewName


@command("save-view", "Save a view", *EVERYBODY)
def save_view(context: Context, given: SaveView) -> None:
    """Save how a table is looked at, under a name."""
    context.guard(f"views of {given.page}")
    others = SavedView.objects.filter(page=given.page).exclude(name=given.name)
    if others.count() >= MOST_VIEWS:
        raise InvalidInput(
            [f"name: there are {MOST_VIEWS} views already; drop one that nobody needs"]
        )
    SavedView.objects.update_or_create(
        page=given.page,
        name=given.name,
        defaults={
            "query": given.query,
            "person_id": context.person.pk if context.person else None,
            "saved_at": context.now,
        },
    )
    context.effects.field(f"view {given.name}", "query", None, given.query)


@command("drop-view", "Drop a view", *EVERYBODY)
def drop_view(context: Context, given: DropView) -> None:
    """Drop a saved view."""
    gone, _ = SavedView.objects.filter(page=given.page, name=given.name).delete()
    if not gone:
        raise NotFound("view", given.name)
    context.effects.field(f"view {given.name}", "query", "saved", None)
