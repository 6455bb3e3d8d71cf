"""All commands: name, title, input, roles and the function that carries it out."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, TypeVar, get_type_hints

from django.contrib.auth.models import AbstractBaseUser
from django.db import connection
from django.db.models import Model, QuerySet
from poietic_core.errors import DomainError

from ..web_api.fields import Strict
from .effects import Effects
from .roles import Role

M = TypeVar("M", bound=Model)


@dataclass(frozen=True)
class Context:
    """Who acts, when, under which change number, and what it does."""

    person: AbstractBaseUser | None
    now: datetime
    change: int
    effects: Effects = field(default_factory=Effects)
    #: change number of each thing locked, as it was found
    found: dict[str, int] = field(default_factory=dict)
    #: postings and things made, for the answer
    postings: list[int] = field(default_factory=list)
    made: dict[str, str] = field(default_factory=dict)
    #: it will be taken back: what is only kept for readers needs no keeping
    is_preview: bool = False
    #: what was changed and saved, for what is kept at the end
    things: list[object] = field(default_factory=list)
    #: items whose stock, demand or supply changed; and those whose holdings are locked
    touched: set[int] = field(default_factory=set)
    locked: set[int] = field(default_factory=set)
    #: told what is being done, and how much of how much of it is
    progress: Callable[[str, int, int], None] = lambda words, done, total: None

    def apart(self) -> "Context":
        """Return a context for a part of the act that may fail without the others."""
        return replace(
            self,
            effects=Effects(),
            found={},
            postings=[],
            made={},
            things=[],
            touched=set(),
            locked=set(),
        )

    def take_in(self, part: "Context") -> None:
        """Take in what a part of the act did."""
        self.effects.absorb(part.effects)
        for thing, change in part.found.items():
            self.found.setdefault(thing, change)
        self.postings.extend(part.postings)
        self.made.update(part.made)
        self.things.extend(part.things)
        self.touched.update(part.touched)
        self.locked.update(part.locked)

    def lock(self, rows: QuerySet[M], kind: str) -> list[M]:
        """Lock rows in one statement, in the order of their keys, and only then read them.

        Whoever waited for a lock reads what the other one left, in the rows and in all that is
        joined with them; a row that no longer answers the question is left out. Rows that
        refer to a locked one do not wait for it.
        """
        keys = self.lock_rows(rows)
        locked = list(rows.filter(pk__in=keys).order_by("pk")) if keys else []
        for row in locked:
            self.note(kind, row)
        return locked

    def note(self, kind: str, row: Any) -> None:
        """Note the change number of a row as it was found, of a kind of thing."""
        self.found.setdefault(f"{kind}:{row}", row.change)

    def lock_rows(self, rows: QuerySet[M]) -> list[Any]:
        """Lock rows in one statement, in the order of their keys, and return these."""
        alone = rows.select_related(None).prefetch_related(None).order_by("pk")
        locking = alone.select_for_update(of=("self",), no_key=True)
        return list(locking.values_list("pk", flat=True))

    def hold(self, rows: QuerySet[M], kind: str) -> list[M]:
        """Keep rows from being changed until the command is committed, and only then read them.

        Others may hold them too: for what is decided on and not changed.
        """
        alone = rows.select_related(None).prefetch_related(None).order_by("pk").values("pk")
        statement, values = alone.query.sql_with_params()
        with connection.cursor() as cursor:
            table = connection.ops.quote_name(rows.model._meta.db_table)
            cursor.execute(f"{statement} FOR SHARE OF {table}", values)
            keys = [row[0] for row in cursor.fetchall()]
        held = list(rows.filter(pk__in=keys).order_by("pk")) if keys else []
        for row in held:
            self.note(kind, row)
        return held

    def guard(self, what: str) -> None:
        """Let one command at a time go on that says the same, until it is committed."""
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(hashtextextended(%s, 1))", [what])

    def lock_one(self, rows: QuerySet[M], kind: str, missing: DomainError) -> M:
        """Lock the one row that there should be, else raise `missing`."""
        locked = self.lock(rows, kind)
        if not locked:
            raise missing
        return locked[0]


@dataclass(frozen=True)
class Command:
    """One way to change the shop."""

    name: str
    title: str
    roles: frozenset[Role]
    given: type[Strict]
    run: Callable[[Context, Any], None]
    #: may be carried out in the background
    is_long: bool = False
    #: whose pages are told that it was carried out
    told: frozenset[Role] = frozenset(Role)


COMMANDS: dict[str, Command] = {}
#: what else has to be kept up to date when a command has run, in its transaction
AT_END: list[Callable[[Command, Context], None]] = []


def command(
    name: str, title: str, *roles: Role, is_long: bool = False, told: Iterable[Role] = Role
) -> Callable[[Callable[[Context, Any], None]], Callable[[Context, Any], None]]:
    """Register a function as a command; its second argument's type is the input."""

    def register(run: Callable[[Context, Any], None]) -> Callable[[Context, Any], None]:
        given = get_type_hints(run)["given"]
        COMMANDS[name] = Command(
            name,
            title,
            frozenset({*roles, Role.ADMINISTRATOR}),
            given,
            run,
            is_long,
            frozenset(told),
        )
        return run

    return register
