"""Structures read from their rows: of a few revisions, or of a whole plant at once."""

from collections.abc import Collection, Iterable, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Any, NamedTuple

import orjson
from django.db.models import QuerySet, TextField
from django.db.models.functions import Cast
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO
from poietic_core.structure.lines import Lines
from poietic_core.structure.model import (
    Alternate,
    ComponentLine,
    Grade,
    InstructionStep,
    IssueRule,
    Operation,
    OutputKind,
    OutputLine,
    PaymentBasis,
    Per,
    ShareRule,
    StepKind,
    Structure,
    Subcontract,
)
from poietic_core.units import Measure, MeasuredBy, exact_factor

from ..catalog.models import Item, ItemUnit
from ..catalog.queries import any_of
from ..web_api.kept import Kept
from .models import ComponentRow, OperationRow, OutputRow, Revision
from .plain_lines import plain_lines, revisions_with_more

#: what an operation of a structure and its row have alike
OPERATION_FIELDS = (
    *("number", "name", "yield_share", "is_report_point", "crew"),
    *("setup_labour_hours", "setup_machine_hours", "run_labour_hours", "run_machine_hours"),
    *("run_quantity", "runs_whole_batches", "machines"),
    *("queue_hours", "wait_hours", "move_hours", "transfer_quantity"),
)
LINE_FIELDS = (
    *("revision_id", "item_id", "operation", "quantity", "per", "allowance", "issue_rule"),
    *("reference", "unit", "measured_by", "length", "width", "thickness"),
    *("alternates", "mix", "effective_from", "effective_until"),
)
#: revisions that are kept once they are read: a whole plant's, whose lines are columns
KEPT_MOST = 200_000
#: revisions from which on plain lines are read column by column
MANY = 2_000
OUTPUT_FIELDS = ("operation", "quantity", "credit_price", "weight")
#: what is read of an operation before that; steps as text, because most have none
SHOP_FIELDS = (
    *("work_center__code", "labour_grade__code", "after", "alternate_centers", "steps_text"),
    *("supplier__code", "subcontract_price", "payment_basis", "days_out"),
)


class Head(NamedTuple):
    """What a revision says beside its rows."""

    pk: int
    item: str
    approved_at: datetime | None
    change: int
    batch_quantity: Decimal
    share_rule: str
    main_weight: Decimal
    grades: list[dict[str, Any]]


HEAD_FIELDS = (
    *("pk", "item__code", "approved_at", "change"),
    *("batch_quantity", "share_rule", "main_weight", "grades"),
)


def structure_of(revision: Revision) -> Structure:
    """Return a revision as a structure.

    Raises NoConversion where a line's unit does not convert into its item's.
    """
    return structures_of([revision])[revision.pk]


#: why the structure of an item can't be read, by its code
Faults = dict[str, DomainError]


def structures_of(
    revisions: Iterable[Revision], faults: Faults | None = None
) -> dict[int, Structure]:
    """Return revisions as structures by key, in a constant number of statements.

    What was approved never changes, so it is read once; only its lines in other units than their
    items' may come to something else, when an item changes. What can't be read is noted in
    `faults`; without them it is raised.
    """
    return _structures([head_of(r) for r in revisions], faults)


def head_of(r: Revision) -> Head:
    """Return what a revision says beside its rows."""
    return Head(
        r.pk,
        r.item.code,
        r.approved_at,
        r.change,
        r.batch_quantity,
        r.share_rule,
        r.main_weight,
        r.grades,
    )


def structures_on(
    revisions: QuerySet[Revision], day: date, faults: Faults | None = None
) -> dict[str, Structure]:
    """Return revisions as structures by item, with the lines that count on a day."""
    heads = [Head(*row) for row in revisions.order_by("item__code").values_list(*HEAD_FIELDS)]
    structures = _structures(heads, faults).values()
    # lines in columns have no days of their own
    return {s.item: s if isinstance(s.components, Lines) else s.on(day) for s in structures}


#: what a structure was made of: its revision, and the items that say what its lines come to, each
#: with its last change. A change number belongs to one command alone, and whoever changes a
#: revision or an item writes one: equal versions are equal structures, in whatever order they came
Version = tuple[int, datetime | None, int, tuple[tuple[int, int], ...]]
#: of an approved revision, the items that its lines are measured by, or converted with
_CONVERTED: Kept[tuple[int, datetime | None, int], tuple[int, ...]] = Kept(KEPT_MOST)
_KEPT: Kept[Version, Structure] = Kept(KEPT_MOST)


