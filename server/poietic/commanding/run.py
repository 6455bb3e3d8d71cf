"""Carrying out a command: once, whole, by somebody who may, or only as a preview."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from django.contrib.auth.models import AbstractBaseUser
from django.db import connection, transaction
from django.db.utils import DataError, IntegrityError, OperationalError
from psycopg.errors import (
    DeadlockDetected,
    ExclusionViolation,
    ForeignKeyViolation,
    LockNotAvailable,
    UniqueViolation,
)

from ..statements.bulk import insert_rows
from ..statements.prepared import Prepared
from ..web_api.errors import beyond_column
from ..web_api.events import publish
from ..web_api.fields import Answer, Strict
from .effects import Consequences
from .errors import AgainstRule, ChangedSince, KeyUsed, RoleNeeded
from .holding import say_who, turn, who_holds
from .models import Entry
from .registry import AT_END, Command, Context

#: what is being done, and how much of how much of it is
Progress = Callable[[str, int, int], None]
#: how long a preview, a command, and one in the background wait for what others hold
PREVIEW_WAITS, POSTING_WAITS, JOB_WAITS = "1s", "6s", "30s"
#: how often a command is tried whose locks crossed another's
TRIES = 5
#: what the database says where two did at once what only one can
LOST_RACES = (UniqueViolation, ExclusionViolation, ForeignKeyViolation)

ENTRIES = Prepared(lambda key: Entry.objects.filter(key=key))


class Seen(Answer):
    """What a person had seen: change numbers, and the consequences of the preview."""

    changes: dict[str, int] = {}
    digest: str = ""


class Outcome(Answer):
    """What a command would do, or did."""

    command: str
    title: str
    is_preview: bool
    change: int
    postings: list[int]
    made: dict[str, str]
    seen: Seen
    consequences: Consequences


class _TakenBack(Exception):
    """Ends a preview's transaction."""


def preview(command: Command, given: Strict, *, person: AbstractBaseUser, now: datetime) -> Outcome:
    """Run a command in a transaction, take the transaction back, and return what it did."""
    require_role(command, person)

    def attempt() -> Outcome:
        outcome: Outcome | None = None
        try:
            with transaction.atomic():
                change = say_who(command.title, person, PREVIEW_WAITS)
                outcome = _run(command, given, change, person=person, now=now, is_preview=True)
                with connection.cursor() as cursor:  # deferred constraints don't fire on a rollback
                    cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
                raise _TakenBack
        except _TakenBack:
            assert outcome is not None
            return outcome

    with turn():
        return _tried_again(attempt)


def post(
    command: Command,
    given: Strict,
    *,
    key: str,
    person: AbstractBaseUser | None,
    now: datetime,
    seen: Seen | None = None,
    progress: Progress | None = None,
) -> Outcome:
    """Carry out a command once; the same key again gives the same answer and does nothing.

    A person of None is the shop setting itself up (first person, demo). `progress` is told
    how far a long command has come.
    """
    if person is not None:
        require_role(command, person)
    fingerprint = _fingerprint(command, given, person)

    def attempt() -> Outcome:
        with transaction.atomic():
            waits = JOB_WAITS if progress else POSTING_WAITS
            change = say_who(command.title, person, waits, key)
            for before in ENTRIES.of(key):
                if before.fingerprint != fingerprint:
                    raise KeyUsed(key)
                return Outcome.model_validate(before.answer)
            if person is not None:  # roles may have been taken away meanwhile
                person.refresh_from_db(fields=["roles", "is_active"])
                require_role(command, person)
            return _run(
                command,
                given,
                change,
                person=person,
                now=now,
                is_preview=False,
                seen=seen,
                key=key,
                fingerprint=fingerprint,
                progress=progress,
            )

    with turn():
        return _tried_again(attempt)


def own_key(kind: str, name: object) -> str:
    """Return a key that the system chooses: no caller can name one of its form."""
    return f"({kind}) {name}"


