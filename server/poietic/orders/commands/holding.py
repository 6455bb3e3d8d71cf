"""Orders that stand still for a reason, and those that are kept although nothing happens to them."""

from django.utils import timezone
from poietic_core.order.states import Act, NotOnHold

from ...catalog.models import Reason
from ...catalog.queries import reasons_for
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Day, Note, OrderNumber, Strict
from ..open_book import OpenBook


class HoldOrder(Strict):
    """An order that is to stand still, and why."""

    order: OrderNumber
    why: Code
    note: Note = ""


class ResumeOrder(Strict):
    """An order that goes on, and what has changed."""

    order: OrderNumber
    note: Note = ""


class KeepOrder(Strict):
    """An order that nobody is to ask about before a day, and why."""

    order: OrderNumber
    until: Day
    reason: Note


@command("hold-order", "Put an order on hold", Role.CONTROLLER)
def hold_order(context: Context, given: HoldOrder) -> None:
    """Let nothing be posted to an order until it is resumed; its state stays what it is."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.HOLD)
    why = reasons_for(Reason.Use.HOLD, [given.why])[given.why]
    order = book.order
    order.hold_reason, order.hold_words, order.held_at = why, given.note, context.now
    order.save(update_fields=["hold_reason", "hold_words", "held_at"])
    context.effects.field(book.thing, "on hold", None, why.name)
    book.finish()


@command("resume-order", "Resume an order", Role.CONTROLLER)
def resume_order(context: Context, given: ResumeOrder) -> None:
    """Let an order go on in the state that it has."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.RESUME)
    order = book.order
    if order.hold_reason is None:
        raise NotOnHold(str(order.number))
    context.effects.field(book.thing, "on hold", order.hold_reason.name, None)
    order.hold_reason, order.hold_words, order.held_at = None, "", None
    order.save(update_fields=["hold_reason", "hold_words", "held_at"])
    book.finish()


@command("keep-order", "Keep an order", Role.CONTROLLER)
def keep_order(context: Context, given: KeepOrder) -> None:
    """Say why an order is kept although nothing happens to it; until a day nobody is asked about it."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.HOLD if book.order.hold_reason is None else Act.RESUME)
    if given.until <= timezone.localdate(context.now):
        raise InvalidInput([f"until: {given.until} is no day to come"])
    if not given.reason:
        raise InvalidInput(["reason: say why it is kept"])
    order = book.order
    context.effects.field(book.thing, "kept until", order.keep_until, given.until)
    order.keep_until, order.keep_words = given.until, given.reason
    order.save(update_fields=["keep_until", "keep_words"])
    book.finish()
