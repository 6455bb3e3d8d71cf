"""What an order that is planned would come to, said while it is entered: dates, material, cost."""

from django.utils import timezone
from poietic_core.planning.model import Demand, Source
from poietic_core.planning.promise import share
from poietic_core.quantity import ZERO, money

from ...catalog.models import Item
from ...commanding.registry import Context
from ...costing.queries import standards_in_force
from ...ledger.reserving import free_stock
from ..dates import Dating
from ..open_book import OpenBook
from ..planned import NOTHING, outlooks
from ..shortages import supplies_of
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
