"""Commands on persons."""

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db.models import Q

from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..web_api.errors import Exists, InvalidInput, NotFound
from ..web_api.fields import Code, Name, Strict
from .models import Person


class AddPerson(Strict):
    """Somebody new."""

    name: Code
    full_name: Name
    password: str
    roles: list[Role]
    #: offered on the sign-in page; only the demo's own set-up may say so
    is_demo: bool = False


class SetRoles(Strict):
    """The roles that a person is to hold from now on."""

    name: Code
    roles: list[Role]


@command("add-person", "Add a person", Role.ADMINISTRATOR)
def add_person(context: Context, given: AddPerson) -> None:
    """Make a person who can sign in."""
    if Person.objects.filter(name=given.name).exists():
        raise Exists("person", given.name)
    if given.is_demo and context.person is not None:
        raise InvalidInput(["is_demo: only the demo makes such persons"])
    try:
        validate_password(given.password)
    except ValidationError as err:
        raise InvalidInput([f"password: {m}" for m in err.messages]) from err
    person = Person(
        name=given.name,
        full_name=given.full_name,
        roles=[r.value for r in given.roles],
        is_demo=given.is_demo,
        change=context.change,
    )
    person.set_password(given.password)
    person.save()
    context.made["person"] = person.name
    context.effects.field(f"person {person.name}", "roles", None, ", ".join(person.roles))


@command("set-roles", "Set a person's roles", Role.ADMINISTRATOR)
def set_roles(context: Context, given: SetRoles) -> None:
    """Give a person the roles named, and no others; one administrator always remains."""
    is_administrator = Q(roles__contains=[Role.ADMINISTRATOR.value], is_active=True)
    people = context.lock(Person.objects.filter(is_administrator | Q(name=given.name)), "person")
    person = next((p for p in people if p.name == given.name), None)
    if person is None:
        raise NotFound("person", given.name)
    others = [p for p in people if p is not person]
    if Role.ADMINISTRATOR not in given.roles and not others:
        raise InvalidInput([f"roles: {person.name} is the only administrator"])
    before, person.roles = person.roles, [r.value for r in given.roles]
    person.change = context.change
    person.save(update_fields=["roles", "change"])
    context.effects.field(
        f"person {person.name}", "roles", ", ".join(before), ", ".join(person.roles)
    )
