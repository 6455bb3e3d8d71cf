"""A structure of a line's own: drafted from the standard, approved for this line only, given up."""

from dataclasses import dataclass
from typing import ClassVar

from django.utils import timezone
from poietic_core.errors import DomainError

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.compare import compared
from ...engineering.commands.revisions import copy_revision, refuse_faulty
from ...engineering.commands.structures import guard_graph, next_own_letter
from ...engineering.models import Revision
from ...engineering.queries import in_force, with_rows
from ...web_api.errors import InvalidInput, NotFound
from ..made import orders_for
from ..margins import what_is_left
from ..models import CustomerLine, CustomerOrder
from .ordering import (
    CustomerOrderGiven,
    LineNumber,
    line_of,
    lock_order,
    require_not_ended,
    touch,
)


class LineGiven(CustomerOrderGiven):
    """A line of a customer's order."""

    line: LineNumber


@dataclass(eq=False)
class MadeAlready(DomainError):
    """Orders make the line: what they are made by does not change with it."""

    order: int
    line: int
    orders: str
    code: ClassVar[str] = "customer_order.made_already"
    what: ClassVar[str] = "The structure of line {line} of customer order {order} can't change."
    why: ClassVar[str] = "These orders make it: {orders}."
    fix: ClassVar[str] = "Change them for this order only, or cancel them first."


@command("draft-line-structure", "Give a customer's line a structure of its own", Role.ENGINEER, Role.CONTROLLER)  # fmt: skip
def draft_line_structure(context: Context, given: LineGiven) -> None:
    """Copy the standard in force for one line, to be changed; what was approved is a draft again."""
    order, line = _changeable(context, given)
    if not line.item.is_made:
        raise InvalidInput([f"line: {line.item.code} is bought and has no structure"])
    thing = _thing(order, line)
    if line.structure is None:
        day = timezone.localdate(context.now)
        source = context.lock_one(  # whoever else copies it now waits, and gets the next letter
            with_rows(in_force(day).filter(item=line.item)),
            "structure",
            NotFound("structure in force of", line.item.code),
        )
        own = copy_revision(
            context,
            source,
            letter=next_own_letter(line.item),
            state=Revision.State.OWN_DRAFT,
            note=f"{thing}, from {source.letter}",
        )
        context.effects.field(thing, "structure", source.letter, f"{own.letter}, {own.state}")
        line.structure = own
    else:
        _set_state(context, line.structure, Revision.State.OWN_DRAFT)
    _keep(context, order, line)


@command("approve-line-structure", "Approve the structure of a customer's line", Role.ENGINEER, Role.CONTROLLER)  # fmt: skip
def approve_line_structure(context: Context, given: LineGiven) -> None:
    """Have orders for one line be made by its own structure, and keep what that costs against the standard."""
    order, line = _changeable(context, given)
    own, day = _own(line, order), timezone.localdate(context.now)
    guard_graph(context)
    read = with_rows(Revision.objects.filter(pk=own.pk)).get()
    refuse_faulty(read, day)
    _set_state(context, own, Revision.State.OWN)
    standard = in_force(day).filter(item=line.item).first()
    costs = compared(standard or read, read)
    line.own_cost = costs.new_total
    thing = _thing(order, line)
    context.effects.field(thing, "cost of one", costs.old_total, costs.new_total)
    for code in costs.without_cost:
        context.effects.remark(code, "has no cost; the line's does not hold it")
    amount, share = what_is_left(line.price, line.own_cost, line.quantity)
    if amount is not None:
        context.effects.remark(thing, f"leaves {amount:,.2f} EUR of its price" + (f", {share:.1%}" if share is not None else ""))  # fmt: skip
    _keep(context, order, line)


@command("give-up-line-structure", "Make a customer's line to the standard again", Role.ENGINEER, Role.CONTROLLER)  # fmt: skip
def give_up_line_structure(context: Context, given: LineGiven) -> None:
    """Make a line to the standard again; its own structure stays to be read."""
    order, line = _changeable(context, given)
    _set_state(context, _own(line, order), Revision.State.RETIRED)
    line.structure = None
    _keep(context, order, line)


def _changeable(context: Context, given: LineGiven) -> tuple[CustomerOrder, CustomerLine]:
    """Return a line that no order makes yet, locked with its order and its structure."""
    order = lock_order(context, given.customer_order)
    require_not_ended(order, "changed")
    line = line_of(order, given.line)
    if made := orders_for(order).get(line.number):
        raise MadeAlready(order.number, line.number, ", ".join(map(str, made)))
    if line.structure:
        own = Revision.objects.select_related("item").filter(pk=line.structure.pk)
        line.structure = context.lock(own, "structure")[0]
    return order, line


def _own(line: CustomerLine, order: CustomerOrder) -> Revision:
    if line.structure is None:
        raise NotFound("structure of its own of", _thing(order, line))
    return line.structure


def _thing(order: CustomerOrder, line: CustomerLine) -> str:
    return f"line {line.number} of customer order {order.number}"


def _set_state(context: Context, own: Revision, state: str) -> None:
    context.effects.field(str(own), "state", own.state, str(state))
    own.state = state
    own.change = context.change
    if state == Revision.State.OWN:
        own.approved_at = context.now
        own.approved_by_id = context.person.pk if context.person else None
    own.save(update_fields=["state", "change", "approved_at", "approved_by"])


def _keep(context: Context, order: CustomerOrder, line: CustomerLine) -> None:
    """Keep a line's structure; what it costs is known of one that is approved."""
    if line.structure is None or line.structure.state != Revision.State.OWN:
        line.own_cost = None
    line.save(update_fields=["structure", "own_cost"])
    if line.structure:
        context.made["structure"] = line.structure.letter
    touch(context, order)
