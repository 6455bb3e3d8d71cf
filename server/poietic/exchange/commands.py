"""Importing a file: all of it, or nothing."""

from dataclasses import dataclass
from typing import Annotated, Any, ClassVar

from django.utils import timezone
from poietic_core.errors import DomainError
from pydantic import Field

from ..catalog.models import Item
from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..engineering.commands.structures import guard_graph, next_letters
from ..engineering.models import ComponentRow, OperationRow, OutputRow, Revision, WorkCenter
from ..engineering.queries import in_force
from ..ledger.models import Holding
from ..web_api.errors import NotFound
from ..web_api.fields import Strict
from .models import Upload
from .plan import ImportPlan, after_of, batch_quantity, plan_import
from .reading import read_file
from .tables import BY_NAME, Row

CHUNK = 5_000


@dataclass(eq=False)
class RowsRefused(DomainError):
    """Rows of a file can't be taken, so none is."""

    name: str
    count: int
    first: list[str]
    code: ClassVar[str] = "exchange.rows_refused"
    what: ClassVar[str] = "{name} is not imported: {count} of its rows are refused."
    why: ClassVar[str] = "{first}"
    fix: ClassVar[str] = (
        "Correct these rows and bring the file again; a file is taken whole or not at all."
    )


class ImportTables(Strict):
    """An uploaded file to take in; its structures come into force today."""

    upload: Annotated[int, Field(ge=1, le=2**62)]


@command("import-tables", "Import tables", Role.ENGINEER)
def import_tables(context: Context, given: ImportTables) -> None:
    """Take in the items, work centers and structures of a file, all or nothing."""
    upload = Upload.objects.filter(pk=given.upload).first()
    if upload is None:
        raise NotFound("upload", str(given.upload))
    guard_graph()
    day = timezone.localdate(context.now)
    plan = plan_import(read_file(upload.name, bytes(upload.content)), day)
    refused = [r for r in plan.rows if r.status == "refused"]
    if refused:
        first = [f"{r.table} line {r.line}: {r.why}" for r in refused[:5]]
        raise RowsRefused(upload.name, len(refused), first)
    _write_items(context, plan)
    _write_work_centers(context, plan)
    _write_structures(context, plan)
    for status in ("new", "changed", "same"):
        context.effects.field(upload.name, f"rows {status}", None, plan.count(status) or None)


def _fields(row: Row, table: str) -> dict[str, Any]:
    return {c.name: row.values[c.name] for c in BY_NAME[table].columns}


def _write_items(context: Context, plan: ImportPlan) -> None:
    fresh = [
        Item(**_fields(row, "items"), change=context.change) for row in plan.items.get("new", [])
    ]
    Item.objects.bulk_create(fresh, batch_size=CHUNK)
    Holding.objects.bulk_create(
        (Holding(item=item, change=context.change) for item in fresh), batch_size=CHUNK
    )
    changed = {row.values["code"]: row for row in plan.items.get("changed", [])}
    if changed:
        items = list(Item.objects.filter(code__in=changed).select_for_update().order_by("pk"))
        for item in items:
            for name, value in _fields(changed[item.code], "items").items():
                setattr(item, name, value)
            item.change = context.change
        names = ["name", "standard_lot", "price", "density", "change"]
        Item.objects.bulk_update(items, names, batch_size=CHUNK)


def _write_work_centers(context: Context, plan: ImportPlan) -> None:
    WorkCenter.objects.bulk_create(
        WorkCenter(**_fields(row, "work_centers"), change=context.change)
        for row in plan.work_centers.get("new", [])
    )
    for row in plan.work_centers.get("changed", []):
        WorkCenter.objects.filter(code=row.values["code"]).update(
            **_fields(row, "work_centers"), change=context.change
        )


def _write_structures(context: Context, plan: ImportPlan) -> None:
    if not plan.structures:
        return
    day = timezone.localdate(context.now)
    codes = set(plan.structures) | {
        r.values[column]
        for group in plan.structures.values()
        for rows, column in ((group.components, "component"), (group.outputs, "by_product"))
        for r in rows
    }
    items = {i.code: i for i in Item.objects.filter(code__in=codes)}
    centers = {w.code: w for w in WorkCenter.objects.all()}
    parents = [items[code] for code in plan.structures]
    letters = next_letters(parents)
    ended = in_force(day).filter(item__in=parents, state=Revision.State.APPROVED)
    Revision.objects.filter(pk__in=list(ended.values_list("pk", flat=True))).update(
        effective_to=day, state=Revision.State.RETIRED, change=context.change
    )
    revisions = Revision.objects.bulk_create(
        (
            Revision(
                item=items[code],
                letter=letters[items[code].pk],
                state=Revision.State.APPROVED,
                batch_quantity=batch_quantity(group),
                effective_from=day,
                approved_at=context.now,
                approved_by_id=context.person.pk if context.person else None,
                note="imported",
                change=context.change,
            )
            for code, group in plan.structures.items()
        ),
        batch_size=CHUNK,
    )
    pairs = list(zip(revisions, plan.structures.values(), strict=True))
    OperationRow.objects.bulk_create(
        (
            OperationRow(
                revision=revision,
                work_center=centers[row.values["work_center"]],
                after=None if (a := after_of(row.values["after"])) is None else list(a),
                **{
                    k: v
                    for k, v in _fields(row, "operations").items()
                    if k not in ("item", "work_center", "after", "batch_quantity")
                },
            )
            for revision, group in pairs
            for row in group.operations
        ),
        batch_size=CHUNK,
    )
    ComponentRow.objects.bulk_create(
        (
            ComponentRow(
                revision=revision,
                position=n,
                item=items[row.values["component"]],
                **{
                    k: v
                    for k, v in _fields(row, "components").items()
                    if k not in ("item", "component", "unit")
                },
                unit=_line_unit(row, items),
            )
            for revision, group in pairs
            for n, row in enumerate(group.components)
        ),
        batch_size=CHUNK,
    )
    OutputRow.objects.bulk_create(
        (
            OutputRow(
                revision=revision,
                position=n,
                item=items[row.values["by_product"]],
                operation=row.values["operation"],
                quantity=row.values["quantity"],
                credit_price=row.values["credit_price"],
            )
            for revision, group in pairs
            for n, row in enumerate(group.outputs)
        ),
        batch_size=CHUNK,
    )
    context.made["structures"] = str(len(revisions))


def _line_unit(row: Row, items: dict[str, Item]) -> str:
    unit: str = row.values["unit"] or ""
    return "" if unit == items[row.values["component"]].unit else unit
