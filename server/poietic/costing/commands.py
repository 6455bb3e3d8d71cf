"""Rolling up standards, putting them in force, and what-ifs over them."""

from datetime import date
from decimal import Decimal
from typing import Annotated

from django.utils import timezone
from poietic_core.cost.rollup import RollUp
from poietic_core.cost.sets import ChangeKind, changed
from poietic_core.quantity import ZERO, money
from poietic_core.stock.valuation import Method
from pydantic import Field, StringConstraints

from ..catalog.models import Item
from ..catalog.queries import items_by_code
from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..ledger.document import Document, Stock
from ..ledger.models import Account, Posting
from ..web_api.errors import InvalidInput, NotFound
from ..web_api.fields import Code, DecimalText, Name, Note, NotNegative, Strict
from .basis import cost_to_json, structure_to_json
from .models import CostSet, Standard
from .queries import current_set, roll_up_now, standards_in_force
from .sets import as_change, core_set

CHUNK = 2_000
SetNumber = Annotated[int, Field(ge=1, le=2**62)]


class FreezeStandard(Strict):
    """The items to roll up and freeze; all active ones where none are named."""

    items: Annotated[list[Code], Field(max_length=10_000)] | None = None
    note: Note = ""


class RollUpNext(Strict):
    """The day whose prices, rates and structures the next set is rolled up from; left out: today."""

    as_of: date | None = None
    note: Note = ""


class ActivateSet(Strict):
    """The set to put in force: the next one, or one that was before."""

    cost_set: SetNumber
    note: Note = ""


class ChangeGiven(Strict):
    """One change of a what-if: to a value, or by a share; `*` stands for any characters of a code."""

    kind: ChangeKind
    code: Annotated[
        str, StringConstraints(pattern=r"^[A-Za-z0-9*][A-Za-z0-9 ._/*-]*$", max_length=40)
    ]
    to: NotNegative | None = None
    #: 0.12 is 12 % more, -0.05 is 5 % less
    by: Annotated[DecimalText, Field(ge=-1, le=100)] | None = None


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


@command("freeze-standard", "Freeze the standard", Role.COST_ACCOUNTANT)
def freeze_standard(context: Context, given: FreezeStandard) -> None:
    """Roll up, put the result in force as a new set, and revalue stock at standard.

    Items that lack something keep the standard they had; each lack is told. Open orders
    keep the standard frozen at their release.
    """
    only = None if given.items is None else set(items_by_code(given.items))
    today = timezone.localdate(context.now)
    rolled = roll_up_now(today, only)
    before = standards_in_force()
    cost_set = _new_set(context, CostSet.State.PAST, rolled, today, given.note)
    after = _rows(cost_set, rolled, before, only)
    Standard.objects.bulk_create(after.values(), batch_size=CHUNK)
    _activate(context, cost_set, before, after)
    context.made["standards"] = str(len(after))


@command("roll-up-next", "Roll up the next standard", Role.COST_ACCOUNTANT, is_long=True)
def roll_up_next(context: Context, given: RollUpNext) -> None:
    """Roll up all items as of a day into the set in preparation; it replaces the one before."""
    day = given.as_of or timezone.localdate(context.now)
    context.progress("reading prices, rates and structures", 0, 0)
    rolled = roll_up_now(day)
    context.progress("storing the standards", 0, len(rolled.costs))
    for old in context.lock(CostSet.objects.filter(state=CostSet.State.NEXT), "cost set"):
        if old.what_ifs.exists():  # what stands on it keeps it
            old.state = CostSet.State.PAST
            old.save(update_fields=["state"])
        else:
            old.standards.all().delete()
            old.delete()
    before = standards_in_force()
    cost_set = _new_set(context, CostSet.State.NEXT, rolled, day, given.note)
    after = _rows(cost_set, rolled, before, None)
    rows = list(after.values())
    for begin in range(0, len(rows), CHUNK):
        Standard.objects.bulk_create(rows[begin : begin + CHUNK])
        context.progress("storing the standards", begin + CHUNK, len(rows))
    moved = [c for c, r in after.items() if c not in before or before[c].total != r.total]
    context.made["cost set"] = str(cost_set.pk)
    context.effects.field("next standard", "items", None, len(after))
    context.effects.field("next standard", "items that cost something else", None, len(moved))


@command("activate-set", "Put a standard in force", Role.COST_ACCOUNTANT)
def activate_set(context: Context, given: ActivateSet) -> None:
    """Put the next set, or one that was in force before, in force; stock is revalued, orders keep theirs."""
    found = context.lock(
        CostSet.objects.filter(
            pk__in=[given.cost_set], state__in=[CostSet.State.NEXT, CostSet.State.PAST]
        ),
        "cost set",
    )
    if not found:
        raise NotFound("set to put in force", str(given.cost_set))
    before = standards_in_force()
    after = {s.item.code: s for s in found[0].standards.select_related("item")}
    found[0].note = given.note or found[0].note
    _activate(context, found[0], before, after)


