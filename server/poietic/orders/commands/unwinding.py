"""Taking an order back as far as asked, in the right sequence, in one act."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal

from poietic_core.errors import DomainError
from poietic_core.order.report import check_flow
from poietic_core.order.states import Act, OrderState
from pydantic import Field

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Posting
from ...ledger.transaction import Transaction
from ...statements.prepared import lock_keys
from ...web_api.fields import Note, OrderNumber, Strict
from ..models import Order
from ..open_book import OpenBook
from .reserving import release_reserved, reserve_again
from .taking_back import mirror_act

#: orders that are unwound in one act
MOST_AT_ONCE = 100
#: what else brings material back when an order is unwound: gathers its moves
BRING_BACK: list[Callable[[Transaction, OpenBook], None]] = []


@dataclass(eq=False)
class NothingToUnwind(DomainError):
    """An order to which nothing is posted that could be taken back so far."""

    order: int
    to: str
    code: ClassVar[str] = "order.nothing_to_unwind"
    what: ClassVar[str] = "Order {order} can't be taken back to {to}."
    why: ClassVar[str] = "Nothing was posted to it since."
    fix: ClassVar[str] = "Take back its release, or cancel it."


@dataclass(eq=False)
class CameFromAnother(DomainError):
    """An order that can't be taken back to nothing, because units of another are in it."""

    order: int
    other: int
    code: ClassVar[str] = "order.came_from_another"
    what: ClassVar[str] = "Order {order} can't be taken back to nothing."
    why: ClassVar[str] = "What order {other} had made before is in it."
    fix: ClassVar[str] = "Merge it into {other}, or take it back to released."


class Unwind(Strict):
    """Orders to take back, and how far: to before their last report, to their release, or to nothing."""

    orders: Annotated[list[OrderNumber], Field(min_length=1, max_length=MOST_AT_ONCE)]
    to: Literal["before the last report", "released", "nothing"] = "released"
    reason: Note = ""


@command("unwind", "Unwind an order", Role.CONTROLLER)
def unwind(context: Context, given: Unwind) -> None:
    """Take back what was posted to orders, the last first; what stands in the way is named."""
    numbers = sorted(set(given.orders), reverse=True)  # those made for others first
    lock_keys(Order, "number", numbers)
    for number in numbers:
        _unwind(context, OpenBook.lock(context, number), given)


def _unwind(context: Context, book: OpenBook, given: Unwind) -> None:
    book.require(Act.UNWIND)
    order = book.order
    standing = Posting.objects.filter(cost_object=order.pk, reverses=None, reversal=None)
    own = standing.exclude(kind__in=(Posting.Kind.SPLIT, Posting.Kind.MERGE))
    rows = list(own.select_related("cost_object", "entry").order_by("-pk"))
    taken = _as_far_as(rows, given.to)
    is_whole = given.to != "before the last report"
    if not taken and not (is_whole and any(r.place.is_on_the_floor for r in book.all_kept())) and given.to != "nothing":  # fmt: skip
        raise NothingToUnwind(order.number, given.to)
    transaction = Transaction(context)
    mirror_act(transaction, book, taken, given.reason or f"unwound to {given.to}")
    if given.to == "nothing" and any(o.processed for o in book.operations):
        raise CameFromAnother(order.number, came_from(order))
    if is_whole:
        for bring_back in BRING_BACK:
            bring_back(transaction, book)
    if given.to == "nothing":
        release_reserved(transaction, book)
    else:
        reserve_again(transaction, book)
    check_flow(book.progress(), order.received)
    transaction.post()
    if given.to == "nothing":
        book.set_state(OrderState.CANCELLED)
    book.finish()
    words = f"{len(taken)} posting{'s' * (len(taken) != 1)} taken back"
    context.effects.remark(book.thing, words)


def came_from(order: Order) -> int:
    """Return the order whose units are in another: that it was split from, else that was merged into it."""
    if order.split_from:
        return order.split_from.number
    merges = Posting.objects.filter(cost_object=order.pk, kind=Posting.Kind.MERGE).values("entry")
    others = Posting.objects.filter(entry__in=merges).exclude(cost_object=order.pk)
    found = others.order_by("-pk").values_list("cost_object__number", flat=True).first()
    return found or order.number


def _as_far_as(rows: list[Posting], to: str) -> list[Posting]:
    """Return the postings that are taken back, the last first."""
    if to == "nothing":
        return rows
    if to == "released":  # what the release itself issued belongs to it
        return [p for p in rows if p.entry.command not in RELEASES]
    last = max((p.pk for p in rows if p.kind == Posting.Kind.REPORT), default=None)
    return [p for p in rows if p.pk >= last] if last is not None else []


RELEASES = ("release-order", "release-orders", "release-part")
