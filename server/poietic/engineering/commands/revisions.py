"""The way of a revision: in review, approved from a date, retired; one component replaced everywhere."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import Any, ClassVar

from django.db.models import Q, QuerySet
from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.quantity import ONE

from ...catalog.models import Item
from ...catalog.queries import item_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Note, Ratio, Strict
from ..faults import Shop, faults_of, refuse_unfit
from ..models import OPEN_STATES, ComponentRow, OperationRow, OutputRow, Revision
from ..queries import in_force, with_rows
from .structures import guard_graph, next_letter, refuse_cycle


@dataclass(eq=False)
class NotApprovable(DomainError):
    """A draft has faults."""

    structure: str
    problems: list[str]
    code: ClassVar[str] = "structure.not_approvable"
    what: ClassVar[str] = "{structure} can't be approved yet."
    why: ClassVar[str] = "{problems}"
    fix: ClassVar[str] = "Change the draft and approve it then."

    def explain(self) -> dict[str, str]:
        """Say everything that is wrong, at once."""
        return DomainError.explain(self) | {"why": " · ".join(self.problems)}


@dataclass(eq=False)
class EffectivityTaken(DomainError):
    """Another revision is approved to begin on that day or later."""

    structure: str
    from_day: str
    other: str
    other_from: str
    code: ClassVar[str] = "structure.effectivity_taken"
    what: ClassVar[str] = "{structure} can't be in force from {from_day}."
    why: ClassVar[str] = "{other} is approved to be in force from {other_from}; one is at any date."
    fix: ClassVar[str] = "Choose a day after {other_from}."


class ItemGiven(Strict):
    """The item whose open revision is meant."""

    item: Code
    note: Note = ""


class ApproveStructure(ItemGiven):
    """The item whose draft is to come into force, from today or a later day."""

    effective_from: Day | None = None


class RetireStructure(ItemGiven):
    """The item whose revision in force ends, with nothing to follow it."""

    effective_to: Day


class ReplaceComponent(Strict):
    """A component to replace in every structure in force, from a day on."""

    item: Code
    by: Code
    #: of the new one for one of the old
    ratio: Ratio = ONE
    effective_from: Day
    note: Note = ""


@command("submit-structure", "Submit a structure for review", Role.ENGINEER, Role.CONTROLLER)
def submit_structure(context: Context, given: ItemGiven) -> None:
    """Put a draft in review: it does not change until it is sent back or approved."""
    _move(context, given, Revision.State.DRAFT, Revision.State.IN_REVIEW)


@command("send-back-structure", "Send a structure back to draft", Role.ENGINEER, Role.CONTROLLER)
def send_back_structure(context: Context, given: ItemGiven) -> None:
    """Make a revision in review a draft again."""
    _move(context, given, Revision.State.IN_REVIEW, Revision.State.DRAFT)


@command("approve-structure", "Approve a structure", Role.ENGINEER, Role.CONTROLLER)
def approve_structure(context: Context, given: ApproveStructure) -> None:
    """Bring an item's open revision into force; the one before it ends on that day."""
    item = item_by_code(given.item)
    locked = context.lock(_changing(Revision.objects.filter(item=item)), "structure")
    draft = next((r for r in locked if r.state in OPEN_STATES), None)
    if draft is None:
        raise NotFound("draft of", given.item)
    was = draft.state
    draft.note = given.note or draft.note
    guard_graph(context)
    day = given.effective_from or timezone.localdate(context.now)
    _put_in_force(context, draft, day)
    refuse_unfit([draft], day)
    context.made["item"] = item.code
    context.effects.field(str(draft), "state", was, "approved")


@command("retire-structure", "Retire a structure", Role.ENGINEER, Role.CONTROLLER)
def retire_structure(context: Context, given: RetireStructure) -> None:
    """End the revision in force on a day; from then on the item has no structure."""
    item = item_by_code(given.item)
    today = timezone.localdate(context.now)
    if given.effective_to < today:
        raise InvalidInput([f"effective_to: {given.effective_to} has passed"])
    revision = context.lock_one(
        in_force(today).filter(item=item), "structure", NotFound("structure in force of", item.code)
    )
    _end(context, revision, given.effective_to)


@command("replace-component", "Replace a component everywhere", Role.ENGINEER)
def replace_component(context: Context, given: ReplaceComponent) -> None:
    """Put a new revision in force, from a day on, of every structure that uses the component."""
    old, new = item_by_code(given.item), item_by_code(given.by)
    if old == new:
        raise InvalidInput(["by: it is the item itself"])
    using = in_force(given.effective_from).filter(components__item=old)
    context.lock(_changing(Revision.objects.filter(item__in=using.values("item"))), "structure")
    guard_graph(context)
    found = with_rows(in_force(given.effective_from).filter(components__item=old).distinct())
    if not found:
        raise NotFound("structure in force that uses", old.code)
    fresh = [_copied(context, revision, old, new, given) for revision in found]
    for revision in fresh:
        _put_in_force(context, revision, given.effective_from)
        context.effects.field(str(revision), old.code, old.name, f"{new.code} {new.name}")
    refuse_unfit(fresh, given.effective_from)


