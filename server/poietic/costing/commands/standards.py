"""Rolling up standards, putting them in force, and what-ifs over them."""

from datetime import date
from decimal import Decimal
from typing import Annotated

from django.db.models import Exists, OuterRef
from django.utils import timezone
from poietic_core.cost.rollup import Rolling
from poietic_core.cost.sets import ChangeKind
from poietic_core.quantity import ZERO
from poietic_core.stock.valuation import Method
from pydantic import Field

from ...catalog.models import Item
from ...catalog.queries import items_by_code
from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Holding, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Change, Code, CodePattern, Day, Name, Note, Price, Strict
from ..models import CostSet, Standard
from ..queries import current_set, rolling_now
from ..sets import as_change, set_in_arrays
from ..storing import forget, store_rolled, totals_of, without_collector

#: which set is in force, and which is next, is changed by one command at a time
SETS = "cost sets"
#: items whose new standard an activation tells one by one, those that move most
TOLD_MOST = 1_000
SetNumber = Annotated[int, Field(ge=1, le=2**62)]


class FreezeStandard(Strict):
    """The items to roll up and freeze; all active ones where none are named."""

    items: Annotated[list[Code], Field(max_length=10_000)] | None = None
    note: Note = ""


class RollUpNext(Strict):
    """The day whose prices, rates and structures the next set is rolled up from; left out: today."""

    as_of: Day | None = None
    note: Note = ""


class ActivateSet(Strict):
    """The set to put in force: the next one, or one that was before."""

    cost_set: SetNumber
    note: Note = ""


class ChangeGiven(Strict):
    """One change of a what-if: to a value, or by a share; `*` stands for any characters of a code."""

    kind: ChangeKind
    code: CodePattern
    to: Price | None = None
    #: 0.12 is 12 % more, -0.05 is 5 % less
    by: Change | None = None


class WriteWhatIf(Strict):
    """A what-if by its name, over a set; the same name again replaces what it says."""

    name: Name
    #: left out: the set in force
    base: SetNumber | None = None
    changes: Annotated[list[ChangeGiven], Field(min_length=1, max_length=100)]
    note: Note = ""


class DropWhatIf(Strict):
    """A what-if that nobody needs any more."""

    name: Name


@command("freeze-standard", "Freeze the standard", Role.COST_ACCOUNTANT, told=COST_READERS)
def freeze_standard(context: Context, given: FreezeStandard) -> None:
    """Roll up, put the result in force as a new set, and revalue stock at standard.

    Items that lack something keep the standard they had; each lack is told. Open orders
    keep the standard frozen at their release.
    """
    context.guard(SETS)
    only = None if given.items is None else set(items_by_code(given.items))
    today = timezone.localdate(context.now)
    before = current_set()
    rolling = rolling_now(today, only)
    cost_set = _store(context, CostSet.State.PAST, rolling, before, today, given.note)
    _activate(context, cost_set, before)
    context.made["standards"] = str(cost_set.standards.count())


@command(
    "roll-up-next",
    "Roll up the next standard",
    Role.COST_ACCOUNTANT,
    is_long=True,
    told=COST_READERS,
)
def roll_up_next(context: Context, given: RollUpNext) -> None:
    """Roll up all items as of a day into the set in preparation; it replaces the one before."""
    context.guard(SETS)
    day = given.as_of or timezone.localdate(context.now)
    for old in context.lock(CostSet.objects.filter(state=CostSet.State.NEXT), "cost set"):
        if old.what_ifs.exists():  # what stands on it keeps it
            old.state = CostSet.State.PAST
            old.save(update_fields=["state"])
        else:
            forget(old)
    before = current_set()
    with without_collector():
        context.progress("reading prices, rates and structures", 0, 0)
        rolling = rolling_now(day)
        cost_set = _store(context, CostSet.State.NEXT, rolling, before, day, given.note)
        del rolling
    same = Standard.objects.filter(cost_set=before, item=OuterRef("item"), total=OuterRef("total"))
    context.made["cost set"] = str(cost_set.pk)
    rows = cost_set.standards.all()
    moved = rows.exclude(Exists(same)).count()
    context.effects.field("next standard", "items", None, rows.count())
    context.effects.field("next standard", "items that cost something else", None, moved)


@command("activate-set", "Put a standard in force", Role.COST_ACCOUNTANT, told=COST_READERS)
def activate_set(context: Context, given: ActivateSet) -> None:
    """Put the next set, or one that was in force before, in force; stock is revalued, orders keep theirs."""
    context.guard(SETS)
    found = context.lock(
        CostSet.objects.filter(
            pk__in=[given.cost_set], state__in=[CostSet.State.NEXT, CostSet.State.PAST]
        ),
        "cost set",
    )
    if not found:
        raise NotFound("set to put in force", str(given.cost_set))
    found[0].note = given.note or found[0].note
    _activate(context, found[0], current_set())


