"""What may be promised of an item, and when a quantity of it can be there."""

from bisect import bisect_left
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from poietic_core.planning.capable import Promised, Source, Step, capable_to_promise
from poietic_core.planning.model import Demand, Supply
from poietic_core.planning.model import Source as Kind
from poietic_core.planning.pegging import available_to_promise
from poietic_core.quantity import ZERO

from ..buying.prices import first_suppliers
from ..catalog.models import Item
from .free_hours import free_hours
from .reading import expiries, expiring_stock, future_of_all, usable_stock_of
from .uses import Way, ways_below
from .works_days import works_days

#: further ahead nothing is known
FAR = 300
NOT_MADE = Way({})


def promises(
    on_hand: Decimal, demands: Iterable[Demand], supplies: Iterable[Supply], today: date
) -> list[tuple[date, Decimal]]:
    """Return what may be promised of stock and of each day's supply: what is only foreseen is no promise."""
    comes = {today: ZERO}
    for s in supplies:
        if s.comes is not None:
            day = max(today, s.comes)
            comes[day] = comes.get(day, ZERO) + s.quantity
    days = sorted(comes)
    committed = dict.fromkeys(days, ZERO)
    for d in demands:
        if d.source is not Kind.FORECAST:
            committed[max(day for day in days if day <= max(today, d.due))] += d.quantity
    free = available_to_promise(on_hand, [comes[d] for d in days], [committed[d] for d in days])
    return [(d, q) for d, q in zip(days, free, strict=True) if q]


@dataclass(frozen=True)
class Promise:
    """When a quantity can be there, and what its way is made of."""

    found: Promised
    #: the working days that its days count
    days: list[date]
    items: dict[str, Item]
    #: who is first to sell what is bought: code and name, by key
    sellers: dict[int, tuple[str, str]]

    def on(self, day: int) -> date:
        """Return a day that the way counts; what is further ahead is not told apart."""
        return self.days[min(day, len(self.days) - 1)]

    def how(self, step: Step) -> str:
        """Say how a part of the way comes."""
        item = self.items[step.item]
        if step.is_free:
            return "there today" if step.day == 0 else "of what comes"
        days = item.lead_time_days
        lead = f"{days} working days" if days else "no lead time known"
        if item.is_made and step.waits_at:
            return f"made anew: {step.waits_at.name} waits for free hours of {step.waits_at.center}"
        if item.is_made:
            return f"made anew: {lead}"
        return f"bought anew of {self.sellers.get(item.pk, ('', 'nobody known'))[1]}: {lead}"


def promise(item: Item, quantity: Decimal, today: date) -> Promise:
    """Return when a quantity can be there, and what decides it.

    What is not free is bought anew by lead times, or made by lead times and the hours that orders leave
    free; what the plan proposes is no supply yet.
    """
    ways = ways_below(item, today)
    codes = {item.code, *ways, *(c for way in ways.values() for c in way.uses)}
    items = {i.code: i for i in Item.objects.filter(code__in=codes)}
    keys = [i.pk for i in items.values()]
    futures, on_hand = future_of_all(keys), usable_stock_of(today, keys)
    calendar, ends = works_days(today), expiring_stock(today, keys)
    days = calendar.following(today, FAR)
    sources = {}
    for code, one in items.items():
        future, way = futures[one.pk], ways.get(code, NOT_MADE)
        demands, supplies = [d for d, _ in future.demands], [s for s, _ in future.supplies]
        demands += expiries(ends.get(one.pk, []), demands)
        free = promises(on_hand.get(one.pk, ZERO), demands, supplies, today)
        sources[code] = Source(
            free=[(0 if d <= today else bisect_left(days, d), q) for d, q in free],
            lead=0 if one.is_phantom else one.lead_time_days or 0,
            uses=way.uses,
            works=way.works,
        )
    centers = {w.center for way in ways.values() for w in way.works}
    hours = free_hours(centers, days, calendar)
    found = capable_to_promise(item.code, quantity, sources, hours)
    return Promise(found, days, items, first_suppliers(i.pk for i in items.values()))
