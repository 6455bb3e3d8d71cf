"""Who wants an item and what will come of it: each app registers a reader that tells its part."""

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


#: told items by key; adds to each one's future
Reader = Callable[[dict[int, Future]], None]
READERS: list[Reader] = []


def future_of(items: Iterable[int]) -> dict[int, Future]:
    """Return the future of some items, by key."""
    found = {item: Future() for item in items}
    for reader in READERS if found else ():
        reader(found)
    return found


def read_transfers(found: dict[int, Future]) -> None:
    """Tell what is on the way between sites."""
    for item, supply, words in on_the_way(found):
        found[item].supplies.append((supply, words))


def on_the_way(items: Iterable[int]) -> list[tuple[int, Supply, str]]:
    """Return what is on the way between sites of some items, with the item and where to."""
    rows = TransferLine.objects.filter(transfer__is_on_the_way=True, item__in=any_of(items))
    left = rows.annotate(left=F("quantity") - F("arrived") - F("missing")).filter(left__gt=ZERO)
    told = left.values_list("item", "transfer", "transfer__expected_on", "left", "transfer__to_place__name")  # fmt: skip
    return [
        (
            item,
            Supply(source=Source.TRANSFER, number=n, comes=comes, quantity=quantity),
            f"to {place}",
        )
        for item, n, comes, quantity, place in told
    ]
