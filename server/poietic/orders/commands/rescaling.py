"""Another quantity of an order that runs: what it needs, what is kept for it, what its operations work on."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from poietic_core.errors import DomainError
from poietic_core.order.tranche import Part, released_for
from poietic_core.quantity import UNIT_COST_STEP, ZERO, round_to
from poietic_core.structure.requirement import entering

from ...ledger.transaction import Transaction
from ...statements.bulk import update_rows
from ..models import OrderInput, OrderOperation, Tranche, TrancheLine
from ..needs import need_of, with_replenished
from ..open_book import OpenBook
from .reserving import reserve_needs


@dataclass(eq=False)
class LessThanDone(DomainError):
    """An order would make less than it has made, or than its material was released for."""

    order: int
    wanted: Decimal
    done: Decimal
    unit: str
    what_was_done: str
    code: ClassVar[str] = "order.less_than_done"
    what: ClassVar[str] = "Order {order} can't be made {wanted} {unit}."
    why: ClassVar[str] = "{done} {unit} are {what_was_done} already."
    fix: ClassVar[str] = "Make it {done} {unit} or more, or take back what goes beyond it first."


def rescale(book: OpenBook, quantity: Decimal) -> None:
    """Have a running order make another quantity; what is reserved follows its needs.

    Raises LessThanDone where more is received, or released in parts, already.
    """
    require_no_less_than_done(book, quantity)
    book.order.quantity = quantity
    fit_needs(book)


def require_no_less_than_done(book: OpenBook, quantity: Decimal) -> None:
    """Refuse a quantity below what is received, or released in parts, already: LessThanDone."""
    order, unit = book.order, book.order.item.unit
    if quantity < order.received:
        raise LessThanDone(order.number, quantity, order.received, unit, "received")
    parts = [Part(first=t.first, last=t.last, quantity=t.quantity) for t in order.tranches.all()]
    released = max((released_for(parts, o.number) for o in book.operations), default=ZERO)
    if quantity < released:
        raise LessThanDone(order.number, quantity, released, unit, "released in parts")


def needs_now(book: OpenBook) -> dict[int, Decimal]:
    """Return what the whole order needs of each input by its quantity and structure, by key."""
    enter = with_replenished(book.operations, entering(book.progress(), book.order.quantity))
    yields = {o.number: o.yield_share for o in book.operations}
    for o in book.operations:
        o.entering = round_to(enter[o.number].value, UNIT_COST_STEP)
    follows = (i for i in book.inputs if not i.stands_for and not i.is_rework)
    return {i.pk: need_of(i, enter, yields).value for i in follows}


def fit_needs(book: OpenBook, exactly: Mapping[int, Decimal] | None = None) -> None:
    """Have the needs of a running order follow its quantity and its structure, and what is kept its needs.

    What is picked to be used in a component's place stays kept.

    Parameters
    ----------
    exactly : needs that are known better, by key of the input
    """
    order = book.order
    needs = needs_now(book) | dict(exactly or {})
    for i in book.inputs:
        i.need = needs.get(i.pk, i.need)
    entered = [(o.pk, o.entering, o.replenished) for o in book.operations]
    update_rows(OrderOperation, ("id", "entering", "replenished"), entered)
    update_rows(OrderInput, ("id", "need"), [(i.pk, i.need) for i in book.inputs])
    transaction = Transaction(book.context)
    owner = order.cost_object
    if order.is_in_parts:
        _release_no_more(book)
    most = released_still(book) if order.is_in_parts else {}
    wanted = {
        (c.operation, c.item_id or 0): min(c.still_needed, most.get(c.pk, c.still_needed))
        for c in book.components()
    }
    instead = {(c.operation, c.item_id or 0) for c in book.components() if c.stands_for}

    def let_go_of_the_rest() -> None:
        kept = transaction.reservations.kept_for(owner)
        as_it_is = {at: kept[at] for at in instead if at in kept}
        transaction.reservations.keep_at_most(owner, wanted | as_it_is)

    transaction.at_last(let_go_of_the_rest)
    transaction.concern((item for _, item in wanted if item), owner)
    if not order.is_in_parts:
        reserve_needs(transaction, book)
    transaction.post()


def _release_no_more(book: OpenBook) -> None:
    """Have the parts of an order bring no more of a component than it needs by now: the last ones less."""
    left = {i.pk: i.need for i in book.inputs}
    lines = TrancheLine.objects.filter(tranche__order=book.order.pk)
    for line in lines.order_by("tranche__number", "pk"):
        keeps = min(line.quantity, left.get(line.input_id, ZERO))
        left[line.input_id] = left.get(line.input_id, ZERO) - keeps
        if keeps < line.quantity:
            lower(line, keeps)


def lower(row: Tranche | TrancheLine, quantity: Decimal) -> None:
    """Have a part, or a line of it, be of less; of nothing, it is none any more."""
    if quantity > 0:
        row.quantity = quantity
        row.save(update_fields=["quantity"])
    else:
        row.delete()


def released_still(book: OpenBook) -> dict[int, Decimal]:
    """Return what parts released of each component and is not used yet, by key of the input."""
    released: dict[int, Decimal] = {}
    for line in TrancheLine.objects.filter(tranche__order=book.order.pk):
        released[line.input_id] = released.get(line.input_id, ZERO) + line.quantity
    return {c.pk: max(ZERO, released.get(c.pk, ZERO) - c.covered) for c in book.components()}
