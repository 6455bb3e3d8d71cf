"""An item as the plan has it: its future, who gets what, what may be promised, and whom a delay reaches."""

from datetime import date
from decimal import Decimal
from typing import Annotated, Literal

from django.http import HttpRequest
from django.utils import timezone
from ninja import Query, Router
from poietic_core.planning.chain import Link, key_of
from poietic_core.planning.model import Source
from poietic_core.planning.pegging import Peg
from poietic_core.planning.projection import Step, project
from poietic_core.quantity import ZERO
from pydantic import Field

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..stores.api import FutureStepOut
from ..web_api.errors import InvalidInput
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, Quantity, Strict
from .api import ProposalRow, proposal_rows
from .chains import Chains
from .foreseen import Foreseen, foreseen
from .models import Declined
from .promising import promise, promises

router = Router(tags=["planning"])


class PegOut(Answer):
    """A quantity of a demand, and what covers it."""

    #: "" where nobody wants it
    demand: str
    demand_number: int
    demand_line: int
    demand_words: str
    wanted_on: date | None
    #: "" for stock; "nothing" where nothing covers it
    supply: str
    supply_number: int
    supply_words: str
    comes_on: date | None
    quantity: DecimalText
    #: it comes after it is wanted
    is_late: bool


class PegLink(PegOut):
    """A quantity of an item that goes to a demand, on the way from one to the next."""

    item: str
    name: str
    unit: str
    #: levels from where the way begins
    depth: int
    #: working days by which it comes after it is wanted; null: nobody knows when it comes
    late: int | None


class ChainOf(Strict):
    """Where a chain begins, and which way it is followed."""

    way: Literal["up", "down"] = "up"
    source: Literal[
        "stock",
        "production order",
        "purchase order",
        "transfer",
        "customer order",
        "forecast",
        "proposal",
        "expiry",
    ] = "stock"
    number: Annotated[int, Field(ge=0, le=2**62)] = 0
    line: Annotated[int, Field(ge=0, le=10_000)] = 0
    #: of a supply: by how many working days it comes later than it says
    late: Annotated[int, Field(ge=0, le=300)] = 0


class PegChain(Answer):
    """Who waits for something over all levels, or what something waits for; what hangs on a link stands below it."""

    item: str
    name: str
    links: list[PegLink]
    #: there is more than is shown
    is_cut: bool
    #: of what a demand waits for, the links that make it late, from the demand down
    path: list[PegLink]
    #: customers' lines that are reached and late
    customers_late: int


class PromiseOut(Answer):
    """What can be promised of a supply that is there from a day on."""

    day: date
    quantity: DecimalText


class PromiseStep(Answer):
    """A part of the way to a promise."""

    item: str
    name: str
    unit: str
    quantity: DecimalText
    day: date
    #: of what is there or comes, or made or bought anew
    how: str


class PromiseMade(Answer):
    """The earliest day for a quantity, with the chain that decides it, the item itself first."""

    item: str
    quantity: DecimalText
    unit: str
    day: date
    path: list[PromiseStep]


class PlannedItem(Answer):
    """An item's future with what the plan proposes: who gets what, and what may be promised."""

    item: str
    name: str
    unit: str
    lot_rule: str
    lead_time_days: int | None
    safety_stock: DecimalText
    today: date
    on_hand: DecimalText
    steps: list[FutureStepOut]
    whole: int
    pegs: list[PegOut]
    promises: list[PromiseOut]
    proposals: list[ProposalRow]
    #: the day before which nothing is proposed, and why
    declined_until: date | None
    declined_why: str


