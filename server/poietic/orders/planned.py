"""What orders that are not released yet will need, and what would stop them: kept like how they stand."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import partial

from poietic_core.errors import OutOfRange
from poietic_core.order.need import need_of_item
from poietic_core.quantity import ZERO
from poietic_core.structure.basis import Basis, spread
from poietic_core.structure.model import Structure
from poietic_core.structure.requirement import entering, quantity_per_unit

from ..catalog.models import Item
from ..catalog.queries import any_of, items_by_code
from ..engineering.models import WorkCenter
from ..statements.bulk import upsert_rows
from .blocks import Block, blocks_of_many
from .book import OrderBook
from .dates import UNRELEASED, OrderDates
from .faulty import computed
from .models import PlannedNeed, PlannedWork


@dataclass(frozen=True)
class Outlook:
    """What an order will need of each item, and what would stop its release now."""

    needs: dict[int, Decimal]
    blocks: list[Block]
    #: why it can't be computed
    fault: str = ""


NOTHING = Outlook({}, [])
#: what an order may need of one item
MOST_NEED = Decimal(10) ** 12


def outlooks(
    books: Iterable[OrderBook], structures: Mapping[int, Structure], day: date
) -> dict[int, Outlook]:
    """Return the outlook of each order that is not released, by key, in a constant number of statements."""
    orders = [b.order for b in books if b.state in UNRELEASED]
    if not orders:
        return {}
    made = [structures[o.pk] for o in orders if o.pk in structures]
    items = items_by_code({c.item for s in made for c in s.components})
    blocks = blocks_of_many({o.pk: (o.item, structures.get(o.pk)) for o in orders}, day)
    found = {}
    for o in orders:
        structure = structures.get(o.pk)
        needs, fault = computed(partial(needs_of, structure, o.quantity, items))
        found[o.pk] = Outlook(needs or {}, blocks[o.pk], fault)
    return found


def needs_of(
    structure: Structure | None, quantity: Decimal, items: Mapping[str, Item]
) -> dict[int, Decimal]:
    """Return what an order of a quantity needs of each item, by key: each line rounded up as at release."""
    if structure is None:
        return {}
    enter = entering(structure.operations, quantity)
    found: dict[int, Decimal] = {}
    for c in structure.components:
        item = items[c.item]
        allowed = quantity_per_unit(c, structure.batch_quantity)
        over = spread(Basis.of(c.per), enter.get(c.operation), operation=c.operation)
        need = need_of_item(allowed, over, step=item.step).value
        found[item.pk] = found.get(item.pk, ZERO) + need
        if found[item.pk] >= MOST_NEED:
            raise OutOfRange(f"The need of {c.item}", need, f"below {MOST_NEED:,}")
    return found


def keep_needs(wanted: Mapping[int, Mapping[int, Decimal]]) -> set[int]:
    """Store what orders will need, by order and item; return the items that are wanted otherwise."""
    known = {
        (n.order_id, n.item_id): n for n in PlannedNeed.objects.filter(order__in=any_of(wanted))
    }
    now = {(order, item): q for order, needs in wanted.items() for item, q in needs.items() if q}
    changed = {at: q for at, q in now.items() if at not in known or known[at].quantity != q}
    gone = [n.pk for at, n in known.items() if at not in now]
    upsert_rows(
        PlannedNeed,
        ("order", "item"),
        ("quantity", "short", "comes"),
        [(*at, q, *_kept(known.get(at))) for at, q in sorted(changed.items())],
    )
    if gone:
        PlannedNeed.objects.filter(pk__in=any_of(gone)).delete()
    return {item for _, item in changed} | {item for _, item in known.keys() - now.keys()}


def keep_work(order: int, dates: OrderDates | None) -> None:
    """Store what an order that is not released will load work centers with; None: nothing any more."""
    known = {w.number: w for w in PlannedWork.objects.filter(order=order)}
    hours = {n: h for n, h in dates.hours.items() if h} if dates else {}
    named = WorkCenter.objects.filter(code__in=dates.centers.values()) if dates and hours else ()
    centers = {w.code: w.pk for w in named}
    rows = []
    for number, loaded in hours.items():
        assert dates is not None
        at, center = dates.operations[number], centers[dates.centers[number]]
        row = (center, at.starts, at.ends, loaded)
        was = known.get(number)
        if was is None or (was.work_center_id, was.starts_at, was.ends_at, was.hours) != row:
            rows.append((order, number, *row))
    upsert_rows(PlannedWork, ("order", "number"), ("work_center", "starts_at", "ends_at", "hours"), rows)  # fmt: skip
    if gone := [w.pk for n, w in known.items() if n not in hours]:
        PlannedWork.objects.filter(pk__in=any_of(gone)).delete()


def _kept(known: PlannedNeed | None) -> tuple[Decimal, date | None]:
    """Return what it is said to be short of until that is worked out anew."""
    return (known.short, known.comes) if known else (ZERO, None)
