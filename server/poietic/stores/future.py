"""Who wants an item and what will come of it: each app registers readers that tell their part."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from django.db.models import F
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.quantity import ZERO

from ..catalog.queries import any_of
from .models import TransferLine


@dataclass
class Future:
    """What is wanted of one item and what will come, with what each is for, in words."""

    demands: list[tuple[Demand, str]] = field(default_factory=list)
    supplies: list[tuple[Supply, str]] = field(default_factory=list)


#: told items by key; adds what is wanted to each one's future
Reader = Callable[[dict[int, Future]], None]
READERS: list[Reader] = []
#: told items by key; returns what will come, with the item and what it is for
SupplyReader = Callable[[list[int]], list[tuple[int, Supply, str]]]
SUPPLIES: list[SupplyReader] = []


def future_of(items: Iterable[int]) -> dict[int, Future]:
    """Return the future of some items, by key."""
    found = {item: Future() for item in items}
    for reader in READERS if found else ():
        reader(found)
    for item, supply, words in told_supplies(found):
        found[item].supplies.append((supply, words))
    return found


def told_supplies(items: Iterable[int]) -> list[tuple[int, Supply, str]]:
    """Return what will come of some items, with the item and what it is for."""
    listed = list(items)
    return [told for reader in SUPPLIES if listed for told in reader(listed)]


def supplies_of(items: Iterable[int]) -> dict[int, list[Supply]]:
    """Return what will come of some items, and when, by item."""
    found: dict[int, list[Supply]] = {}
    for item, supply, _ in told_supplies(items):
        found.setdefault(item, []).append(supply)
    return found


def on_the_way(items: list[int]) -> list[tuple[int, Supply, str]]:
    """Return what is on the way between sites of some items, with the item and where to."""
    rows = TransferLine.objects.filter(transfer__is_on_the_way=True, item__in=any_of(items))
    left = rows.annotate(left=F("quantity") - F("arrived") - F("missing")).filter(left__gt=ZERO)
    told = left.values_list("item", "transfer", "transfer__expected_on", "left", "transfer__to_place__name", "transfer__to_place__site")  # fmt: skip
    return [
        (
            item,
            Supply(
                source=Source.TRANSFER, number=n, comes=comes, quantity=quantity, site=site or 0
            ),
            f"to {place}",
        )
        for item, n, comes, quantity, place, site in told
    ]
