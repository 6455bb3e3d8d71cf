"""Orders over several levels: a made component from stock, by an order of its own, or within its parent's."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Annotated, ClassVar, Literal

from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.planning.model import Demand, Source
from poietic_core.planning.promise import Lack, share
from poietic_core.quantity import ZERO
from poietic_core.structure.model import Structure
from pydantic import Field

from ...catalog.models import Item
from ...catalog.queries import any_of, items_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.models import Revision
from ...engineering.queries import in_force, inlined, revision_for, revision_in_force
from ...ledger.reserving import free_stock
from ...stores.future import supplies_of
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Day, Quantity, Strict
from ..dates import Dating, OrderDates
from ..open_book import OpenBook
from ..planned import NOTHING, outlooks
from ..standing import words_of_day
from .carrying_down import codes_of, lines_of, lot_of, needed_on
from .loading import say_load
from .planning import PlanOrder, Wanted, plan

#: orders of one tree
MOST_ORDERS = 200
How = Literal["from stock", "order of its own", "within the order"]


@dataclass(eq=False)
class TreeTooLarge(DomainError):
    """A tree of more orders than one act makes."""

    item: str
    most: int
    code: ClassVar[str] = "order.tree_too_large"
    what: ClassVar[str] = "The orders of {item} are not planned."
    why: ClassVar[str] = "They would be more than {most}."
    fix: ClassVar[str] = (
        "Take some components from stock, or make them within their parents' orders."
    )


class ComponentMade(Strict):
    """How a made component is supplied, wherever it stands in the tree."""

    item: Code
    how: How


class PlanTree(Wanted):
    """An item to make with its made components; the places are those of all its orders."""

    item: Code
    quantity: Quantity
    due: Day
    supply_place: Code | None = None
    receipt_place: Code | None = None
    components: Annotated[list[ComponentMade], Field(max_length=500)] = []
    #: of components that are not named: an order of its own where stock is not enough, or always one of these
    others: How | Literal["as needed"] = "as needed"


@command("plan-tree", "Plan an order with its components", Role.CONTROLLER)
def plan_tree(context: Context, given: PlanTree) -> None:
    """Plan an order and, level by level, those of its made components, each due when it is needed."""
    known = items_by_code(c.item for c in given.components)
    if bought := next((i.code for i in known.values() if not i.is_made), None):
        raise InvalidInput([f"components: {bought} is bought; nothing is to be decided of it"])
    grown = grow_tree(context, given)
    context.made["order"] = str(grown.books[0].order.number)
    context.made["orders"] = ",".join(str(b.order.number) for b in grown.books)


def grow_tree(
    context: Context,
    given: PlanTree,
    beside: "Grown | None" = None,
    own: Revision | None = None,
) -> "Grown":
    """Plan an order with its components, beside a tree that has taken of stock already; say what that comes to.

    With `own` its first order is made by that structure.
    """
    grown = Grown(context, given)
    if beside:
        grown.free, grown.makeable = beside.free, beside.makeable
    first = plan(context, PlanOrder(**given.model_dump(exclude={"components", "others"})))
    first.order.revision = own
    grown.grow(first)
    context.effects.field("new orders", "number", None, len(grown.books))
    _foresee(context, grown)
    return grown


@dataclass
class Grown:
    """A tree of orders in the making."""

    context: Context
    given: PlanTree
    books: list[OpenBook] = field(default_factory=list)
    structures: dict[int, Structure] = field(default_factory=dict)
    dates: dict[int, OrderDates] = field(default_factory=dict)
    #: what is needed of items that no order of the tree makes
    needs: dict[int, Decimal] = field(default_factory=dict)
    #: of made components: what is free and not taken by the tree yet, and which an order can make
    free: dict[int, Decimal] = field(default_factory=dict)
    makeable: set[int] = field(default_factory=set)

    def grow(self, book: OpenBook) -> None:
        """Add an order, and the orders of its made components."""
        if len(self.books) >= MOST_ORDERS:
            raise TreeTooLarge(self.given.item, MOST_ORDERS)
        self.books.append(book)
        order = book.order
        order.made_within = sorted(self._within(book))
        order.save(update_fields=["made_within", "revision"])
        dating = Dating([book], self.context.now)
        structure = dating.structures.get(order.pk)
        dates = dating.of(book)
        if dates:
            self.dates[order.pk] = dates
        if structure is None:
            return
        self.structures[order.pk] = structure
        items = items_by_code(codes_of(structure))
        unknown = [i.pk for i in items.values() if i.is_made and i.pk not in self.free]
        if unknown:
            day = timezone.localdate(self.context.now)
            found = free_stock(unknown, day)
            self.free |= {key: found.get(key, ZERO) for key in unknown}
            made = in_force(day).filter(item__in=any_of(unknown))
            self.makeable |= set(made.values_list("item", flat=True))
        for line, need in lines_of(structure, order.quantity, items):
            item = items[line.item]
            if item.is_made and self._how(item, need) == "order of its own":
                child = self._child(book, line.operation, item, need, needed_on(book, dates, line.operation))  # fmt: skip
                self.grow(child)
            else:
                self.needs[item.pk] = self.needs.get(item.pk, ZERO) + need

    def begins(self, today: date) -> date:
        """Return the day on which the first order of the tree begins, today where no dates are known."""
        starts = (timezone.localtime(d.starts).date() for d in self.dates.values())
        return min(starts, default=today)

    def _within(self, book: OpenBook) -> set[str]:
        """Return the components of an order, over all levels, that are to be made within it."""
        wanted = {c.item for c in self.given.components if c.how == "within the order"}
        found: set[str] = set()
        day = timezone.localdate(self.context.now)
        revision = revision_for(book.order.revision, book.order.item, day)
        while wanted and revision:
            codes = codes_of(inlined(revision, day, found).structure)
            more = {c for c in codes & wanted if revision_in_force(items_by_code([c])[c], day)}
            if not more:
                break
            found |= more
        return found

    def _how(self, item: Item, need: Decimal) -> str:
        """Return how a component is supplied; what is taken from stock is not there for the next."""
        named = {c.item: c.how for c in self.given.components}
        how = named.get(item.code, self.given.others)
        if how == "as needed":
            is_enough = self.free[item.pk] >= need or item.pk not in self.makeable
            how = "from stock" if is_enough else "order of its own"
        if how == "from stock":
            self.free[item.pk] -= min(need, self.free[item.pk])
        return how

    def _child(self, book: OpenBook, operation: int, item: Item, need: Decimal, due: date) -> OpenBook:  # fmt: skip
        """Plan the order of a component, due before its parent's operation begins."""
        order = book.order
        child = plan(
            self.context,
            PlanOrder(
                item=item.code,
                quantity=lot_of(item, need),
                due=due,
                supply_place=self.given.supply_place,
                receipt_place=order.supply_place.code,
            ),
        )
        child.order.made_for, child.order.made_for_operation = order, operation
        child.order.top = order.top or order
        child.order.save(update_fields=["made_for", "made_for_operation", "top"])
        return child


