"""What becomes of proposals: orders to make, orders to suppliers, or nothing."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Annotated, ClassVar

from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO
from pydantic import Field

from ...buying.commands.drafting import MissingWanted, buy
from ...buying.prices import first_suppliers
from ...catalog.models import Item
from ...catalog.queries import item_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...orders.commands.life import OrderGiven
from ...orders.commands.planning import PlanOrder, make_firm, plan
from ...statements.bulk import update_rows, upsert_rows
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Quantity, Strict, Text
from ..models import Declined, PlanRun, Proposal, ProposalState

ProposalNumber = Annotated[int, Field(ge=1, le=2**62)]


class ProposalsGiven(Strict):
    """Proposals by their numbers."""

    proposals: Annotated[list[ProposalNumber], Field(min_length=1, max_length=500)]


class AcceptProposals(ProposalsGiven):
    """Proposals that become orders: each one of its own, or all of an item one together."""

    #: what is to be made is firm at once: planning leaves it alone
    firm: bool = False
    together: bool = False


class DeclineProposals(ProposalsGiven):
    """Proposals that nothing is to become of, and why."""

    reason: Annotated[str, Text(200, 1)]
    #: of these items nothing is proposed before that day
    until: Day | None = None


class ProposeAgain(Strict):
    """An item of which something may be proposed again."""

    item: Code


class AcceptChanged(Strict):
    """A proposal in another quantity, or for another day."""

    proposal: ProposalNumber
    quantity: Quantity | None = None
    due: Day | None = None


@dataclass(eq=False)
class AlreadyDecided(DomainError):
    """A proposal of which something has become, or that is declined, or that is none of the plan."""

    proposal: int
    item: str
    state: str
    code: ClassVar[str] = "proposal.decided"
    what: ClassVar[str] = "Proposal {proposal} of {item} can't be decided on."
    why: ClassVar[str] = "It is of this state: {state}."
    fix: ClassVar[str] = "Decide on what is open in the last plan, or run the plan again."


@command("accept-proposals", "Accept proposals", Role.CONTROLLER)
def accept_proposals(context: Context, given: AcceptProposals) -> None:
    """Make planned or firm orders of what is to be made, and drafts to suppliers of what is to be bought."""
    proposals = _locked(context, given.proposals)
    _accept(context, _each(proposals, together=given.together), firm=given.firm)


@command("accept-changed", "Accept a proposal otherwise", Role.CONTROLLER)
def accept_changed(context: Context, given: AcceptChanged) -> None:
    """Accept one proposal in another quantity or for another day; the next run plans what is missing."""
    (p,) = _locked(context, [given.proposal])
    _accept(context, [Accepted([p], given.quantity or p.quantity, given.due or p.due)])


@command("decline-proposals", "Decline proposals", Role.CONTROLLER)
def decline_proposals(context: Context, given: DeclineProposals) -> None:
    """Have nothing become of proposals of this plan; the next runs propose them again, or not before a day."""
    proposals = _locked(context, given.proposals)
    if given.until is not None:
        if given.until <= timezone.localdate(context.now):
            raise InvalidInput(["until: name a day to come; from then on it is proposed again"])
        rows = [(key, given.until, given.reason) for key in sorted({p.item_id for p in proposals})]
        upsert_rows(Declined, ("item",), ("until", "reason"), rows)
    _decide(context, ProposalState.DECLINED, [(p, given.reason) for p in proposals])


@command("propose-again", "Have an item be proposed again", Role.CONTROLLER)
def propose_again(context: Context, given: ProposeAgain) -> None:
    """Let the next run propose of an item whose proposals were declined until a day to come."""
    context.guard("planning")
    item = item_by_code(given.item)
    found = Declined.objects.filter(item=item).first()
    if found is None:
        raise NotFound("item declined until a day", item.code)
    context.effects.field(f"item {item.code}", "proposed from", found.until, None)
    found.delete()


@dataclass(frozen=True)
class Accepted:
    """Proposals of one item that one order is made of."""

    proposals: Sequence[Proposal]
    quantity: Decimal
    due: date

    @property
    def item(self) -> Item:
        """Return their item."""
        return self.proposals[0].item


def _each(proposals: Sequence[Proposal], *, together: bool) -> list[Accepted]:
    """Return what is accepted: each by itself, or all of an item together, due when the first is."""
    groups: dict[int, list[Proposal]] = {}
    for p in proposals:
        groups.setdefault(p.item_id if together else p.pk, []).append(p)
    return [
        Accepted(own, sum((p.quantity for p in own), ZERO), min(p.due for p in own))
        for own in groups.values()
    ]


def _accept(context: Context, accepted: Sequence[Accepted], *, firm: bool = False) -> None:
    accepted = _of_known_sellers(context, accepted)
    orders: list[str] = []
    bought: list[MissingWanted] = []
    became: list[tuple[Proposal, str]] = []
    for a in accepted:
        if a.item.is_made:
            book = plan(context, PlanOrder(item=a.item.code, quantity=a.quantity, due=a.due))
            number = str(book.order.number)
            if firm:
                make_firm(context, OrderGiven(order=book.order.number))
            orders.append(number)
            became += [(p, f"order {number}") for p in a.proposals]
        else:
            bought.append(MissingWanted(item=a.item.code, quantity=a.quantity, comes_on=a.due))
    purchases = buy(context, bought) if bought else {}
    became += [
        (p, f"purchase order {purchases[a.item.code]}")
        for a in accepted
        if not a.item.is_made
        for p in a.proposals
    ]
    _decide(context, ProposalState.ACCEPTED, became)
    if orders:
        context.made["orders"] = ",".join(orders)
    if purchases:
        context.made["purchases"] = ",".join(sorted(set(purchases.values())))


def _of_known_sellers(context: Context, accepted: Sequence[Accepted]) -> list[Accepted]:
    """Leave open what nobody is known to sell, and say so; refuse where nothing else is left."""
    bought = {a.item.pk for a in accepted if not a.item.is_made}
    sellers = first_suppliers(bought) if bought else {}
    unsold = {a.item.code for a in accepted if not a.item.is_made and a.item.pk not in sellers}
    left = [a for a in accepted if a.item.code not in unsold]
    if not left:
        raise InvalidInput([f"proposals: nobody is known to sell {code}; give it a price list" for code in sorted(unsold)])  # fmt: skip
    for code in sorted(unsold):
        context.effects.remark(code, "stays open: nobody is known to sell it; give it a price list")
    return left


def _decide(context: Context, state: ProposalState, became: Sequence[tuple[Proposal, str]]) -> None:
    """Keep what became of proposals, all in one statement."""
    for p, words in became:
        context.effects.field(f"proposal {p.pk} of {p.item.code}", "state", p.state, f"{state.value}: {words}")  # fmt: skip
    rows = [(p.pk, state.value, words[:200]) for p, words in became]
    update_rows(Proposal, ("id", "state", "became"), rows)


def _locked(context: Context, numbers: Sequence[int]) -> list[Proposal]:
    """Lock open proposals of the last plan, or refuse the first that is not; no run goes on meanwhile."""
    context.guard("planning")
    last = PlanRun.last_plan()
    wanted = list(dict.fromkeys(numbers))
    rows = Proposal.objects.filter(pk__in=wanted)
    keys = context.lock_rows(rows)
    found = {p.pk: p for p in rows.filter(pk__in=keys).select_related("item", "run")}
    for number in wanted:
        if number not in found:
            raise NotFound("proposal", str(number))
        p = found[number]
        if p.run_id != (last and last.pk):
            state = "proposed by a what-if" if p.run.is_what_if else "of a plan that was run again"
            raise AlreadyDecided(p.pk, p.item.code, state)
        if p.state != ProposalState.OPEN:
            raise AlreadyDecided(p.pk, p.item.code, f"{p.state}, {p.became}")
    return [found[n] for n in sorted(wanted)]