@router.get("/plan/items/{code}", response={200: PlannedItem, 404: Problem})
def planned_item(request: HttpRequest, code: str) -> PlannedItem:
    """Return an item's future: each demand and supply, what is proposed, who gets what, what may be promised."""
    item, today = item_by_code(code), timezone.localdate()
    own = foreseen([item], today)[item.pk]
    declined = Declined.objects.filter(item=item, until__gt=today).first()
    steps = project(own.on_hand, own.demands, own.supplies, today)
    shown = steps[:MOST_ROWS]
    return PlannedItem(
        item=item.code,
        name=item.name,
        unit=item.unit,
        lot_rule=item.lot_rule,
        lead_time_days=item.lead_time_days,
        safety_stock=item.safety_stock or ZERO,
        today=today,
        on_hand=own.on_hand,
        steps=[_step(s, own) for s in shown],
        whole=len(steps),
        pegs=[_peg(p, own) for p in own.pegs()[:MOST_ROWS]],
        promises=[
            PromiseOut(day=d, quantity=q)
            for d, q in promises(own.on_hand, own.demands, own.supplies, today)[:MOST_ROWS]
        ],
        proposals=proposal_rows(own.proposals),
        declined_until=declined.until if declined else None,
        declined_why=declined.reason if declined else "",
    )


def _step(s: Step, own: Foreseen) -> FutureStepOut:
    words = own.wanted_for if s.change < 0 else own.comes_for
    return FutureStepOut(
        day=s.day,
        kind=s.source.value,
        number=s.number,
        words=next((w for key, w in words.items() if key and key[:2] == (s.source, s.number)), ""),
        change=s.change,
        projected=s.projected,
    )


@router.get("/plan/promise/{item}", response={200: PromiseMade, 404: Problem})
def capable(request: HttpRequest, item: str, quantity: Quantity = Decimal(1)) -> PromiseMade:
    """Return the earliest day on which a quantity of an item can be there, and what decides it."""
    known = item_by_code(item)
    made = promise(known, quantity, timezone.localdate())
    return PromiseMade(
        item=known.code,
        quantity=quantity,
        unit=known.unit,
        day=made.on(made.found.day),
        path=[
            PromiseStep(
                item=s.item,
                name=made.items[s.item].name,
                unit=made.items[s.item].unit,
                quantity=s.quantity,
                day=made.on(s.day),
                how=made.how(s),
            )
            for s in made.found.path
        ],
    )


def _peg(p: Peg, own: Foreseen) -> PegOut:
    wants, comes = p.demand, p.supply
    return PegOut(
        demand=wants.source.value if wants else "",
        demand_number=wants.number if wants else 0,
        demand_line=wants.line if wants else 0,
        demand_words=own.words_of(wants),
        wanted_on=wants.due if wants else None,
        supply=_kind(p),
        supply_number=comes.number if comes else 0,
        supply_words=own.words_of(comes),
        comes_on=comes.comes if comes else None,
        quantity=p.quantity,
        is_late=bool(wants and comes and (comes.comes is None or comes.comes > wants.due)),
    )


def _kind(p: Peg | Link) -> str:
    return "nothing" if p.is_open else p.supply.source.value if p.supply else ""


@router.get("/plan/chains/{item}", response={200: PegChain, 404: Problem})
def chain(request: HttpRequest, item: str, of: Query[ChainOf]) -> PegChain:
    """Return who waits for a supply of an item, up to the customers, or what a demand for it waits for, down to what is bought."""
    known, chains = item_by_code(item), Chains(timezone.localdate())
    begin = None if of.source == "stock" else (Source(of.source), of.number, of.line)
    if of.way == "up":
        found = chains.up(known, begin and (*begin[:2], 0), of.late)
    elif begin is None:
        raise InvalidInput(["source: stock wants nothing; ask for what waits for it"])
    else:
        found = chains.down(known, begin)
    return PegChain(
        item=known.code,
        name=known.name,
        links=[_link(link, chains) for link in found.links],
        is_cut=found.is_cut,
        path=[_link(link, chains) for link in found.path],
        customers_late=len(
            {
                key_of(link.demand)
                for link in found.links
                if link.late != 0 and link.demand.source is Source.CUSTOMER
            }
        ),
    )


def _link(link: Link, chains: Chains) -> PegLink:
    item, own = chains.items[link.item], chains.futures[link.item]
    return PegLink(
        item=item.code,
        name=item.name,
        unit=item.unit,
        depth=link.depth,
        late=link.late,
        **dict(_peg(Peg(link.demand, link.supply, link.quantity, is_open=link.is_open), own)),
    )
