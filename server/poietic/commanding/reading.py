"""Who may read what: declared beside each query, as roles are beside each command."""

from contextvars import ContextVar
from typing import Annotated, Any

from django.http import HttpRequest
from ninja.security import SessionAuth
from pydantic import BeforeValidator, PlainSerializer, WithJsonSchema

from ..web_api.fields import plain, text_only
from .errors import RoleNeeded
from .roles import Role

#: costs, rates, prices that suppliers ask, and what orders hold and vary by
COST_READERS = (
    Role.ADMINISTRATOR,
    Role.CONTROLLER,
    Role.ENGINEER,
    Role.COST_ACCOUNTANT,
)
_hides_costs: ContextVar[bool] = ContextVar("hides_costs", default=False)


def sees_costs(person: Any) -> bool:
    """Tell whether a person may see what things cost."""
    return bool({r.value for r in COST_READERS} & set(person.roles))


def require_cost_reader(person: Any) -> None:
    """Refuse a person who may not see what things cost."""
    if not sees_costs(person):
        raise RoleNeeded(str(person), "read what things cost", sorted(COST_READERS))


class Readers(SessionAuth):
    """Lets persons read who hold one of the roles."""

    def __init__(self, *roles: Role) -> None:
        super().__init__()
        self.roles = frozenset(roles)

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        """Return the person; nobody is refused as not signed in, others as lacking a role."""
        person = request.user
        if not person.is_authenticated:
            return None
        held = getattr(person, "roles", [])
        _hides_costs.set(not sees_costs(person))
        if not self.roles & set(held):
            raise RoleNeeded(str(person), "read this", sorted(self.roles))
        return person


SIGNED_IN = Readers(*Role)
READ_COSTS = Readers(*COST_READERS)
READ_MARGINS = Readers(Role.ADMINISTRATOR, Role.CONTROLLER, Role.COST_ACCOUNTANT)


def costs_are_hidden() -> bool:
    """Tell whether whoever asks now may not see what things cost."""
    return _hides_costs.get()


def _unless_hidden(value: Any) -> str:
    return "" if costs_are_hidden() else plain(value)


#: what something costs; empty for those who may not see it
Cost = Annotated[
    Any,
    BeforeValidator(text_only),
    PlainSerializer(_unless_hidden, return_type=str),
    WithJsonSchema(
        {
            "type": "string",
            "format": "decimal",
            "description": "empty for those who may not see costs",
            "examples": ["2.40"],
        }
    ),
]
