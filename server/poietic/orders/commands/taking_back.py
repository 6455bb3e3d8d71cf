"""Taking a posting back by the reversal of the act that made it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

from poietic_core.errors import DomainError
from poietic_core.order.report import check_flow
from poietic_core.order.states import RUNNING, Act, OrderState, require_state

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import mirror
from ...ledger.models import Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import NotFound
from ...web_api.fields import Note, PostingNumber, Strict
from ..actual_output import unsettle_output
from ..models import Order
from ..open_book import OpenBook
from .material import close_document
from .reserving import reserve_again

#: the state that an order leaves when a posting of the kind is taken back, and the one it returns to
STATES = {
    Posting.Kind.CLOSING: (OrderState.CLOSED, OrderState.COMPLETED),
    Posting.Kind.COMPLETION: (OrderState.COMPLETED, OrderState.STARTED),
}

#: kinds that are not mirrored, and what to do in the place of it
INSTEAD = {
    Posting.Kind.REVALUATION: "Put the prices right and freeze the standard again.",
    Posting.Kind.VALUATION: "Have the item valued as it was before.",
    Posting.Kind.SPLIT: "Merge the orders again.",
    Posting.Kind.MERGE: "Split the order again.",
    Posting.Kind.SEND: "Receive the transfer where it came from.",
    Posting.Kind.ARRIVE: "Move it, or send it back as another transfer.",
}


#: kinds that another app takes back, with what it keeps of them: told the posting and why
OTHERWISE: dict[str, Callable[[Context, int, str], None]] = {}


@dataclass(eq=False)
class TakenBack(DomainError):
    """The posting was taken back before."""

    posting: int
    by: int
    code: ClassVar[str] = "posting.taken_back"
    what: ClassVar[str] = "Posting {posting} is taken back already."
    why: ClassVar[str] = "Posting {by} did it."
    fix: ClassVar[str] = "Enter what is right as a new posting."


@dataclass(eq=False)
class NotReversible(DomainError):
    """The kind of posting has no reversal."""

    posting: int
    kind: str
    instead: str
    code: ClassVar[str] = "posting.not_reversible"
    what: ClassVar[str] = "Posting {posting} can't be taken back."
    why: ClassVar[str] = "It is of this kind: {kind}."
    fix: ClassVar[str] = "{instead}"


@dataclass(eq=False)
class SharedOut(DomainError):
    """What was posted before units were taken out into an order of their own."""

    posting: int
    order: int
    other: int
    code: ClassVar[str] = "posting.shared_out"
    what: ClassVar[str] = "Posting {posting} of order {order} can't be taken back."
    why: ClassVar[str] = "A part of it went over to order {other}, which was split from it since."
    fix: ClassVar[str] = "Merge order {other} into {order} first."


class TakeBack(Strict):
    """A posting; all that its act posted to the same order is taken back with it, of a shift its own row."""

    posting: PostingNumber
    reason: Note = ""


@command(
    "take-back",
    "Take back a posting",
    Role.CONTROLLER,
    Role.STOREKEEPER,
    Role.OPERATOR,
    Role.COST_ACCOUNTANT,
)
def take_back(context: Context, given: TakeBack) -> None:
    """Post the mirror of everything that one act posted to an order, last first."""
    stands = Posting.objects.filter(pk=given.posting, reverses=None)
    if (kind := stands.values_list("kind", flat=True).first()) in OTHERWISE:
        OTHERWISE[kind](context, given.posting, given.reason)
        return
    book = lock_act(context, given.posting)
    _, act = postings_of_act(given.posting)
    transaction = Transaction(context)
    mirror_act(transaction, book, act, given.reason)
    if book:
        check_flow(book.progress(), book.order.received)
        if book.state in RUNNING:
            reserve_again(transaction, book)
    transaction.post()
    if book:
        book.finish()


def lock_act(context: Context, posting: int) -> OpenBook | None:
    """Lock the order that a posting belongs to; of one without an order, its act."""
    row = (
        Posting.objects.filter(pk=posting)
        .values_list("cost_object__order__number", "entry_id")
        .first()
    )
    if row is None:
        raise NotFound("posting", str(posting))
    order, entry = row  # what was posted never changes
    if order is not None:
        return OpenBook.lock(context, order)
    context.guard(f"act {entry}")
    return None


def postings_of_act(number: int) -> tuple[Posting, list[Posting]]:
    """Return a posting and all that its act posted to the same order and that still stands, last first.

    Of an act with several reports, a shift, it is what the posting's own row posted. Ask only with the act locked: what was taken back meanwhile is refused.
    """
    rows = Posting.objects.select_related("cost_object", "reversal")
    original = rows.get(pk=number)
    if hasattr(original, "reversal"):
        raise TakenBack(number, original.reversal.pk)
    if original.reverses_id:
        raise NotReversible(number, "reversal", "Enter again what it took back.")
    act = rows.filter(cost_object=original.cost_object_id, reverses=None, reversal=None)
    if original.kind == Posting.Kind.CLOSING:  # with what late cost went on through it since
        return original, list(act.filter(kind=Posting.Kind.CLOSING).order_by("-pk"))
    act = act.filter(entry_id=original.entry_id)
    found = _of_its_row(list(act.order_by("-pk")), number)
    for posting in found:
        if instead := INSTEAD.get(Posting.Kind(posting.kind)):
            raise NotReversible(number, posting.get_kind_display(), instead)
    return original, found


def _of_its_row(act: list[Posting], number: int) -> list[Posting]:
    """Return what one row of a shift posted: its report, which comes first, and what follows from it."""
    reports = [p.pk for p in act if p.kind == Posting.Kind.REPORT]
    if len(reports) < 2:
        return act
    begins = max((pk for pk in reports if pk <= number), default=0)
    ends = min((pk for pk in reports if pk > number), default=act[0].pk + 1)
    return [p for p in act if begins <= p.pk < ends]


def mirror_act(
    transaction: Transaction, book: OpenBook | None, act: list[Posting], reason: str
) -> None:
    """Gather the mirror of each posting of an act, in the order given."""
    if book:
        _require_not_shared_out(book, act)
    for original in act:
        kind = Posting.Kind(original.kind)
        if book:
            _leave_state(book, kind)
        document = transaction.open(
            kind,
            cost_object=book.order.cost_object if book else None,
            operation=original.operation,
            reason=reason,
            reverses=original,
        )
        mirror(document, original)
        if book and kind is Posting.Kind.CLOSING:
            unsettle_output(document, book.order)
        if book:
            close_document(book, document)


def _require_not_shared_out(book: OpenBook, act: list[Posting]) -> None:
    """Refuse to take back what another order has a part of by now: SharedOut (posting.shared_out)."""
    order = book.order
    others = Order.objects.filter(split_from=order.pk).exclude(state=OrderState.CANCELLED)
    other = others.order_by("-pk").values_list("number", flat=True).first()
    if other is None:
        return
    splits = Posting.objects.filter(cost_object=order.pk, kind=Posting.Kind.SPLIT)
    since = splits.order_by("-pk").values_list("pk", flat=True).first() or 0
    if earlier := next((p for p in act if p.pk < since), None):
        raise SharedOut(earlier.pk, order.number, other)


def _leave_state(book: OpenBook, kind: Posting.Kind) -> None:
    if kind not in STATES:  # also on hold: it leads back
        require_state(str(book.order.number), book.state, Act.POST)
        return
    expected, back_to = STATES[kind]
    if kind is Posting.Kind.CLOSING and book.state is back_to:  # one of several
        return
    if book.state is not expected:
        require_state(str(book.order.number), book.state, Act.POST)
    book.set_state(back_to)
