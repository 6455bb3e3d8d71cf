"""What an order that is planned would come to, said while it is entered: dates, material, cost."""

from decimal import Decimal

from django.utils import timezone
from poietic_core.planning.in_time import most_that_fits
from poietic_core.planning.model import Demand, Source
from poietic_core.planning.promise import share
from poietic_core.quantity import ZERO, money

from ...catalog.models import Item
from ...catalog.queries import items_by_code
from ...commanding.registry import Context
from ...costing.queries import standards_in_force
from ...ledger.reserving import free_stock
from ...stores.future import supplies_of
from ..dates import Dating
from ..open_book import OpenBook
from ..planned import NOTHING, Outlook, needs_of, outlooks
from ..standing import words_of_day


def foresee(context: Context, book: OpenBook, thing: str) -> None:
    """Say when an order would start and finish, what is missing, what stops it and what it costs.

    What others wait for is not looked at here: what is free is taken to be free for this order.
    """
    day = timezone.localdate(context.now)
    order, said = book.order, context.effects.remark
    dating = Dating([book], context.now)
    if dates := dating.of(book):
        late = dates.days_late
        when = f"{late} working day{'' if late == 1 else 's'} late" if late else "in time"
        starts = words_of_day(timezone.localtime(dates.starts).date())
        said(thing, f"starts {starts}, finishes {words_of_day(dates.finishes)}: {when}")
    outlook = outlooks([book], dating.structures, day).get(order.pk, NOTHING)
    _say_what_fits(context, book, dating, outlook, thing)
    for block in outlook.blocks:
        said(thing, f"{block['why']} {block['fix']}")
    if standard := standards_in_force([order.item]).get(order.item.code):
        said(thing, f"costs {money(standard.total * order.quantity):,.2f} EUR by the standard")
    free = free_stock(outlook.needs, day)
    supplies = supplies_of(outlook.needs)
    for item in Item.objects.filter(pk__in=outlook.needs).order_by("code"):
        need = Demand(source=Source.ORDER, number=0, due=order.due, quantity=outlook.needs[item.pk])
        for lack in share([need], free.get(item.pk, ZERO), supplies.get(item.pk, [])).values():
            comes = f"there {words_of_day(lack.comes)}" if lack.comes else "none is to come in time"
            said(item.code, f"{lack.short.normalize():f} {item.unit} short, {comes}")


def _say_what_fits(
    context: Context, book: OpenBook, dating: Dating, outlook: Outlook, thing: str
) -> None:
    """Say how many could be ready by the due date, where it is not all: by the calendar, and by the material."""
    order, structure = book.order, dating.structures.get(book.order.pk)
    if structure is None or outlook.fault:
        return
    day, wanted = timezone.localdate(context.now), order.quantity
    items = items_by_code(c.item for c in structure.components)
    free, supplies = free_stock(outlook.needs, day), supplies_of(outlook.needs)

    def is_there(quantity: Decimal) -> bool:
        """Tell whether the material of a quantity has come when it starts."""
        order.quantity = quantity
        dates = dating.of(book)
        if dates is None or dates.days_late:
            return False
        begins = timezone.localtime(dates.starts).date()
        for item, need in needs_of(structure, quantity, items).items():
            come = (s.quantity for s in supplies.get(item, []) if s.comes and s.comes < begins)
            if need > free.get(item, ZERO) + sum(come, ZERO):
                return False
        return True

    most = most_that_fits(wanted, order.item.step, is_there)
    order.quantity = wanted
    if most < wanted:
        of = f"{most.normalize() + 0:f} of {wanted.normalize():f} {order.item.unit}"
        context.effects.remark(thing, f"{of} could be ready by {words_of_day(order.due)}")
