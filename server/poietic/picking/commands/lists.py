"""Making a pick list for orders, and issuing what was brought to the floor."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, ClassVar

from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.order.states import Act
from poietic_core.quantity import ZERO
from pydantic import Field

from ...catalog.models import Place
from ...catalog.queries import stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Posting
from ...ledger.transaction import Transaction
from ...orders.commands.material import close_document, issue_pieces
from ...orders.models import Order
from ...orders.open_book import OpenBook
from ...statements.prepared import lock_keys
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Note, OrderNumber, Strict
from ..models import PickLine, PickList
from ..needs import Shelves, Wanted, wanted_of


@dataclass(eq=False)
class NothingToPick(DomainError):
    """A pick list on which nothing would stand."""

    orders: str
    why_not: str
    code: ClassVar[str] = "pick.nothing"
    what: ClassVar[str] = "There is nothing to pick for {orders}."
    why: ClassVar[str] = "{why_not}"
    fix: ClassVar[str] = "Receive or free what is missing, or release more of it."


@dataclass(eq=False)
class NothingReady(DomainError):
    """Nothing of an order stands on the floor."""

    order: int
    code: ClassVar[str] = "pick.nothing_ready"
    what: ClassVar[str] = "There is nothing to issue to order {order} from the floor."
    why: ClassVar[str] = "Nothing that was picked for it stands at a floor place."
    fix: ClassVar[str] = "Pick it first, or bring its carrier to the work center."


class ToPick(Strict):
    """An order, all that is released of it or one part."""

    order: OrderNumber
    tranche: Annotated[int, Field(ge=1, le=10_000)] | None = None


class MakePickList(Strict):
    """Orders to pick for on one walk, and where all of it is brought if not to each work center's floor."""

    orders: Annotated[list[ToPick], Field(min_length=1, max_length=50)]
    to_place: Code | None = None


class IssuePicked(Strict):
    """An order to which all that stands ready for it on the floor is issued."""

    order: OrderNumber
    reason: Note = ""


@command("make-pick-list", "Make a pick list", Role.CONTROLLER, Role.STOREKEEPER)
def make_pick_list(context: Context, given: MakePickList) -> None:
    """List what is to be taken where for orders, in walking order; it is kept for them."""
    numbers = sorted({o.order for o in given.orders})
    if len(lock_keys(Order, "number", numbers)) < len(numbers):
        known = set(Order.objects.filter(number__in=numbers).values_list("number", flat=True))
        raise NotFound("order", str(next(n for n in numbers if n not in known)))
    to_place = stock_place(given.to_place) if given.to_place else None
    books = {n: OpenBook.lock(context, n) for n in numbers}
    wanted: list[tuple[OpenBook, Wanted]] = []
    for asked in given.orders:
        book = books[asked.order]
        book.require(Act.POST)
        if asked.tranche and not book.order.tranches.filter(number=asked.tranche).exists():
            raise NotFound(f"part of order {asked.order}", str(asked.tranche))
        wanted += [(book, w) for w in wanted_of(book, asked.tranche)]
    words = ", ".join(str(n) for n in numbers)
    if not wanted:
        raise NothingToPick(words, "All that is released is issued, picked or on a list already.")
    pick_list = PickList(
        made_at=context.now, person_id=context.person.pk if context.person else None, words=words[:200], change=context.change
    )  # fmt: skip
    transaction = Transaction(context)
    lines = add_lines(transaction, pick_list, wanted, to_place)
    if not lines:
        short = ", ".join(sorted({w.item.code for _, w in wanted}))
        raise NothingToPick(words, f"Nothing that could be taken is there of {short}.")
    pick_list.save()
    PickLine.objects.bulk_create(lines)
    transaction.post()
    context.made["pick list"] = str(pick_list.pk)
    context.effects.field("pick list", "lines", None, len(lines))


def add_lines(
    transaction: Transaction,
    pick_list: PickList,
    wanted: Iterable[tuple[OpenBook, Wanted]],
    to_place: Place | None,
) -> list[PickLine]:
    """Return lines that bring what is wanted, keep it for its orders, and say what is short."""
    context, listed = transaction.context, list(wanted)
    day = timezone.localdate(context.now)
    for book, w in listed:
        transaction.concern([w.item.pk], book.order.cost_object)
    shelves = Shelves(transaction, day)
    items = {w.item.pk for _, w in listed}
    shelves.promise(PickLine.objects.filter(item__in=items, state=PickLine.State.OPEN))
    kept = transaction.reservations
    lines = []
    for book, w in listed:
        target = to_place or _floor_of(book, w)
        left = w.quantity
        for place, lot, quantity in shelves.choose(book, w):
            line = PickLine(
                pick_list=pick_list,
                order=book.order,
                input=w.component,
                tranche=w.tranche,
                item=w.item,
                lot=lot,
                place=place,
                target=target,
                quantity=quantity,
            )
            shelves.promise([line])
            owner, operation = book.order.cost_object, w.component.operation
            code = lot.code if lot else ""
            own = [k for k in kept.held if k[:4] == (owner.pk, operation, w.item.pk, place.pk) and k[4] in ("", code)]  # fmt: skip
            there = sum((kept.held[k] for k in own), ZERO)
            if there < quantity:
                kept.reserve(owner, operation, w.item, place, quantity - there, day, code)
            lines.append(line)
            left -= quantity
        if left:
            words = f"{left.normalize():f} {w.item.unit} for order {book.order.number} are not there to pick"
            context.effects.remark(w.item.code, words)
    return lines


def _floor_of(book: OpenBook, w: Wanted) -> Place:
    """Return where a component is brought: the floor place of its operation's work center."""
    operation = book.operation(w.component.operation)
    place = operation.work_center.floor_place
    if place is None:
        center = operation.work_center.code
        raise InvalidInput([f"to_place: {center} has no floor place; give it one, or say where all is brought"])  # fmt: skip
    return place


@command("issue-picked", "Issue what was picked", Role.STOREKEEPER, Role.OPERATOR, Role.CONTROLLER)
def issue_picked(context: Context, given: IssuePicked) -> None:
    """Charge to an order all that stands ready for it on the floor."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    ready = [r for r in book.all_kept() if r.place.is_on_the_floor]
    if not ready:
        raise NothingReady(given.order)
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.ISSUE, cost_object=book.order.cost_object, reason=given.reason
    )
    for r in ready:
        issue_pieces(book, document, r)
    close_document(book, document)
    transaction.post()
    book.finish()
