"""What a run would have sent from site to site."""

from collections.abc import Iterable, Mapping
from decimal import Decimal

from poietic_core.planning.between_sites import AtSite, Sent, transfers
from poietic_core.quantity import ZERO

from ..catalog.models import Item
from ..statements.bulk import insert_rows
from .models import PlannedTransfer, PlanRun
from .reading import Read


def store_transfers(run: PlanRun, read: Read, rows: Iterable[int]) -> None:
    """Store what should go between sites of some items, of what is there or comes already."""
    if not read.ways:
        return
    wanted = {row: sites for row in rows if len(sites := _sites(read, row)) > 1}
    keys = {row: int(read.keys[row]) for row in wanted}
    steps = dict(Item.objects.filter(pk__in=keys.values()).values_list("pk", "step"))
    days = read.days
    found = [
        (run.pk, keys[row], s.out_of, s.into, s.quantity, days[s.send], days[s.due], s.late)
        for row, sites in sorted(wanted.items(), key=lambda w: keys[w[0]])
        for s in _sent(read, row, sites, steps[keys[row]])
    ]
    names = ("run", "item", "from_site", "to_site", "quantity", "send_on", "due", "late")
    insert_rows(PlannedTransfer, names, found)


def _sites(read: Read, row: int) -> set[int]:
    """Return the sites that have to do with an item: where it lies, comes, or is wanted."""
    lies = read.at_sites.get(int(read.keys[row]), {})
    return {*lies, *(site for site, _, _ in read.placed.get(row, ()) if site)}


def _sent(read: Read, row: int, sites: set[int], step: Decimal) -> list[Sent]:
    lies: Mapping[int, Decimal] = read.at_sites.get(int(read.keys[row]), {})
    # what may be taken anywhere is taken where most of it lies
    main = max(sorted(sites), key=lambda site: lies.get(site, ZERO))
    change = {site: [ZERO] * len(read.days) for site in sites}
    for site, period, quantity in read.placed.get(row, ()):
        change[site or main][period] += quantity
    there = {s: AtSite(lies.get(s, ZERO), change[s], read.ways.get(s, 0)) for s in sorted(sites)}
    return transfers(there, step)
