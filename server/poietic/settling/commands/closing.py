"""Many orders closed at once under a limit of variance; by hand, or at night by a rule."""

from datetime import timedelta
from decimal import Decimal
from typing import Annotated

from django.utils import timezone
from poietic_core.order.states import OrderState
from pydantic import Field

from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.transaction import Transaction
from ...orders.commands.completion import close
from ...orders.models import Order
from ...orders.open_book import OpenBook
from ...people.models import Person
from ...statements.prepared import lock_keys
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Budget as Amount
from ...web_api.fields import Code, Day, Days, OrderNumber, Strict
from ..models import ClosingRule, FollowUp

#: orders that one act closes
MOST_CLOSED = 500


class CloseOrders(Strict):
    """Orders that are completed; left out, all of them."""

    orders: Annotated[list[OrderNumber], Field(max_length=MOST_CLOSED)] = []
    #: those that vary by more, either way, are left open [EUR]; left out, there is no limit
    most_variance: Amount | None = None
    #: finished no later than this day
    finished_by: Day | None = None


class SetClosingRule(Strict):
    """What the night closes."""

    is_on: bool
    most_variance: Amount
    days: Days


class FollowUpVariance(Strict):
    """Who looks after a variance of an order, and what was found."""

    order: OrderNumber
    #: a cause, such as yield; left out, all of it
    cause: Annotated[str, Field(max_length=30)] = ""
    note: Annotated[str, Field(min_length=1, max_length=400)]
    owner: Code | None = None
    look_again_on: Day | None = None
    is_done: bool = False


@command("close-orders", "Close orders", Role.COST_ACCOUNTANT, Role.CONTROLLER, is_long=True)
def close_orders(context: Context, given: CloseOrders) -> None:
    """Close completed orders whose variance is within a limit; those beyond it are told and left."""
    rows = Order.objects.filter(state=OrderState.COMPLETED)
    if given.orders:
        rows = Order.objects.filter(number__in=given.orders)
    if given.finished_by:
        rows = rows.filter(outcome__finished_on__lte=given.finished_by)
    numbers = dict(rows.order_by("pk").values_list("pk", "number")[:MOST_CLOSED])
    for number in given.orders:
        if number not in numbers.values() and not given.finished_by:
            raise NotFound("order", str(number))
    closed = 0
    for key in lock_keys(Order, "cost_object", sorted(numbers)):
        book = OpenBook.lock(context, numbers[key])
        if not given.orders and book.state is not OrderState.COMPLETED:
            continue  # somebody closed it meanwhile
        closed += _close_within(context, book, given.most_variance)
    if not closed:
        raise InvalidInput(["orders: none of them is within the limit; nothing was closed"])
    context.effects.field("orders", "closed", 0, closed)


def _close_within(context: Context, book: OpenBook, most: Decimal | None) -> bool:
    """Close an order that varies by no more than the limit; of another say by how much it does."""
    varies = book.variance().to_date()
    if most is not None and abs(varies) > most:
        letter = "U" if varies > 0 else "F"
        context.effects.remark(book.thing, f"left open: it varies by {abs(varies):,.2f} {letter}")
        return False
    transaction = Transaction(context)
    close(transaction, book)
    transaction.post()
    book.finish()
    return True


@command("set-closing-rule", "Set what the night closes", Role.COST_ACCOUNTANT, told=COST_READERS)
def set_closing_rule(context: Context, given: SetClosingRule) -> None:
    """Have the night close completed orders within a limit, some days after they were finished."""
    context.guard("closing rule")
    was = ClosingRule.objects.filter(pk=1).first()
    words = (f"{was.most:,.2f} after {was.days} days" if was.is_on else "off") if was else "off"
    said = f"{given.most_variance:,.2f} after {given.days} days" if given.is_on else "off"
    ClosingRule.objects.update_or_create(
        pk=1,
        defaults={
            "is_on": given.is_on,
            "most": given.most_variance,
            "days": given.days,
            "change": context.change,
        },
    )
    context.effects.field("closing at night", "rule", words, said)


def due_by_rule(rule: ClosingRule) -> CloseOrders:
    """Return what the night is to close by a rule."""
    day = timezone.localdate() - timedelta(days=rule.days)
    return CloseOrders(most_variance=rule.most, finished_by=day)


@command(
    "follow-up-variance",
    "Follow up on a variance",
    Role.COST_ACCOUNTANT,
    Role.CONTROLLER,
    told=COST_READERS,
)
def follow_up_variance(context: Context, given: FollowUpVariance) -> None:
    """Note what was found about a variance and who looks after it; it is seen again with its cause."""
    order = Order.objects.filter(number=given.order).first()
    if order is None:
        raise NotFound("order", str(given.order))
    owner = None
    if given.owner is not None:
        owner = Person.objects.filter(name=given.owner).first()
        if owner is None:
            raise NotFound("person", given.owner)
    context.guard(f"follow-up {order.pk}")
    was = FollowUp.objects.filter(order=order, kind=given.cause).first()
    FollowUp.objects.update_or_create(
        order=order,
        kind=given.cause,
        defaults={
            "note": given.note,
            "owner": owner,
            "look_again_on": given.look_again_on,
            "is_done": given.is_done,
            "change": context.change,
        },
    )
    thing = f"order {order.number}{f', {given.cause}' if given.cause else ''}"
    context.effects.field(thing, "note", was.note if was else None, given.note)
    if owner:
        context.effects.field(thing, "owner", str(was.owner or "") if was else None, str(owner))
