"""What follows when an order has lost pieces: material for as many more, or fewer made."""

from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from poietic_core.errors import DomainError
from poietic_core.order.report import beyond_plan, most_without_more
from poietic_core.order.states import Act
from poietic_core.structure.requirement import entering

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.fields import Note
from ..open_book import OpenBook
from .life import OrderGiven
from .rescaling import fit_needs, rescale


@dataclass(eq=False)
class NothingLeft(DomainError):
    """An order of which nothing can be made any more without more material."""

    order: int
    code: ClassVar[str] = "order.nothing_left"
    what: ClassVar[str] = "Order {order} can't be made smaller."
    why: ClassVar[str] = "Of what it has material for, nothing is left that could become good."
    fix: ClassVar[str] = "Replenish it, or unwind it."


class Lost(OrderGiven):
    """An order that lost pieces, and why it is decided so."""

    reason: Note = ""


@command("replenish-order", "Replenish an order", Role.CONTROLLER)
def replenish_order(context: Context, given: Lost) -> None:
    """Have an order need, and keep, what its whole quantity takes after what it lost, no more and no less."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    follow_loss(book, "replenish")
    book.finish()


@command("accept-less", "Make fewer after a loss", Role.CONTROLLER)
def accept_less(context: Context, given: Lost) -> None:
    """Have an order make what its material is still enough for."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    follow_loss(book, "accept less")
    book.finish()


def follow_loss(book: OpenBook, then: str) -> None:
    """Do what is decided about pieces that a locked order lost: nothing, replenish, or make fewer."""
    if then == "leave it":
        return
    order, step = book.order, book.order.item.step
    was = {c.pk: c.need for c in book.components()}
    if then == "accept less":
        planned = {o.number: o.entering for o in book.operations}
        most = most_without_more(book.progress(), order.quantity, planned, step)
        if not most:
            raise NothingLeft(order.number)
        if most < order.quantity:
            book.context.effects.field(book.thing, "quantity", order.quantity, most)
            rescale(book, most)
    enter = entering(book.progress(), order.quantity)
    units: dict[int, Decimal] = {n: e.value for n, e in enter.items()}
    beyond = beyond_plan(book.progress(), order.quantity, units, step)
    for o in book.operations:
        o.replenished = beyond[o.number]
    fit_needs(book)
    for c in book.components():
        if c.item:
            field = f"need of {c.item.code} [{c.unit}]"
            book.context.effects.field(book.thing, field, was.get(c.pk), c.need)
