"""The future of items as the plan has it: what is told of them, with what is proposed and what that takes."""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal

from poietic_core.planning.chain import Key, key_of
from poietic_core.planning.days import PlanDays
from poietic_core.planning.model import Demand, Source, Supply
from poietic_core.planning.pegging import Peg, peg
from poietic_core.quantity import ZERO

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..stores.future import told_supplies
from .models import PlanRun, Proposal, ProposalState
from .reading import expiries, expiring_stock, future_of_all, usable_stock_of
from .uses import givers_of, graded_in_force, users_of
from .works_days import works_days

#: needs of proposals are kept to as many digits as quantities have
DIGITS = Decimal("0.000001")


@dataclass
class Foreseen:
    """What is wanted of an item and what will come, by the last plan."""

    on_hand: Decimal
    demands: list[Demand] = field(default_factory=list)
    supplies: list[Supply] = field(default_factory=list)
    #: what each is for
    wanted_for: dict[Key | None, str] = field(default_factory=dict)
    comes_for: dict[Key | None, str] = field(default_factory=dict)
    #: of the item itself, not decided
    proposals: list[Proposal] = field(default_factory=list)

    def wants(self, demand: Demand, words: str) -> None:
        """Add what is wanted."""
        self.demands.append(demand)
        self.wanted_for[key_of(demand)] = words

    def gets(self, supply: Supply, words: str) -> None:
        """Add what will come."""
        self.supplies.append(supply)
        self.comes_for[key_of(supply)] = words

    def words_of(self, of: Demand | Supply | None) -> str:
        """Return what a demand or supply is for; "" for stock."""
        told = self.comes_for if isinstance(of, Supply) else self.wanted_for
        return told.get(key_of(of), "")

    def pegs(self) -> list[Peg]:
        """Return who gets what."""
        return peg(self.on_hand, self.demands, self.supplies)


def foreseen(items: Iterable[Item], today: date) -> dict[int, Foreseen]:
    """Return the future of some items, by key."""
    known = {i.pk: i for i in items}
    on_hand, expiring = usable_stock_of(today, list(known)), expiring_stock(today, list(known))
    found = {key: Foreseen(on_hand.get(key, ZERO)) for key in known}
    for key, future in future_of_all(list(known)).items():
        for demand, words in future.demands:
            found[key].wants(demand, words)
        for supply, words in future.supplies:
            found[key].gets(supply, words)
        for gone in expiries(expiring.get(key, ()), list(found[key].demands)):
            found[key].wants(gone, "will expire unused")
    run, days = PlanRun.last_plan(), works_days(today)
    _add_proposals(found, run, days)
    _add_given(found, known, run, today)
    _add_needs(found, known, run, today)
    return found


def _open(run: PlanRun | None, items: Iterable[int]) -> list[Proposal]:
    if run is None:
        return []
    rows = run.rows.filter(item__in=any_of(items), state=ProposalState.OPEN)
    return list(rows.select_related("item").order_by("due", "pk"))


def _add_proposals(found: dict[int, Foreseen], run: PlanRun | None, days: PlanDays) -> None:
    for p in _open(run, found):
        words = "to be made" if p.item.is_made else "to be bought"
        found[p.item_id].gets(_supply(p, p.quantity, days), words)
        found[p.item_id].proposals.append(p)


def _add_given(
    found: dict[int, Foreseen], known: dict[int, Item], run: PlanRun | None, today: date
) -> None:
    """Add what is sorted out of other items, or comes beside them; of what is sorted, where it goes."""
    graded = {r.item: [g["item"] for g in r.grades] for r in graded_in_force(today) if r.item_id in known}  # fmt: skip
    givers = givers_of(known, today)
    keys = {giver.pk: giver for giver in (*givers, *graded)}
    days = works_days(today)
    comes = [(i, s, "that runs") for i, s, _ in told_supplies(keys) if s.source is Source.ORDER]
    comes += [(p.item_id, _supply(p, p.quantity, days), "to be made") for p in _open(run, keys)]
    codes = {i.code: i.pk for i in known.values()}
    for key, supply, words in comes:
        giver = keys[key]
        for code, share in givers.get(giver, {}).items():
            gets = replace(supply, quantity=(supply.quantity * share).quantize(DIGITS))
            found[codes[code]].gets(gets, f"comes with {giver.name}, {words}")
        if giver in graded and supply.comes is not None:
            goes = Demand(
                source=supply.source,
                number=supply.number,
                due=supply.comes,
                quantity=supply.quantity,
            )
            found[key].wants(goes, f"sorted into {', '.join(graded[giver])}")


def _add_needs(
    found: dict[int, Foreseen], known: dict[int, Item], run: PlanRun | None, today: date
) -> None:
    """Add what is proposed above takes of each, on the day on which it begins."""
    if run is None:
        return
    takers = {taker.pk: uses for taker, uses in users_of(known, today).items()}
    codes = {i.code: i.pk for i in known.values()}
    for p in _open(run, takers):
        for code in sorted(takers[p.item_id].keys() & codes.keys()):
            need = (p.quantity * takers[p.item_id][code]).quantize(DIGITS)
            wanted = Demand(
                source=Source.PROPOSAL, number=p.pk, due=p.order_on, quantity=need, rank=1
            )
            found[codes[code]].wants(wanted, f"for {p.item.name}, to be made")


def _supply(p: Proposal, quantity: Decimal, days: PlanDays) -> Supply:
    """Return what a proposal brings: what would have had to be ordered before today comes as much later."""
    comes = days.later(p.due, p.late)
    return Supply(source=Source.PROPOSAL, number=p.pk, comes=comes, quantity=quantity)