@command(
    "write-what-if",
    "Write a what-if",
    Role.COST_ACCOUNTANT,
    Role.CONTROLLER,
    Role.ENGINEER,
    told=COST_READERS,
)
def write_what_if(context: Context, given: WriteWhatIf) -> None:
    """Keep a list of changes over a set by a name; nothing in force changes."""
    context.guard(f"what-if {given.name}")
    base = current_set() if given.base is None else CostSet.objects.filter(pk=given.base).first()
    if base is None:
        raise NotFound("cost set", str(given.base or "in force"))
    for n, change in enumerate(given.changes):
        if (change.to is None) == (change.by is None):
            raise InvalidInput([f"changes: line {n + 1} says either a value or a share"])
    changes = [c.model_dump(mode="json", exclude_none=True) for c in given.changes]
    set_in_arrays(base).changed([as_change(c) for c in changes])  # refuses what changes nothing
    fields = {"base": base, "changes": changes, "note": given.note, "change": context.change}
    CostSet.objects.update_or_create(
        name=given.name,
        state=CostSet.State.WHAT_IF,
        defaults=fields | {"frozen_at": context.now, "as_of": base.as_of},
    )
    context.made["what-if"] = given.name
    context.effects.field(f"what-if {given.name}", "changes", None, len(changes))


@command(
    "drop-what-if",
    "Drop a what-if",
    Role.COST_ACCOUNTANT,
    Role.CONTROLLER,
    Role.ENGINEER,
    told=COST_READERS,
)
def drop_what_if(context: Context, given: DropWhatIf) -> None:
    """Forget a what-if."""
    rows = CostSet.objects.filter(state=CostSet.State.WHAT_IF, name=given.name)
    found = context.lock_one(rows, "cost set", NotFound("what-if", given.name))
    if found.what_ifs.exists():
        raise InvalidInput([f"name: another what-if is made over {given.name}"])
    found.delete()
    context.effects.field(f"what-if {given.name}", "what-if", given.name, None)


def _store(
    context: Context,
    state: str,
    rolling: Rolling,
    before: CostSet | None,
    day: date,
    note: str,
) -> CostSet:
    """Return a new set, rolled up and stored, with what is missing told."""
    cost_set = CostSet.objects.create(
        state=state, as_of=day, frozen_at=context.now, note=note, change=context.change
    )
    missing = store_rolled(context, cost_set, rolling, before)
    for lack in missing:
        context.effects.remark(lack.item, f"{lack.why} {lack.fix}")
    cost_set.missing = [{"item": m.item, "why": m.sentence(), "fix": m.fix} for m in missing]
    cost_set.save(update_fields=["missing"])
    return cost_set


def _activate(context: Context, cost_set: CostSet, before: CostSet | None) -> None:
    """Put a set in force in the place of the one that is, and revalue stock at standard."""
    CostSet.objects.filter(state=CostSet.State.CURRENT).update(state=CostSet.State.PAST)
    cost_set.state = CostSet.State.CURRENT
    cost_set.activated_at = context.now
    cost_set.change = context.change
    cost_set.save()
    was, now = totals_of(before), totals_of(cost_set)
    moved = {item: total for item, total in now.items() if was.get(item) != total}
    told = sorted(moved, key=lambda i: (-abs(moved[i] - was.get(i, ZERO)), i))[:TOLD_MOST]
    codes = dict(Item.objects.filter(pk__in=told).values_list("pk", "code"))
    for item in told:
        context.effects.field(f"item {codes[item]}", "standard", was.get(item), moved[item])
    if len(moved) > len(told):
        context.effects.field("standard", "items that cost something else", None, len(moved))
    _revalue(context, now)


def _revalue(context: Context, standards: dict[int, Decimal]) -> None:
    """Put standard-costed stock at its new standard, in one balanced posting."""
    held = Holding.objects.filter(item__valuation=Method.STANDARD.value)
    stale = [
        item
        for item, standard in held.values_list("item_id", "standard")
        if standards.get(item, standard) != standard
    ]
    transaction = Transaction(context)
    transaction.concern(stale)
    document = transaction.open(Posting.Kind.REVALUATION)
    gains = [transaction.stock.revalue(document, item, standards[item]) for item in stale]
    if not any(gains):
        transaction.documents.remove(document)
    transaction.post()
