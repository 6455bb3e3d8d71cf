"""What a customer ordered, made for him: the orders of all levels and what is to be bought, in one act."""

from decimal import Decimal
from typing import Annotated

from django.utils import timezone
from poietic_core.quantity import ZERO
from pydantic import Field

from ...buying.commands.drafting import MissingWanted, buy
from ...buying.prices import first_suppliers
from ...catalog.models import Item
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.models import Revision
from ...orders.commands.carrying_down import lot_of
from ...orders.commands.trees import Grown, PlanTree, grow_tree, lacks_of
from ...selling.commands.ordering import (
    CustomerOrderGiven,
    LineNumber,
    accept_offer,
    lock_order,
    require_not_ended,
)
from ...selling.made import orders_for
from ...selling.models import CustomerLine, CustomerOrder, CustomerOrderState
from ...web_api.errors import InvalidInput, NotFound

#: that trees of orders are made for at once
MOST_LINES = 100


class MakeToOrder(CustomerOrderGiven):
    """Lines of a customer's order that orders are made for; none named: all that are open and made."""

    lines: Annotated[list[LineNumber], Field(max_length=MOST_LINES)] = []
    #: what is missing of bought components is drafted to its first suppliers
    buys: bool = True


@command("make-to-order", "Make what a customer ordered", Role.CONTROLLER)
def make_to_order(context: Context, given: MakeToOrder) -> None:
    """Accept a customer's order where it is an offer, plan the orders of all levels for its lines, and draft what is missing to suppliers."""
    order = lock_order(context, given.customer_order)
    if order.state == CustomerOrderState.OFFER:
        accept_offer(context, CustomerOrderGiven(customer_order=order.number))
    require_not_ended(order, "made for")
    trees: list[Grown] = []
    for line in _lines(order, given.lines):
        tree = PlanTree(
            item=line.item.code,
            quantity=line.count_open(CustomerOrderState.ACCEPTED),
            due=line.due,
            customer=order.customer.code,
            customer_order=str(order.number),
            customer_line=str(line.number),
            wanted_on=line.wanted_on,
        )
        trees.append(grow_tree(context, tree, trees[-1] if trees else None, line.structure))
    context.made["orders"] = ",".join(str(b.order.number) for t in trees for b in t.books)
    if given.buys and (missing := _missing(context, trees)):
        context.made["purchases"] = ",".join(sorted(set(buy(context, missing).values())))


def _lines(order: CustomerOrder, named: list[int]) -> list[CustomerLine]:
    """Return the lines that are made now, or refuse: what is bought, what has left, what is made already."""
    lines = list(order.lines.select_related("item", "structure").order_by("number"))
    if unknown := set(named) - {n.number for n in lines}:
        raise NotFound("line", f"{min(unknown)} of customer order {order.number}")
    made = orders_for(order)
    faults, found = [], []
    for n in lines:
        if named and n.number not in named:
            continue
        if not n.item.is_made:
            faults.append(f"lines: {n.item.code} of line {n.number} is bought")
        elif n.number in made:
            by = ", ".join(map(str, made[n.number]))
            faults.append(f"lines: line {n.number} is made by {by} already")
        elif n.count_open(CustomerOrderState.ACCEPTED) <= 0:
            faults.append(f"lines: line {n.number} has left")
        elif n.structure and n.structure.state == Revision.State.OWN_DRAFT:
            faults.append(
                f"lines: structure {n.structure.letter} of line {n.number} is a draft; approve it, or give it up"
            )
        else:
            found.append(n)
    if (named and faults) or not found:
        raise InvalidInput(faults)
    if len(found) > MOST_LINES:
        raise InvalidInput([f"lines: {len(found)} are to be made, and at most {MOST_LINES} at once; name those that are"])  # fmt: skip
    return found


def _missing(context: Context, trees: list[Grown]) -> list[MissingWanted]:
    """Return what is to be bought for all trees together, of what somebody is known to sell."""
    today = timezone.localdate(context.now)
    needs: dict[int, Decimal] = {}
    for tree in trees:
        for key, need in tree.needs.items():
            needs[key] = needs.get(key, ZERO) + need
    first = min(tree.begins(today) for tree in trees)
    bought = set(Item.objects.filter(pk__in=needs, source=Item.Source.BUY).values_list("pk", flat=True))  # fmt: skip
    lacks = lacks_of({key: need for key, need in needs.items() if key in bought}, first, today)
    sellers = first_suppliers(item.pk for item, _ in lacks)
    found = []
    for item, lack in lacks:
        if item.pk in sellers:
            found.append(MissingWanted(item=item.code, quantity=lot_of(item, lack.short), comes_on=max(first, today)))  # fmt: skip
        else:
            context.effects.remark(item.code, "is not drafted: nobody is known to sell it")
    return found
