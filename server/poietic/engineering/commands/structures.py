"""The draft of a structure."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal, TypeVar

from django.db.models import Count
from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.explode import CycleFound
from poietic_core.structure.model import (
    IssueRule,
    OutputKind,
    PaymentBasis,
    Per,
    ShareRule,
    StepKind,
)
from poietic_core.units import MeasuredBy
from pydantic import Field

from ...catalog.models import Item, Partner
from ...catalog.queries import item_by_code, items_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import (
    Code,
    Day,
    Efficiency,
    Hours,
    Limit,
    Machines,
    MixMark,
    Name,
    Note,
    OperationNumber,
    Price,
    Quantity,
    Ratio,
    Reference,
    Share,
    ShortText,
    Size,
    Strict,
    Text,
    UnitName,
    Wait,
    Words,
)
from ..faults import Shop, faults_of
from ..models import (
    OPEN_STATES,
    OWN_LETTER,
    ComponentRow,
    LabourGrade,
    OperationRow,
    OutputRow,
    Revision,
    WorkCenter,
)
from ..queries import with_rows

LETTERS = "ABCDEFGHJKLMNPRTUVWY"  # without those that are read as others, and without OWN_LETTER


@dataclass(eq=False)
class InReview(DomainError):
    """The draft is being reviewed and does not change meanwhile."""

    structure: str
    code: ClassVar[str] = "structure.in_review"
    what: ClassVar[str] = "{structure} is in review."
    why: ClassVar[str] = "What is reviewed does not change meanwhile."
    fix: ClassVar[str] = "Send it back to draft, or approve it and draft the next revision."


StepUnit = Annotated[str, Text(10)]
RevisionLetter = Annotated[str, Text(8)]
M = TypeVar("M", LabourGrade, Partner)


class StepGiven(Strict):
    """One instruction step: something to read, see, tick, measure or note."""

    kind: StepKind = StepKind.TEXT
    text: Words
    unit: StepUnit = ""
    #: limits of a measurement
    lower: Limit | None = None
    upper: Limit | None = None
    #: name of the item's document to show
    picture: ShortText = ""
    #: of a lot: the component whose lot or serial is noted
    item: Code | Literal[""] = ""


class AlternateGiven(Strict):
    """An item to use in a component's place, and how much of it for one."""

    item: Code
    ratio: Ratio = ONE


class GradeGiven(Strict):
    """An item that a part of the output is sorted into."""

    item: Code
    share: Ratio
    #: of one unit against one of another grade
    weight: Ratio = ONE


class OperationGiven(Strict):
    """One operation of a draft; hours to set up per order, to run per `run_quantity` units."""

    number: OperationNumber
    name: Name
    work_center: Code
    setup_labour_hours: Hours = ZERO
    setup_machine_hours: Hours = ZERO
    run_labour_hours: Hours = ZERO
    run_machine_hours: Hours = ZERO
    #: people who attend the machine for its whole time
    crew: Efficiency | None = None
    labour_grade: Code | None = None
    run_quantity: Quantity = ONE
    runs_whole_batches: bool = False
    machines: Machines = 1
    queue_hours: Wait = ZERO
    wait_hours: Wait = ZERO
    move_hours: Wait = ZERO
    transfer_quantity: Quantity | None = None
    yield_share: Ratio = ONE
    is_report_point: bool = True
    #: operations that must come before; left out: the one listed before, empty: none
    after: Annotated[list[OperationNumber], Field(max_length=50)] | None = None
    alternate_centers: Annotated[list[Code], Field(max_length=20)] = []
    #: left out: done here
    supplier: Code | None = None
    subcontract_price: Price = ZERO
    payment_basis: PaymentBasis = PaymentBasis.RETURNED
    days_out: Hours = ZERO
    steps: Annotated[list[StepGiven], Field(max_length=100)] = []


class ComponentGiven(Strict):
    """One component line of a draft; the operation defaults to the first."""

    item: Code
    operation: OperationNumber | None = None
    quantity: Quantity
    unit: UnitName | None = None
    per: Per = Per.UNIT
    allowance: Share = ZERO
    issue_rule: IssueRule = IssueRule.BY_HAND
    #: what the quantity's pieces are measured by; sizes [mm]
    measured_by: MeasuredBy | None = None
    length: Size | None = None
    width: Size | None = None
    thickness: Size | None = None
    alternates: Annotated[list[AlternateGiven], Field(max_length=20)] = []
    #: mark of the components of the operation that may be exchanged for each other
    mix: MixMark = ""
    reference: Reference = ""
    effective_from: Day | None = None
    effective_until: Day | None = None


