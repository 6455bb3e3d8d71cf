"""Structures read from their rows: of a few revisions, or of a whole plant at once."""

from collections.abc import Collection, Iterable, Iterator
from datetime import date, datetime
from decimal import Decimal
from operator import itemgetter
from typing import Any, NamedTuple

import orjson
from django.db.models import Max, QuerySet, TextField
from django.db.models.functions import Cast
from poietic_core.errors import DomainError
from poietic_core.quantity import ONE, ZERO
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
from poietic_core.units import Measure, MeasuredBy, conversion_factor

from ..catalog.models import Item, ItemUnit
from ..catalog.queries import any_of
from ..web_api.kept import Kept
from .models import ComponentRow, OperationRow, OutputRow, Revision

#: what an operation of a structure and its row have alike
OPERATION_FIELDS = (
    *("number", "name", "yield_share", "is_report_point", "crew"),
    *("setup_labour_hours", "setup_machine_hours", "run_labour_hours", "run_machine_hours"),
    *("run_quantity", "runs_whole_batches", "machines"),
    *("queue_hours", "wait_hours", "move_hours", "transfer_quantity"),
)
#: what is read of a component line; alternates as text, because most have none and reading a
#: million JSON values takes longer than all the rest
LINE_FIELDS = (
    *("revision_id", "position", "operation", "item_id"),
    *("quantity", "per", "allowance", "issue_rule", "unit", "reference"),
    *("effective_from", "effective_until", "alternates_text"),
    *("measured_by", "length", "width", "thickness"),
)
ITEM, STATED_UNIT = LINE_FIELDS.index("item_id"), LINE_FIELDS.index("unit")
#: revisions that are read once and kept; of more, which are a whole plant's, none is
KEPT_MOST = 50_000
#: revisions from which on all items are read, rather than those that are named
MANY = 2_000
OUTPUT_FIELDS = ("operation", "quantity", "credit_price", "weight")
SUBCONTRACT_FIELDS = ("supplier__code", "subcontract_price", "payment_basis", "days_out")


class Head(NamedTuple):
    """What a revision says beside its rows."""

    pk: int
    item: str
    approved_at: datetime | None
    batch_quantity: Decimal
    share_rule: str
    main_weight: Decimal
    grades: list[dict[str, Any]]


HEAD_FIELDS = (
    *("pk", "item__code", "approved_at", "batch_quantity", "share_rule", "main_weight", "grades"),
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

    What was approved never changes, so it is read once; only its units may convert in another
    way, when an item changes. What can't be read is noted in `faults`; without them it is raised.
    """
    heads = [
        Head(
            r.pk,
            r.item.code,
            r.approved_at,
            r.batch_quantity,
            r.share_rule,
            r.main_weight,
            r.grades,
        )
        for r in revisions
    ]
    return _structures(heads, faults)


def structures_on(
    revisions: QuerySet[Revision], day: date, faults: Faults | None = None
) -> dict[str, Structure]:
    """Return revisions as structures by item, with the lines that count on a day."""
    heads = [Head(*row) for row in revisions.order_by("item__code").values_list(*HEAD_FIELDS)]
    return {s.item: s.on(day) for s in _structures(heads, faults).values()}


def _structures(heads: list[Head], faults: Faults | None) -> dict[int, Structure]:
    if len(heads) > KEPT_MOST:
        return _read(heads, faults)
    version = Item.objects.aggregate(last=Max("change"))["last"] or 0
    keys = {h.pk: (h.pk, h.approved_at, version) for h in heads}
    found = {h.pk: kept for h in heads if h.approved_at and (kept := _KEPT.get(keys[h.pk]))}
    for pk, structure in _read([h for h in heads if h.pk not in found], faults).items():
        found[pk] = structure
        if keys[pk][1]:
            _KEPT.keep(keys[pk], structure)
    return found


#: structures by revision, its approval, and the last change of any item
_KEPT: Kept[tuple[int, datetime | None, int], Structure] = Kept(KEPT_MOST)


def _read(heads: list[Head], faults: Faults | None) -> dict[int, Structure]:
    """Read revisions' rows as plain values: there may be a million."""
    if not heads:
        return {}
    operations: dict[int, list[Operation]] = {h.pk: [] for h in heads}
    components: dict[int, list[tuple[int, int, ComponentLine]]] = {h.pk: [] for h in heads}
    outputs: dict[int, list[OutputLine]] = {h.pk: [] for h in heads}
    rows = OperationRow.objects.filter(revision__in=any_of(operations)).order_by("number")
    names = ("revision_id", "work_center__code", "labour_grade__code", "after", "alternate_centers", "steps")  # fmt: skip
    for row in rows.values(*OPERATION_FIELDS, *SUBCONTRACT_FIELDS, *names):
        operations[row["revision_id"]].append(_operation(row))
    item_of = {h.pk: h.item for h in heads}
    for revision, position, line in _lines(item_of, faults):
        components[revision].append((line.operation, position, line))
    by_products = OutputRow.objects.filter(revision__in=any_of(outputs))
    for row in by_products.order_by("operation", "position").values(
        *OUTPUT_FIELDS, "revision_id", "item__code", "kind"
    ):
        outputs[row["revision_id"]].append(
            OutputLine(
                item=row["item__code"],
                kind=OutputKind(row["kind"]),
                **{name: row[name] for name in OUTPUT_FIELDS},
            )
        )
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
            operations=tuple(operations[h.pk]),
            components=tuple(c for _, _, c in sorted(components[h.pk], key=itemgetter(0, 1))),
            outputs=tuple(outputs[h.pk]),
        )
        for h in heads
        if faults is None or h.item not in faults
    }