def _structures(heads: list[Head], faults: Faults | None) -> dict[int, Structure]:
    versions = _versions(heads)  # before the rows: what changes meanwhile is read again next time
    kept = {h.pk: _KEPT.get(versions[h.pk]) for h in heads}
    read = _read([h for h in heads if kept[h.pk] is None], faults)
    for h in heads:
        if h.approved_at and (structure := read.get(h.pk)):
            _KEPT.keep(versions[h.pk], structure)
    return {pk: s for pk, s in kept.items() if s} | read


def versions_of(revisions: Iterable[Revision]) -> dict[int, Version]:
    """Return what the structures of revisions are made of now, by key: to keep under what follows from them."""
    return _versions([head_of(r) for r in revisions])


def _versions(heads: list[Head]) -> dict[int, Version]:
    """Return the versions of revisions; of what was approved the items are asked for once."""
    keys = {h.pk: (h.pk, h.approved_at, h.change) for h in heads}
    converted = {pk: _CONVERTED.get(key) for pk, key in keys.items()}
    unknown = [pk for pk, items in converted.items() if items is None]
    for pk, items in _converted(unknown).items():
        converted[pk] = _CONVERTED.keep(keys[pk], items) if keys[pk][1] else items
    wanted = {item for items in converted.values() for item in items or ()}
    rows = Item.objects.filter(pk__in=any_of(wanted)) if wanted else Item.objects.none()
    changes = dict(rows.order_by().values_list("pk", "change"))
    return {
        pk: (*key, tuple((item, changes[item]) for item in converted[pk] or ()))
        for pk, key in keys.items()
    }


def _converted(revisions: list[int]) -> dict[int, tuple[int, ...]]:
    """Return the items that lines of revisions are measured by or converted with."""
    found: dict[int, list[int]] = {pk: [] for pk in revisions}
    if revisions:
        rows = ComponentRow.objects.exclude(unit="", measured_by="").order_by()
        if len(revisions) <= MANY:
            rows = rows.filter(revision__in=any_of(revisions))
        for revision, item in rows.values_list("revision_id", "item_id").distinct():
            if revision in found:
                found[revision].append(item)
    return {pk: tuple(sorted(items)) for pk, items in found.items()}


def _read(heads: list[Head], faults: Faults | None) -> dict[int, Structure]:
    """Read revisions' rows as plain values: there may be a million."""
    if not heads:
        return {}
    item_of = {h.pk: h.item for h in heads}
    operations = _operations(item_of)
    components = components_of(item_of, faults)
    outputs = _outputs(item_of)
    return {
        h.pk: Structure(
            item=h.item,
            batch_quantity=h.batch_quantity,
            share_rule=ShareRule(h.share_rule),
            main_weight=h.main_weight,
            grades=tuple(
                Grade(item=g["item"], share=Decimal(g["share"]), weight=Decimal(g["weight"]))
                for g in h.grades
            ),
            operations=tuple(operations.get(h.pk, ())),
            components=components.get(h.pk, ()),
            outputs=tuple(outputs.get(h.pk, ())),
        )
        for h in heads
        if faults is None or h.item not in faults
    }


def _outputs(revisions: Iterable[int]) -> dict[int, list[OutputLine]]:
    found: dict[int, list[OutputLine]] = {}
    rows = OutputRow.objects.filter(revision__in=any_of(revisions))
    names = ("revision_id", "item__code", "kind")
    for row in rows.order_by("operation", "position").values(*OUTPUT_FIELDS, *names):
        line = OutputLine(
            item=row["item__code"],
            kind=OutputKind(row["kind"]),
            **{name: row[name] for name in OUTPUT_FIELDS},
        )
        found.setdefault(row["revision_id"], []).append(line)
    return found


class LineItem(NamedTuple):
    """What a component line needs to know of its item."""

    code: str
    unit: str
    density: Decimal | None


def components_of(
    item_of: dict[int, str], faults: Faults | None
) -> dict[int, Sequence[ComponentLine]]:
    """Return the component lines of revisions, by operation and position."""
    used = Item.objects.order_by()
    if len(item_of) <= MANY:
        return _one_by_one(item_of, used.filter(used_in__revision__in=any_of(item_of)), faults)
    more = revisions_with_more() & item_of.keys()
    found = plain_lines(item_of.keys() - more, dict(used.values_list("pk", "code")))
    return {**found, **_one_by_one({pk: item_of[pk] for pk in more}, used, faults)}