class OutputGiven(Strict):
    """One by-product or co-product line of a draft."""

    item: Code
    operation: OperationNumber
    quantity: Quantity
    kind: OutputKind = OutputKind.BY_PRODUCT
    credit_price: Price = ZERO
    #: of a co-product, in what the share rule weighs by
    weight: Share = ZERO


class StructureNamed(Strict):
    """What is said of a structure as a whole."""

    item: Code
    batch_quantity: Quantity = ONE
    share_rule: ShareRule = ShareRule.SALES_VALUE
    main_weight: Share = ZERO
    grades: Annotated[list[GradeGiven], Field(max_length=20)] = []


class DraftStructure(StructureNamed):
    """The whole content of an item's draft; it replaces what the draft held."""

    operations: Annotated[list[OperationGiven], Field(max_length=500)]
    components: Annotated[list[ComponentGiven], Field(max_length=5000)] = []
    outputs: Annotated[list[OutputGiven], Field(max_length=500)] = []
    note: Note = ""
    #: of a structure that one customer's line has: its letter; left out: the item's own draft
    letter: RevisionLetter | None = None


@command("draft-structure", "Draft a structure", Role.ENGINEER, Role.CONTROLLER)
def draft_structure(context: Context, given: DraftStructure) -> None:
    """Write the draft of an item's structure; a draft that makes a cycle is refused."""
    item = item_by_code(given.item)
    numbers = [o.number for o in given.operations]
    if twice := sorted({n for n in numbers if numbers.count(n) > 1}):
        raise InvalidInput([f"operations: {n} stands there more than once" for n in twice])
    codes = [*(c.item for c in given.components), *(o.item for o in given.outputs)]
    items = items_by_code(codes)
    centers = {
        w.code: w
        for w in WorkCenter.objects.filter(code__in={o.work_center for o in given.operations})
    }
    for operation in given.operations:
        if operation.work_center not in centers:
            raise NotFound("work center", operation.work_center)
    grades = _named(LabourGrade, "labour grade", {o.labour_grade for o in given.operations})
    suppliers = _named(Partner, "partner", {o.supplier for o in given.operations})
    draft = _draft_of(context, item, given.letter)
    draft.batch_quantity = given.batch_quantity
    draft.share_rule = given.share_rule.value
    draft.main_weight = given.main_weight
    draft.grades = [g.model_dump(mode="json") for g in given.grades]
    draft.note = given.note or ("" if given.letter is None else draft.note)
    draft.change = context.change
    draft.save()
    for rows in (draft.operations, draft.components, draft.outputs):
        rows.all().delete()
    OperationRow.objects.bulk_create(
        OperationRow(
            revision=draft,
            work_center=centers[o.work_center],
            labour_grade=grades.get(o.labour_grade or ""),
            supplier=suppliers.get(o.supplier or ""),
            payment_basis=o.payment_basis.value if o.supplier else "",
            steps=[
                s.model_dump(mode="json", exclude_defaults=True) | {"kind": s.kind.value}
                for s in o.steps
            ],
            **o.model_dump(
                exclude={"work_center", "labour_grade", "supplier", "payment_basis", "steps"}
            ),
        )
        for o in given.operations
    )
    ComponentRow.objects.bulk_create(_component_rows(draft, given, items))
    OutputRow.objects.bulk_create(
        OutputRow(
            revision=draft,
            position=n,
            item=items[o.item],
            kind=o.kind.value,
            **o.model_dump(exclude={"item", "kind"}),
        )
        for n, o in enumerate(given.outputs)
    )
    day = timezone.localdate(context.now)
    written = with_rows(Revision.objects.filter(pk=draft.pk)).get()
    for fault in faults_of(written, Shop.on(day)):
        context.effects.remark(str(draft), fault)
    guard_graph(context)
    refuse_cycle(draft)
    context.made["revision"] = draft.letter
    context.effects.field(
        str(draft),
        "rows",
        None,
        f"{len(given.operations)} operations, {len(given.components)} components, "
        f"{len(given.outputs)} outputs",
    )


def _named(model: type[M], kind: str, codes: set[str | None]) -> dict[str, M]:
    """Return rows by code; the first that does not exist is refused by name."""
    wanted = {c for c in codes if c}
    found = {row.code: row for row in model.objects.filter(code__in=wanted)} if wanted else {}
    for code in sorted(wanted):
        if code not in found:
            raise NotFound(kind, code)
    return found