def _tried_again(attempt: Callable[[], Outcome]) -> Outcome:
    """Carry out a command; whoever lost a race is let run again, to find what the other one left.

    Then the command's own rules speak. Only what is refused again is told as the database's refusal.
    """
    tries = 0
    while True:
        tries += 1
        try:
            return attempt()
        except OperationalError as err:
            if isinstance(err.__cause__, LockNotAvailable) or (
                isinstance(err.__cause__, DeadlockDetected) and tries == TRIES
            ):
                raise who_holds(err) from err
            if not isinstance(err.__cause__, DeadlockDetected):
                raise
        except DataError as err:
            raise beyond_column(err) from err
        except IntegrityError as err:
            if tries > 1 or not isinstance(err.__cause__, LOST_RACES):
                raise _against_rule(err) from err


def _against_rule(err: IntegrityError) -> AgainstRule:
    said = getattr(err.__cause__, "diag", None)
    rule = said and (said.constraint_name or said.message_primary)
    return AgainstRule(str(rule or "unknown"), str((said and said.message_detail) or ""))


def _run(
    command: Command,
    given: Strict,
    change: int,
    *,
    person: AbstractBaseUser | None,
    now: datetime,
    is_preview: bool,
    seen: Seen | None = None,
    key: str = "",
    fingerprint: str = "",
    progress: Progress | None = None,
) -> Outcome:
    context = Context(person=person, now=now, change=change, is_preview=is_preview)
    if progress:
        context = replace(context, progress=progress)
    command.run(context, given)
    for keep in () if is_preview else AT_END:
        keep(command, context)
    consequences = context.effects.consequences()
    outcome = Outcome(
        command=command.name,
        title=command.title,
        is_preview=is_preview,
        change=change,
        postings=context.postings,
        made=context.made,
        seen=Seen(changes=context.found, digest=consequences.digest(context.made.values())),
        consequences=consequences,
    )
    if seen:
        _require_as_seen(seen, outcome)
    insert_rows(
        Entry,
        ("id", "key", "fingerprint", "command", "title", "person", "entered_at", "given", "answer"),
        [
            (
                change,
                key or own_key("preview", change),
                fingerprint,
                command.name,
                command.title,
                person.pk if person else None,
                now,
                given.model_dump_json(),  # secrets are masked by their type
                outcome.model_dump_json(),
            )
        ],
    )
    publish(
        change=change,
        title=command.title,
        person=str(person or ""),
        readers=command.told,
        things=[*context.found, *(f"{kind}:{code}" for kind, code in context.made.items())],
    )
    return outcome


def require_role(command: Command, person: AbstractBaseUser) -> None:
    """Refuse a person who holds no role that may carry out the command."""
    if not command.roles & set(getattr(person, "roles", [])):
        raise RoleNeeded(str(person), command.title.lower(), sorted(command.roles))


def _fingerprint(command: Command, given: Strict, person: AbstractBaseUser | None) -> str:
    content = [command.name, person.pk if person else None, given.model_dump(mode="json")]
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()


def _require_as_seen(seen: Seen, outcome: Outcome) -> None:
    """Refuse if what was seen changed and the act would now do something else."""
    if seen.digest and seen.digest == outcome.seen.digest:
        return
    moved = {
        thing: outcome.seen.changes[thing]
        for thing, number in seen.changes.items()
        if outcome.seen.changes.get(thing, number) != number
    }
    if not moved and not seen.digest:
        return
    entries = Entry.objects.select_related("person").in_bulk(set(moved.values()))
    told = [
        f"{thing.replace(':', ' ')}: {entry.title.lower()} by {entry.person or 'the system'} at {entry.entered_at:%H:%M:%S} UTC"
        for thing, number in moved.items()
        if (entry := entries.get(number))
    ]
    raise ChangedSince(told or ["The consequences are no longer those shown"], outcome.consequences)
