"""A person at the HTTP interface, for tests."""

from decimal import Decimal
from typing import Any
from uuid import uuid4

from django.test import Client
from django.utils import timezone
from poietic.commanding.roles import Role
from poietic.demo.shop import Shop
from poietic.people.models import OpenSession, Person

PASSWORD = "a long enough one"


def make_person(name: str = "ines", *roles: Role) -> Person:
    """Make a person who holds the roles, all of them where none are named."""
    Shop().do(
        "add-person",
        name=name,
        full_name=f"{name.title()} Example",
        password=PASSWORD,
        roles=[r.value for r in roles or Role],
    )
    return Person.objects.get(name=name)


def sign_in(client: Client, person: Person) -> None:
    """Sign a person in, past the door."""
    client.force_login(person)
    now = timezone.now()
    OpenSession.objects.create(
        person=person,
        key=client.session.session_key,
        address="127.0.0.1",
        begun_at=now,
        seen_at=now,
    )


class Caller:
    """Calls the HTTP interface as one person and keeps the last answer."""

    def __init__(self, person: Person | None = None) -> None:
        self.client = Client()
        self.status = 0
        if person:
            sign_in(self.client, person)

    def get(self, path: str, **query: str) -> Any:
        """Return the JSON of a query."""
        answer = self.client.get(f"/api/{path}", query)
        self.status = answer.status_code
        return answer.json()

    def get_any(self, path: str, **query: str) -> None:
        """Ask a query whose answer may be a file; only its status counts."""
        self.status = self.client.get(f"/api/{path}", query).status_code

    def send(self, path: str, body: Any) -> Any:
        """Return the JSON of a POST."""
        answer = self.client.post(f"/api/{path}", body, content_type="application/json")
        self.status = answer.status_code
        return answer.json()

    def do(self, name: str, given: dict[str, Any], *, key: str = "", seen: Any = None) -> Any:
        """Carry out a command."""
        body = {"key": key or uuid4().hex, "given": given}
        return self.send(f"commands/{name}", body | ({"seen": seen} if seen else {}))

    def preview(self, name: str, given: dict[str, Any]) -> Any:
        """Preview a command."""
        return self.send(f"commands/{name}/preview", {"given": given})

    def must(self, name: str, given: dict[str, Any]) -> Any:
        """Carry out a command that has to succeed."""
        answer = self.do(name, given)
        assert self.status == 200, answer
        return answer

    def causes(self, order: int) -> dict[str, Decimal]:
        """Return the order's causes by kind, without those of zero."""
        bridge = self.get(f"orders/{order}/bridge")
        found = {c["kind"]: Decimal(c["amount"]) for c in bridge["causes"]}
        return {kind: amount for kind, amount in found.items() if amount}