def _component_rows(
    draft: Revision, given: DraftStructure, items: dict[str, Item]
) -> list[ComponentRow]:
    first = min((o.number for o in given.operations), default=0)
    own = {"item", "operation", "unit", "per", "issue_rule", "measured_by", "alternates"}
    return [
        ComponentRow(
            revision=draft,
            position=n,
            item=items[c.item],
            operation=c.operation or first,
            unit=c.unit if c.unit and c.unit != items[c.item].unit else "",
            per=c.per.value,
            issue_rule=c.issue_rule.value,
            measured_by=c.measured_by.value if c.measured_by else "",
            alternates=[a.model_dump(mode="json") for a in c.alternates],
            **c.model_dump(exclude=own),
        )
        for n, c in enumerate(given.components)
    ]


def guard_graph(context: Context) -> None:
    """Let one command at a time look whether it closes a loop: two could close one between them.

    Taken at the end, when everything is written, and right before the look: whoever comes next
    sees what is committed by then.
    """
    context.guard("structure graph")


def _draft_of(context: Context, item: Item, letter: str | None) -> Revision:
    """Return the item's draft, locked, or a new one with the next letter; of a customer's line, its own."""
    if letter is not None:
        own = Revision.objects.select_related("item").filter(item=item, letter=letter, state=Revision.State.OWN_DRAFT)  # fmt: skip
        missing = NotFound("draft for a customer's line", f"{letter} of {item.code}")
        return context.lock_one(own, "structure", missing)
    existing = context.lock(
        Revision.objects.select_related("item").filter(item=item, state__in=OPEN_STATES),
        "structure",
    )
    if not existing:
        return Revision(item=item, letter=next_letter(item), state=Revision.State.DRAFT)
    if existing[0].state == Revision.State.IN_REVIEW:
        raise InReview(str(existing[0]))
    return existing[0]


def next_letter(item: Item) -> str:
    """Return the letter of an item's next revision."""
    return next_letters([item])[item.pk]


def next_letters(items: Iterable[Item]) -> dict[int, str]:
    """Return the letter of each item's next revision, by key, in one statement."""
    wanted = {i.pk for i in items}
    rows = Revision.objects.filter(item__in=wanted).exclude(letter__startswith=OWN_LETTER)
    counted = rows.order_by().values_list("item_id").annotate(count=Count("pk"))
    counts = dict(counted)
    letters = {}
    for pk in wanted:
        high, low = divmod(counts.get(pk, 0), len(LETTERS))
        letters[pk] = (LETTERS[high - 1] if high else "") + LETTERS[low]
    return letters


def next_own_letter(item: Item) -> str:
    """Return the letter of the next structure that a customer's line has of an item: S1, S2."""
    used = Revision.objects.filter(item=item, letter__startswith=OWN_LETTER).values_list("letter", flat=True)  # fmt: skip
    return f"{OWN_LETTER}{max((int(n[1:]) for n in used), default=0) + 1}"


def refuse_cycle(draft: Revision) -> None:
    """Refuse a draft that would make its item a part of itself, with the whole loop.

    Searched from both ends, from the draft's components downwards and from its item upwards,
    always on the side with fewer items: most of the plant is never looked at. Ask only with the
    graph guarded.
    """
    lines = ComponentRow.objects.exclude(revision__state=Revision.State.RETIRED)
    lines = lines.exclude(revision__item=draft.item_id).order_by()
    #: how each item was reached: from the one above it, and from the one below it
    parent_of = dict.fromkeys(draft.components.values_list("item_id", flat=True), draft.item_id)
    child_of = {draft.item_id: draft.item_id}
    below, above = set(parent_of), {draft.item_id}
    while below and above and not parent_of.keys() & child_of.keys():
        reached: set[int] = set()
        if len(below) <= len(above):
            rows = lines.filter(revision__item__in=below)
            for parent, child in rows.values_list("revision__item_id", "item_id"):
                if child not in parent_of:
                    parent_of[child] = parent
                    reached.add(child)
            below = reached
        else:
            rows = lines.filter(item__in=above)
            for parent, child in rows.values_list("revision__item_id", "item_id"):
                if parent not in child_of:
                    child_of[parent] = child
                    reached.add(parent)
            above = reached
    if not (met := parent_of.keys() & child_of.keys()):
        return
    middle = min(met)
    loop = [parent_of[middle], middle]
    while loop[0] != draft.item_id:
        loop.insert(0, parent_of[loop[0]])
    while loop[-1] != draft.item_id:
        loop.append(child_of[loop[-1]])
    codes = dict(Item.objects.filter(pk__in=loop).values_list("pk", "code"))
    raise CycleFound([codes[pk] for pk in loop])
