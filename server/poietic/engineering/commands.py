"""Commands on work centers and structures."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar

from django.db import connection
from poietic_core.errors import DomainError
from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.explode import working_order
from poietic_core.structure.model import IssueRule, Per
from poietic_core.structure.rules import problems_of
from pydantic import Field

from ..catalog.commands import require_free
from ..catalog.models import Item
from ..catalog.queries import item_by_code, items_by_code
from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..web_api.errors import NotFound
from ..web_api.fields import Code, Name, Note, NotNegative, OperationNumber, Quantity, Strict
from .models import ComponentRow, OperationRow, OutputRow, Revision, WorkCenter
from .queries import structure_of, with_rows

LETTERS = "ABCDEFGHJKLMNPRTUVWY"  # without those that are read as others


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


class DefineWorkCenter(Strict):
    """A new work center with its rates per hour."""

    code: Code
    name: Name
    machine_rate: NotNegative
    labour_rate: NotNegative


class ChangeWorkCenter(Strict):
    """Fields of a work center to change; what is not named stays."""

    code: Code
    name: Name | None = None
    machine_rate: NotNegative | None = None
    labour_rate: NotNegative | None = None


class OperationGiven(Strict):
    """One operation of a draft; hours to set up per order, to run per unit."""

    number: OperationNumber
    name: Name
    work_center: Code
    setup_labour_hours: NotNegative = ZERO
    setup_machine_hours: NotNegative = ZERO
    run_labour_hours: NotNegative = ZERO
    run_machine_hours: NotNegative = ZERO
    yield_share: Quantity = ONE
    is_report_point: bool = True


class ComponentGiven(Strict):
    """One component line of a draft; the operation defaults to the first."""

    item: Code
    operation: OperationNumber | None = None
    quantity: Quantity
    unit: str | None = None
    per: Per = Per.UNIT
    allowance: NotNegative = ZERO
    issue_rule: IssueRule = IssueRule.BY_HAND


class OutputGiven(Strict):
    """One by-product line of a draft."""

    item: Code
    operation: OperationNumber
    quantity: Quantity
    credit_price: NotNegative


class DraftStructure(Strict):
    """The whole content of an item's draft; it replaces what the draft held."""

    item: Code
    batch_quantity: Quantity = ONE
    operations: Annotated[list[OperationGiven], Field(max_length=500)]
    components: Annotated[list[ComponentGiven], Field(max_length=5000)] = []
    outputs: Annotated[list[OutputGiven], Field(max_length=500)] = []
    note: Note = ""


class ApproveStructure(Strict):
    """The item whose draft is to come into force."""

    item: Code
    note: Note = ""


@dataclass(eq=False)
class OtherUnit(DomainError):
    """A line is stated in a unit that its item is not kept in."""

    item: str
    unit: str
    stock_unit: str
    code: ClassVar[str] = "quantity.other_unit"
    what: ClassVar[str] = "The line of {item} is stated in {unit}."
    why: ClassVar[str] = (
        "{item} is kept in {stock_unit}, and nothing converts {unit} to {stock_unit}."
    )
    fix: ClassVar[str] = "State the line in {stock_unit}."


@command("define-work-center", "Define a work center", Role.ENGINEER, Role.COST_ACCOUNTANT)
def define_work_center(context: Context, given: DefineWorkCenter) -> None:
    """Make a work center."""
    require_free(WorkCenter.objects.all(), "work center", given.code)
    WorkCenter.objects.create(**given.model_dump(), change=context.change)
    context.made["work center"] = given.code
    context.effects.field(f"work center {given.code}", "work center", None, given.name)


@command("change-work-center", "Change a work center", Role.ENGINEER, Role.COST_ACCOUNTANT)
def change_work_center(context: Context, given: ChangeWorkCenter) -> None:
    """Change a work center's name or rates; frozen standards keep the rates they were frozen with."""
    center = context.lock_one(
        WorkCenter.objects.filter(code=given.code),
        "work center",
        NotFound("work center", given.code),
    )
    for name, after in given.model_dump(exclude={"code"}, exclude_none=True).items():
        before = getattr(center, name)
        context.effects.field(f"work center {center.code}", name.replace("_", " "), before, after)
        setattr(center, name, after)
    center.change = context.change
    center.save()