@command("write-what-if", "Write a what-if", Role.COST_ACCOUNTANT, Role.CONTROLLER, Role.ENGINEER)
def write_what_if(context: Context, given: WriteWhatIf) -> None:
    """Keep a list of changes over a set by a name; nothing in force changes."""
    base = current_set() if given.base is None else CostSet.objects.filter(pk=given.base).first()
    if base is None:
        raise NotFound("cost set", str(given.base or "in force"))
    for n, change in enumerate(given.changes):
        if (change.to is None) == (change.by is None):
            raise InvalidInput([f"changes: line {n + 1} says either a value or a share"])
    changes = [c.model_dump(mode="json", exclude_none=True) for c in given.changes]
    changed(core_set(base), [as_change(c) for c in changes])  # refuses what changes nothing
    fields = {"base": base, "changes": changes, "note": given.note, "change": context.change}
    CostSet.objects.update_or_create(
        name=given.name,
        state=CostSet.State.WHAT_IF,
        defaults=fields | {"frozen_at": context.now, "as_of": base.as_of},
    )
    context.made["what-if"] = given.name
    context.effects.field(f"what-if {given.name}", "changes", None, len(changes))


@command("drop-what-if", "Drop a what-if", Role.COST_ACCOUNTANT, Role.CONTROLLER, Role.ENGINEER)
def drop_what_if(context: Context, given: DropWhatIf) -> None:
    """Forget a what-if."""
    rows = CostSet.objects.filter(state=CostSet.State.WHAT_IF, name=given.name)
    found = context.lock_one(rows, "cost set", NotFound("what-if", given.name))
    if found.what_ifs.exists():
        raise InvalidInput([f"name: another what-if is made over {given.name}"])
    found.delete()
    context.effects.field(f"what-if {given.name}", "what-if", given.name, None)


def _new_set(context: Context, state: str, rolled: RollUp, day: date, note: str) -> CostSet:
    """Return a new set, with what is missing told."""
    for lack in rolled.missing:
        context.effects.remark(lack.item, f"{lack.why} {lack.fix}")
    return CostSet.objects.create(
        state=state,
        as_of=day,
        frozen_at=context.now,
        note=note,
        missing=[{"item": m.item, "why": m.why, "fix": m.fix} for m in rolled.missing],
        change=context.change,
    )


def _activate(
    context: Context,
    cost_set: CostSet,
    before: dict[str, Standard],
    after: dict[str, Standard],
) -> None:
    """Put a set in force in the place of the one that is, and revalue stock at standard."""
    CostSet.objects.filter(state=CostSet.State.CURRENT).update(state=CostSet.State.PAST)
    cost_set.state = CostSet.State.CURRENT
    cost_set.activated_at = context.now
    cost_set.change = context.change
    cost_set.save()
    for code, row in after.items():
        old = before[code].total if code in before else None
        if old != row.total:
            context.effects.field(f"item {code}", "standard", old, row.total)
    _revalue(context, {c: r.total for c, r in after.items() if r.item.method is Method.STANDARD})


def _rows(
    cost_set: CostSet, rolled: RollUp, before: dict[str, Standard], only: set[str] | None
) -> dict[str, Standard]:
    """Return the rows of the new set: what was rolled, and what stays as it was."""
    items = items_by_code([*rolled.costs, *before])
    rows: dict[str, Standard] = {}
    for code, item in sorted(items.items()):
        kept = before.get(code)
        if code in rolled.costs and not (only is not None and code not in only and kept):
            cost = rolled.costs[code].cost
            basis = rolled.bases.get(code)
            rows[code] = Standard(
                cost_set=cost_set,
                item=item,
                total=cost.total(),
                cost=cost_to_json(cost),
                basis=structure_to_json(basis) if basis else None,
            )
        elif kept:
            rows[code] = Standard(
                cost_set=cost_set, item=item, total=kept.total, cost=kept.cost, basis=kept.basis
            )
    return rows


def _revalue(context: Context, standards: dict[str, Decimal]) -> None:
    """Put standard-costed stock at its new standard, in one balanced posting."""
    stock = Stock.lock(context, Item.objects.filter(code__in=standards))
    document = Document(
        context=context, kind=Posting.Kind.REVALUATION, stock=stock, happened_at=context.now
    )
    total = ZERO
    for holding in stock.holdings.values():
        standard = standards[holding.item.code]
        if holding.standard == standard:
            continue
        holding.standard = standard
        holding.change = context.change
        was = holding.value
        gain = money(standard * holding.quantity) - was
        holding.value += gain
        if gain:
            context.effects.field(f"stock of {holding.item.code}", "value", was, holding.value)
            document.journal(Account.STOCK, gain, item=holding.item)
            document.journal(Account.STOCK_REVALUATION, -gain)
        total += abs(gain)
    stock.save()
    if total:
        document.save()
