"""What the plan would buy, gathered by supplier: how much of each item, at which price, and what the next price would save."""

from datetime import date
from decimal import Decimal

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.cost.prices import SupplierPrice, next_break
from poietic_core.quantity import ZERO, money, round_up

from ..buying.prices import first_suppliers
from ..catalog.models import Item, PriceRow
from ..catalog.queries import any_of
from ..commanding.reading import Cost
from ..costing.queries import as_supplier_price, unit_price
from ..web_api.fields import Answer, Day, DecimalText, plain
from .models import PlanRun, Proposal, ProposalState
from .sizes import SizeWanted, sizes_wanted

router = Router(tags=["planning"])
#: proposals that are gathered, those to be ordered first
MOST_GATHERED = 500
#: sizes that are told of one item
MOST_SIZES = 20
#: a price that is reached only by so many times what is wanted is not told: common practice
MOST_OF_IT = 2


class NextPrice(Answer):
    """The next price of a list: from which quantity on, and how much less all of it would cost, below 0 more."""

    from_quantity: DecimalText
    more: DecimalText
    price: Cost
    saves: Cost


class CutOf(Answer):
    """Pieces of one size that are cut of it, and what for."""

    item: str
    name: str
    #: [mm]
    size: str
    pieces: DecimalText
    quantity: DecimalText


class GatheredItem(Answer):
    """What is proposed of an item, all of it together."""

    item: str
    name: str
    unit: str
    quantity: DecimalText
    proposals: list[int]
    #: what of it has to be ordered, and to be there, first
    order_on: date
    due: date
    #: of one, at all of it; null: no list says
    price: Cost | None
    cost: Cost | None
    next: NextPrice | None
    #: of what is measured: the demand behind it by size, most of it first
    sizes: list[CutOf]


class Gathered(Answer):
    """What is proposed to be bought of a supplier; "" where nobody is known to sell it."""

    supplier: str
    name: str
    items: list[GatheredItem]
    cost: Cost


class GatheredPurchases(Answer):
    """What the last plan would buy, the supplier of whom something has to be ordered first before the others."""

    until: date | None
    suppliers: list[Gathered]
    #: proposals gathered, and in all
    shown: int
    whole: int


@router.get("/plan/purchases", response=GatheredPurchases)
def gathered_purchases(request: HttpRequest, until: Day | None = None) -> GatheredPurchases:
    """Return what the last plan proposes to buy, to be ordered up to a day, gathered by supplier."""
    last = PlanRun.last_plan()
    rows = Proposal.objects.filter(run=last, state=ProposalState.OPEN, item__source=Item.Source.BUY)
    if until is not None:
        rows = rows.filter(order_on__lte=until)
    shown = list(rows.select_related("item").order_by("order_on", "pk")[:MOST_GATHERED])
    first = first_suppliers({p.item_id for p in shown})
    prices = _prices({p.item_id for p in shown})
    bought = {p.item_id for p in shown}
    sizes = sizes_wanted(bought, last, until, timezone.localdate()) if last and bought else {}
    gathered: dict[tuple[str, str], dict[int, list[Proposal]]] = {}
    for p in shown:
        of = gathered.setdefault(first.get(p.item_id, ("", "")), {})
        of.setdefault(p.item_id, []).append(p)
    return GatheredPurchases(
        until=until,
        suppliers=[
            _group(code, name, own, prices, sizes) for (code, name), own in gathered.items()
        ],
        shown=len(shown),
        whole=rows.count(),
    )


def _prices(items: set[int]) -> dict[int, list[SupplierPrice]]:
    """Return what all suppliers ask for each item, in the order of its list."""
    found: dict[int, list[SupplierPrice]] = {}
    for row in PriceRow.objects.filter(item__in=any_of(items)).select_related("supplier"):
        found.setdefault(row.item_id, []).append(as_supplier_price(row))
    return found


def _group(
    code: str,
    name: str,
    own: dict[int, list[Proposal]],
    prices: dict[int, list[SupplierPrice]],
    sizes: dict[int, list[SizeWanted]],
) -> Gathered:
    told = [
        _item(
            proposals,
            [p for p in prices.get(key, []) if p.supplier == code],
            sizes.get(key, [])[:MOST_SIZES],
        )
        for key, proposals in own.items()
    ]
    cost = sum((i.cost or ZERO for i in told), ZERO)
    return Gathered(supplier=code, name=name, items=told, cost=cost)


def _item(
    proposals: list[Proposal], prices: list[SupplierPrice], sizes: list[SizeWanted]
) -> GatheredItem:
    item, today = proposals[0].item, timezone.localdate()
    quantity = sum((p.quantity for p in proposals), ZERO)
    price = unit_price(item, prices, today, quantity)
    cost = None if price is None else money(price * quantity)
    return GatheredItem(
        item=item.code,
        name=item.name,
        unit=item.unit,
        quantity=quantity,
        proposals=[p.pk for p in proposals],
        order_on=min(p.order_on for p in proposals),
        due=min(p.due for p in proposals),
        price=price,
        cost=cost,
        next=_next(item, prices, quantity, cost),
        sizes=[_cut(s, item.step) for s in sizes],
    )


def _cut(s: SizeWanted, step: Decimal) -> CutOf:
    sides = (s.measure.length, s.measure.width, s.measure.thickness)
    return CutOf(
        item=s.item.code,
        name=s.item.name,
        size=" × ".join(plain(side.normalize()) for side in sides if side is not None),
        pieces=s.pieces,
        quantity=round_up(s.quantity, step),
    )


def _next(
    item: Item, prices: list[SupplierPrice], quantity: Decimal, cost: Decimal | None
) -> NextPrice | None:
    today = timezone.localdate()
    above = next_break(prices, quantity, today)
    if above and above.from_quantity > MOST_OF_IT * quantity:
        return None
    price = unit_price(item, [above], today, above.from_quantity) if above else None
    if above is None or price is None or cost is None:
        return None
    return NextPrice(
        from_quantity=above.from_quantity,
        more=above.from_quantity - quantity,
        price=price,
        saves=cost - money(price * above.from_quantity),
    )