def _one_by_one(
    item_of: dict[int, str], used: QuerySet[Item], faults: Faults | None
) -> dict[int, Sequence[ComponentLine]]:
    """Return the component lines of revisions; those that can't be read are noted in `faults`."""
    items = {pk: LineItem(*rest) for pk, *rest in used.values_list("pk", *LineItem._fields)}
    rows = ComponentRow.objects.filter(revision__in=any_of(item_of))
    read = list(rows.order_by("operation", "position").values(*LINE_FIELDS))
    own = _own_units({row["item_id"] for row in read if row["unit"]})
    found: dict[int, list[ComponentLine]] = {}
    for row in read:
        revision, item = row["revision_id"], row["item_id"]
        try:
            line = _line(row, items[item], own.get(item, {}))
        except DomainError as fault:
            if faults is None:
                raise
            faults[item_of[revision]] = fault
        else:
            found.setdefault(revision, []).append(line)
    return {revision: tuple(lines) for revision, lines in found.items()}


def _own_units(items: Collection[int]) -> dict[int, dict[str, Decimal]]:
    found: dict[int, dict[str, Decimal]] = {}
    rows = ItemUnit.objects.filter(item__in=any_of(items)) if items else ItemUnit.objects.none()
    for item, name, quantity in rows.values_list("item_id", "name", "quantity"):
        found.setdefault(item, {})[name] = quantity
    return found


def _operations(revisions: Iterable[int]) -> dict[int, list[Operation]]:
    """Return the operations of revisions, by number."""
    found: dict[int, list[Operation]] = {}
    rows = OperationRow.objects.filter(revision__in=any_of(revisions)).order_by("number")
    read = rows.annotate(steps_text=Cast("steps", TextField()))
    for row in read.values_list("revision_id", *SHOP_FIELDS, *OPERATION_FIELDS):
        found.setdefault(row[0], []).append(_operation(row))
    return found


def _operation(row: tuple[Any, ...]) -> Operation:
    """Return a row as an operation."""
    _, center, grade, after, alternates, steps, supplier, price, basis, days_out, *own = row
    work = supplier and Subcontract(
        supplier=supplier, price=price, basis=PaymentBasis(basis), days_out=days_out
    )
    return Operation(
        work_center=center,
        labour_grade=grade or "",
        after=None if after is None else tuple(after),
        alternate_centers=tuple(alternates),
        subcontract=work or None,
        steps=() if steps == "[]" else tuple(step_of(s) for s in orjson.loads(steps)),
        **dict(zip(OPERATION_FIELDS, own, strict=True)),
    )


def step_of(kept: dict[str, Any]) -> InstructionStep:
    """Return an instruction step as it is kept."""
    limits = {k: None if kept.get(k) is None else Decimal(kept[k]) for k in ("lower", "upper")}
    return InstructionStep(
        kind=StepKind(kept["kind"]),
        text=kept["text"],
        unit=kept.get("unit", ""),
        picture=kept.get("picture", ""),
        item=kept.get("item", ""),
        **limits,
    )


def _line(row: dict[str, Any], item: LineItem, own: dict[str, Decimal]) -> ComponentLine:
    """Return a row as a component line, its unit converted into the item's stock unit."""
    measure = None
    if row["measured_by"]:
        measure = Measure(
            by=MeasuredBy(row["measured_by"]),
            length=row["length"] or ZERO,
            width=row["width"],
            thickness=row["thickness"],
            density=item.density,
        )
    unit = measure.unit() if measure else row["unit"] or item.unit
    factor = exact_factor(unit, item.unit, item=item.code, stock_unit=item.unit, own=own)
    return ComponentLine(
        item=item.code,
        operation=row["operation"],
        quantity=row["quantity"],
        per=Per(row["per"]),
        allowance=row["allowance"],
        issue_rule=IssueRule(row["issue_rule"]),
        unit="pcs" if measure else row["unit"],
        unit_factor=factor,
        measure=measure,
        alternates=tuple(
            Alternate(item=a["item"], ratio=Decimal(a["ratio"])) for a in row["alternates"]
        ),
        mix=row["mix"],
        reference=row["reference"],
        effective_from=row["effective_from"],
        effective_until=row["effective_until"],
    )