class LineItem(NamedTuple):
    """What a component line needs to know of its item."""

    code: str
    unit: str
    density: Decimal | None


def _lines(
    item_of: dict[int, str], faults: Faults | None
) -> Iterator[tuple[int, int, ComponentLine]]:
    """Yield the component lines of revisions, each with its revision and position; in any order."""
    rows = ComponentRow.objects.filter(revision__in=any_of(item_of)).order_by()
    read = rows.annotate(alternates_text=Cast("alternates", TextField())).values_list(*LINE_FIELDS)
    lines = list(read)
    items = _items(None if len(item_of) > MANY else {line[ITEM] for line in lines})
    own: dict[int, dict[str, Decimal]] | None = None
    for row in lines:
        revision, position, _, item, *_ = row
        if own is None and row[STATED_UNIT]:
            own = _own_units(rows.exclude(unit="").values("item_id"))
        try:
            line = _line(row, items[item], (own or {}).get(item, {}))
        except DomainError as fault:
            if faults is None:
                raise
            faults[item_of[revision]] = fault
        else:
            yield revision, position, line


def _items(named: Collection[int] | None) -> dict[int, LineItem]:
    """Return what lines need to know of the items named; of all where None is given."""
    rows = Item.objects.all() if named is None else Item.objects.filter(pk__in=any_of(named))
    read = rows.order_by().values_list("pk", "code", "unit", "density")
    return {pk: LineItem(*rest) for pk, *rest in read}


def _own_units(items: QuerySet[Any, dict[str, int]]) -> dict[int, dict[str, Decimal]]:
    found: dict[int, dict[str, Decimal]] = {}
    rows = ItemUnit.objects.filter(item__in=items).values_list("item_id", "name", "quantity")
    for item, name, quantity in rows:
        found.setdefault(item, {})[name] = quantity
    return found


def _operation(row: dict[str, Any]) -> Operation:
    """Return a row as an operation."""
    supplier, after = row["supplier__code"], row["after"]
    work = supplier and Subcontract(
        supplier=supplier,
        price=row["subcontract_price"],
        basis=PaymentBasis(row["payment_basis"]),
        days_out=row["days_out"],
    )
    return Operation(
        work_center=row["work_center__code"],
        labour_grade=row["labour_grade__code"] or "",
        after=None if after is None else tuple(after),
        alternate_centers=tuple(row["alternate_centers"]),
        subcontract=work or None,
        steps=tuple(step_of(s) for s in row["steps"]),
        **{name: row[name] for name in OPERATION_FIELDS},
    )


def step_of(kept: dict[str, Any]) -> InstructionStep:
    """Return an instruction step as it is kept."""
    limits = {k: None if kept.get(k) is None else Decimal(kept[k]) for k in ("lower", "upper")}
    return InstructionStep(
        kind=StepKind(kept["kind"]),
        text=kept["text"],
        unit=kept.get("unit", ""),
        picture=kept.get("picture", ""),
        **limits,
    )


def _line(row: tuple[Any, ...], item: LineItem, own: dict[str, Decimal]) -> ComponentLine:
    """Return a row as a component line, its unit converted into the item's stock unit."""
    (_, _, operation, _, quantity, per, allowance, rule, stated, reference, effective_from,
     effective_until, alternates, measured_by, length, width, thickness) = row  # fmt: skip
    code, stock_unit, density = item
    measure = None
    factor = ONE
    if measured_by:
        measure = Measure(
            by=MeasuredBy(measured_by),
            length=length or ZERO,
            width=width,
            thickness=thickness,
            density=density,
        )
    unit = measure.unit() if measure else stated or stock_unit
    if unit != stock_unit:
        factor = conversion_factor(unit, stock_unit, item=code, stock_unit=stock_unit, own=own)
    return ComponentLine(
        item=code,
        operation=operation,
        quantity=quantity,
        per=PER[per],
        allowance=allowance,
        issue_rule=ISSUE_RULE[rule],
        unit="pcs" if measure else stated,
        unit_factor=factor,
        measure=measure,
        alternates=() if alternates == "[]" else _alternates(alternates),
        reference=reference,
        effective_from=effective_from,
        effective_until=effective_until,
    )


PER = {p.value: p for p in Per}
ISSUE_RULE = {r.value: r for r in IssueRule}


def _alternates(kept: str) -> tuple[Alternate, ...]:
    return tuple(Alternate(item=a["item"], ratio=Decimal(a["ratio"])) for a in orjson.loads(kept))
