"""Everything that happened to an order, from the first plan on: postings, changes, holds, notes, who and when."""

import json
from datetime import datetime
from typing import Any, NamedTuple

from django.db import connection
from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from ..catalog.models import WrittenNote
from ..commanding.api import Problem
from ..commanding.reading import costs_are_hidden
from ..statements.bulk import upsert_rows
from ..web_api.errors import NotFound
from ..web_api.fields import MOST_ROWS, Answer, Skip, Strict
from .models import Order, OrderSeen

router = Router(tags=["orders"])

#: what was done to an order, the newest first: with what it posted, and what of it was taken back
TIMELINE = """
SELECT e.id, e.command, e.title, coalesce(p.full_name, ''), e.entered_at, e.answer #>> '{consequences,fields}',
       e.given ->> 'reason', coalesce(e.given ->> 'note', ''),
       (SELECT json_agg(json_build_object('number', n.id, 'kind', n.kind, 'operation', n.operation,
                 'happened_at', n.happened_at, 'reverses', n.reverses_id, 'taken_back_by', r.id) ORDER BY n.id)::text
        FROM ledger_posting n LEFT JOIN ledger_posting r ON r.reverses_id = n.id
        WHERE n.entry_id = e.id AND n.cost_object_id = %(order)s)
FROM (SELECT entry_id FROM ledger_posting WHERE cost_object_id = %(order)s
      UNION SELECT entry_id FROM orders_orderevent WHERE order_id = %(order)s) x
JOIN commanding_entry e ON e.id = x.entry_id
LEFT JOIN people_person p ON p.id = e.person_id
ORDER BY e.id DESC LIMIT %(limit)s OFFSET %(skip)s
"""
#: fields that only repeat what a posting's own page tells in full
UNTOLD = ("value",)


class Happened(NamedTuple):
    """A row of it."""

    entry: int
    command: str
    title: str
    person: str
    entered_at: datetime
    fields: str | None
    reason: str | None
    note: str
    postings: str | None


class TimelinePosting(Answer):
    """What an act posted to the order."""

    number: int
    kind: str
    operation: int | None
    happened_at: datetime
    reverses: int | None
    taken_back_by: int | None


class TimelineRow(Answer):
    """One act, or a note."""

    #: 0 for a note
    entry: int
    title: str
    person: str
    entered_at: datetime
    #: what became otherwise of the order
    changes: list[str]
    #: why, and what was said with it
    words: str
    postings: list[TimelinePosting]
    #: it happened since this person last looked
    is_new: bool


class Timeline(Answer):
    """What happened to an order, the newest first."""

    rows: list[TimelineRow]
    #: the newest entry: what is said to have been seen
    last: int
    has_more: bool


class SeenUpTo(Strict):
    """The newest entry that a person has looked at."""

    entry: int = Field(ge=0, le=2**62)


@router.get("/orders/{number}/timeline", response={200: Timeline, 404: Problem})
def timeline(request: HttpRequest, number: int, skip: Skip = 0) -> Timeline:
    """Return what happened to an order, the newest first; 200 acts at once."""
    order = _order(number)
    with connection.cursor() as cursor:
        cursor.execute(TIMELINE, {"order": order, "limit": MOST_ROWS + 1, "skip": skip})
        rows = [Happened(*r) for r in cursor.fetchall()]
    seen = OrderSeen.objects.filter(order=order, person=request.user.pk).values_list("entry", flat=True).first()  # fmt: skip
    told = [_row(r, number, seen) for r in rows[:MOST_ROWS]]
    if not skip:
        notes = WrittenNote.objects.filter(kind="order", code=str(number)).select_related("person")
        told += [_note(n) for n in notes[:MOST_ROWS]]
        told.sort(key=lambda r: r.entered_at, reverse=True)
    return Timeline(
        rows=told,
        last=max((r.entry for r in rows), default=0),
        has_more=len(rows) > MOST_ROWS,
    )


@router.post("/orders/{number}/seen", response={200: SeenUpTo, 404: Problem})
def see(request: HttpRequest, number: int, body: SeenUpTo) -> SeenUpTo:
    """Note up to where a person has looked at what happened to an order."""
    upsert_rows(OrderSeen, ("order", "person"), ("entry",), [(_order(number), request.user.pk, body.entry)])  # fmt: skip
    return body


def _order(number: int) -> int:
    key = Order.objects.filter(number=min(number, 2**31 - 1)).values_list("pk", flat=True).first()
    if key is None:
        raise NotFound("order", str(number))
    return int(key)


def _row(r: Happened, number: int, seen: int | None) -> TimelineRow:
    own = [f for f in _read(r.fields) if f["thing"] in (f"order {number}", "new order")]
    changes = [f"{f['field']}: {_said(f['before'])} → {_said(f['after'])}" for f in own]
    return TimelineRow(
        entry=r.entry,
        title=r.title,
        person=r.person,
        entered_at=r.entered_at,
        changes=[c for c in changes if not (costs_are_hidden() and c.startswith(UNTOLD))],
        words=r.reason or r.note,
        postings=[TimelinePosting(**p) for p in _read(r.postings)],
        is_new=seen is not None and r.entry > seen,
    )


def _note(n: WrittenNote) -> TimelineRow:
    return TimelineRow(
        entry=0,
        title="Note",
        person=str(n.person or ""),
        entered_at=n.written_at,
        changes=[],
        words=n.text,
        postings=[],
        is_new=False,
    )


def _read(text: str | None) -> list[dict[str, Any]]:
    """Return what the database tells as JSON."""
    return json.loads(text) if text else []


def _said(value: object) -> str:
    return "–" if value in (None, "") else str(value)