def _changing(revisions: QuerySet[Revision]) -> QuerySet[Revision]:
    """Return the revisions of items that may still change, with their rows: all are locked at once."""
    return with_rows(revisions.exclude(state=Revision.State.RETIRED))


def _move(context: Context, given: ItemGiven, before: str, after: str) -> None:
    item = item_by_code(given.item)
    revision = context.lock_one(
        Revision.objects.select_related("item").filter(item=item, state=before),
        "structure",
        NotFound(f"revision {before} of".replace("revision draft", "draft"), item.code),
    )
    revision.state = after
    revision.note = given.note or revision.note
    revision.change = context.change
    revision.save(update_fields=["state", "note", "change"])
    context.effects.field(str(revision), "state", before, after)


def _put_in_force(context: Context, revision: Revision, day: date) -> None:
    """Check a revision and let it be in force from a day, the one before it until then."""
    refuse_faulty(revision, day)
    today = timezone.localdate(context.now)
    if day < today:
        raise InvalidInput(
            [f"effective_from: {day} has passed; orders went by the revision before"]
        )
    approved = Revision.objects.select_related("item").filter(
        Q(effective_to=None) | Q(effective_to__gt=day), item=revision.item, state="approved"
    )
    for before in context.lock(approved, "structure"):
        if before.effective_from and before.effective_from > day:
            raise EffectivityTaken(str(revision), str(day), str(before), str(before.effective_from))
        _end(context, before, day)
    revision.state = Revision.State.APPROVED
    revision.effective_from = day
    revision.effective_to = None
    revision.approved_at = context.now
    revision.approved_by_id = context.person.pk if context.person else None
    revision.change = context.change
    revision.save()
    if day > today:
        context.effects.field(str(revision), "in force from", None, day)


def refuse_faulty(revision: Revision, day: date) -> None:
    """Refuse a structure that an order of a day could not be made by. Ask only with the graph guarded."""
    if problems := faults_of(revision, Shop.on(day)):
        raise NotApprovable(str(revision), problems)
    refuse_cycle(revision)


def _end(context: Context, revision: Revision, day: date) -> None:
    context.effects.field(str(revision), "in force until", revision.effective_to, day)
    revision.effective_to = day
    if day <= timezone.localdate(context.now):
        context.effects.field(str(revision), "state", revision.state, "retired")
        revision.state = Revision.State.RETIRED
    revision.change = context.change
    revision.save(update_fields=["state", "effective_to", "change"])


def _same_line(copies: list[Any], source: Revision, row: ComponentRow) -> ComponentRow | None:
    """Return the line of the new component that a replaced one goes into, where it is stated alike."""
    for other in [*copies, *source.components.all()]:
        if not isinstance(other, ComponentRow) or other is row or other.item_id != row.item_id:
            continue
        if all(getattr(other, name) == getattr(row, name) for name in STATED_ALIKE):
            return other
    return None


#: what two lines have alike when one quantity can stand for both
STATED_ALIKE = (
    *("operation", "per", "allowance", "unit", "measured_by", "mix"),
    *("effective_from", "effective_until"),
)


def _copied(
    context: Context, source: Revision, old: Item, new: Item, given: ReplaceComponent
) -> Revision:
    """Return a copy of a revision with a component replaced, as a draft beside the item's own."""

    def put(copies: list[Any], row: Any) -> None:
        if isinstance(row, ComponentRow) and row.item_id == old.pk:
            row.item, row.unit = new, ""
            row.quantity *= given.ratio
            if into := _same_line(copies, source, row):
                into.quantity += row.quantity
                return
        copies.append(row)

    return copy_revision(
        context,
        source,
        letter=next_letter(source.item),
        state=Revision.State.RETIRED,  # for a moment: its item may have a draft of its own
        note=given.note or f"{old.code} replaced by {new.code}",
        put=put,
    )


def copy_revision(
    context: Context,
    source: Revision,
    *,
    letter: str,
    state: str,
    note: str,
    put: Callable[[list[Any], Any], None] = list.append,
) -> Revision:
    """Return a copy of a revision that was read with its rows; `put` puts a row to those of its kind."""
    fresh = Revision.objects.create(
        item=source.item,
        letter=letter,
        state=state,
        batch_quantity=source.batch_quantity,
        share_rule=source.share_rule,
        main_weight=source.main_weight,
        grades=source.grades,
        note=note,
        change=context.change,
    )
    for model, rows in (
        (OperationRow, source.operations.all()),
        (ComponentRow, source.components.all()),
        (OutputRow, source.outputs.all()),
    ):
        copies: list[Any] = []
        for row in rows:
            row.pk = None
            row.revision = fresh
            put(copies, row)
        model._default_manager.bulk_create(copies)
    return with_rows(Revision.objects.filter(pk=fresh.pk)).get()