def _foresee(context: Context, grown: Grown) -> None:
    """Say when each order of the tree runs, what it loads, and what is missing of what no order makes."""
    said, day = context.effects.remark, timezone.localdate(context.now)
    for book in grown.books:
        order, dates = book.order, grown.dates.get(book.order.pk)
        words = f"{order.quantity.normalize():f} {order.item.unit} due {words_of_day(order.due)}"
        if dates:
            late = dates.days_late
            when = f"{late} working day{'' if late == 1 else 's'} late" if late else "in time"
            starts = words_of_day(timezone.localtime(dates.starts).date())
            words += f": starts {starts}, finishes {words_of_day(dates.finishes)}, {when}"
        said(order.item.code, words)
        within = f"made within it: {', '.join(order.made_within)}"
        if order.made_within:
            said(order.item.code, within)
        for block in outlooks([book], grown.structures, day).get(order.pk, NOTHING).blocks:
            said(order.item.code, f"{block['why']} {block['fix']}")
    say_load(context, grown.dates.values())
    for item, lack in lacks_of(grown.needs, grown.begins(day), day):
        comes = f"there {words_of_day(lack.comes)}" if lack.comes else "none is to come in time"
        said(item.code, f"{lack.short.normalize():f} {item.unit} short, {comes}")


def lacks_of(needs: Mapping[int, Decimal], first: date, day: date) -> list[tuple[Item, Lack]]:
    """Return what is missing of items that are needed by a first day, after what is free and what comes."""
    free, supplies = free_stock(needs, day), supplies_of(needs)
    found = []
    for item in Item.objects.filter(pk__in=needs).order_by("code"):
        need = Demand(source=Source.ORDER, number=0, due=first, quantity=needs[item.pk])
        lacks = share([need], free.get(item.pk, ZERO), supplies.get(item.pk, []))
        found += [(item, lack) for lack in lacks.values()]
    return found