@command("draft-structure", "Draft a structure", Role.ENGINEER, Role.CONTROLLER)
def draft_structure(context: Context, given: DraftStructure) -> None:
    """Write the draft of an item's structure; a draft that makes a cycle is refused."""
    item = item_by_code(given.item)
    codes = [line.item for line in (*given.components, *given.outputs)]
    items = items_by_code(codes)
    for line in given.components:
        if line.unit and line.unit != items[line.item].unit:
            raise OtherUnit(line.item, line.unit, items[line.item].unit)
    centers = {
        w.code: w
        for w in WorkCenter.objects.filter(code__in={o.work_center for o in given.operations})
    }
    for operation in given.operations:
        if operation.work_center not in centers:
            raise NotFound("work center", operation.work_center)
    _guard_graph()
    draft = _draft_of(context, item)
    draft.batch_quantity = given.batch_quantity
    draft.note = given.note
    draft.change = context.change
    draft.save()
    for rows in (draft.operations, draft.components, draft.outputs):
        rows.all().delete()
    first = min((o.number for o in given.operations), default=0)
    OperationRow.objects.bulk_create(
        OperationRow(
            revision=draft,
            work_center=centers[o.work_center],
            **o.model_dump(exclude={"work_center"}),
        )
        for o in given.operations
    )
    ComponentRow.objects.bulk_create(
        ComponentRow(
            revision=draft,
            position=n,
            item=items[c.item],
            operation=c.operation or first,
            quantity=c.quantity,
            per=c.per.value,
            allowance=c.allowance,
            issue_rule=c.issue_rule.value,
        )
        for n, c in enumerate(given.components)
    )
    OutputRow.objects.bulk_create(
        OutputRow(revision=draft, position=n, item=items[o.item], **o.model_dump(exclude={"item"}))
        for n, o in enumerate(given.outputs)
    )
    working_order(_graph_with(draft))
    context.made["revision"] = draft.letter
    context.effects.field(
        str(draft),
        "rows",
        None,
        f"{len(given.operations)} operations, {len(given.components)} components, "
        f"{len(given.outputs)} by-products",
    )


@command("approve-structure", "Approve a structure", Role.ENGINEER, Role.CONTROLLER)
def approve_structure(context: Context, given: ApproveStructure) -> None:
    """Bring an item's draft into force; the revision before it is retired."""
    item = item_by_code(given.item)
    _guard_graph()
    drafts = with_rows(Revision.objects.filter(item=item, state=Revision.State.DRAFT))
    draft = context.lock_one(drafts, "structure", NotFound("draft of", given.item))
    problems = [f"{p.place}: {p.why} {p.fix}" for p in problems_of(structure_of(draft))]
    problems += [
        f"component:{c.item.code}: It is inactive. Make it active or remove it."
        for c in draft.components.all()
        if not c.item.is_active
    ]
    if not item.is_made:
        problems.append(f"item:{item.code}: It is bought. Define what is made as an item to make.")
    if problems:
        raise NotApprovable(str(draft), problems)
    working_order(_graph_with(draft))
    for old in context.lock(
        Revision.objects.select_related("item").filter(item=item, state=Revision.State.APPROVED),
        "structure",
    ):
        old.state = Revision.State.RETIRED
        old.change = context.change
        old.save(update_fields=["state", "change"])
        context.effects.field(str(old), "state", "approved", "retired")
    draft.state = Revision.State.APPROVED
    draft.approved_at = context.now
    draft.note = given.note or draft.note
    draft.change = context.change
    draft.save(update_fields=["state", "approved_at", "note", "change"])
    context.made["item"] = item.code
    context.effects.field(str(draft), "state", "draft", "approved")


def _guard_graph() -> None:
    """Let one command at a time change the graph: two saves could close a loop between them."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(hashtext('structure graph'))")


def _draft_of(context: Context, item: Item) -> Revision:
    """Return the item's draft, locked, or a new one with the next letter."""
    existing = context.lock(
        Revision.objects.select_related("item").filter(item=item, state=Revision.State.DRAFT),
        "structure",
    )
    if existing:
        return existing[0]
    number = Revision.objects.filter(item=item).count()
    high, low = divmod(number, len(LETTERS))
    letter = (LETTERS[high - 1] if high else "") + LETTERS[low]
    return Revision(item=item, letter=letter, state=Revision.State.DRAFT)


def _graph_with(draft: Revision) -> dict[str, dict[str, Decimal]]:
    """Return the graph of structures in force and in draft, with this draft in its item's place."""
    graph: dict[str, dict[str, Decimal]] = {}
    lines = ComponentRow.objects.filter(
        revision__state__in=[Revision.State.APPROVED, Revision.State.DRAFT]
    ).exclude(revision__item=draft.item, revision__state=Revision.State.APPROVED)
    for parent, child, quantity in lines.values_list(
        "revision__item__code", "item__code", "quantity"
    ):
        graph.setdefault(parent, {})[child] = quantity
    return graph
