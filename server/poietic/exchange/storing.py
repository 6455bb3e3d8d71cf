"""The rows of an import, written in bulk: each kind of thing before those that name it."""

from collections.abc import Iterable
from typing import Any

from django.db import connection
from django.db.models import Model, QuerySet
from django.utils import timezone
from poietic_core.cost.rates import rate_of
from poietic_core.effectivity import latest_begun

from ..catalog.commands.places import give_places
from ..catalog.models import Item, ItemUnit, ListPrice, Partner, PriceRow
from ..catalog.queries import any_of
from ..commanding.models import Changing
from ..commanding.registry import Context
from ..engineering.commands.structures import next_letters
from ..engineering.commands.work_centers import plain_layers
from ..engineering.models import (
    OWN_STATES,
    ComponentRow,
    DayException,
    GradeRate,
    LabourGrade,
    OperationRow,
    OutputRow,
    Revision,
    ShiftRow,
    WorkCalendar,
    WorkCenter,
    WorkCenterRate,
)
from ..engineering.queries import in_force
from ..engineering.rates import layers_of
from ..ledger.models import Holding
from ..web_api.fields import plain
from .plan import PARTS, ImportPlan, StructureRows, after_of, structure_fields
from .reading import Content
from .tables import BY_NAME, Row

CHUNK = 2_000
LISTS_OF_CALENDARS = ("shifts", "exceptions")
LISTS_OF_ITEMS = ("item_units", "prices", "list_prices")
#: rows after which the database looks at its tables anew
MANY = 1_000


def store(context: Context, plan: ImportPlan) -> None:
    """Write all that a plan without refused rows would do."""
    _write_named(context, Partner, plan.things["partners"])
    _write_grades(context, plan.things["labour_grades"])
    _write_named(context, WorkCalendar, plan.things["calendars"])
    _write_items(context, plan.things["items"])
    _write_work_centers(context, plan.things["work_centers"])
    _write_lists(context, plan.lists)
    written = sum(len(rows) for table in plan.things.values() for rows in table.values())
    context.progress("writing structures", written, len(plan.rows))
    _write_structures(context, plan.structures, written, len(plan.rows))
    if len(plan.rows) > MANY:
        with connection.cursor() as cursor:  # else it plans as if the tables were nearly empty
            cursor.execute("SELECT exchange_fresh_statistics()")


#: what the rows of a table change: the column that names it, in the tables of each kind of thing
CHANGED: dict[type[Changing], dict[str, str]] = {
    Partner: {"partners": "code"},
    LabourGrade: {"labour_grades": "code"},
    WorkCalendar: {"calendars": "code", "shifts": "calendar", "exceptions": "calendar"},
    Item: {"items": "code", "item_units": "item", "prices": "item", "list_prices": "item"},
    WorkCenter: {"work_centers": "code", "rates": "work_center"},
    Revision: dict.fromkeys(PARTS, "item"),
}


def named_rows(content: Content) -> dict[type[Changing], QuerySet[Any]]:
    """Return what a file may change, kind by kind."""
    found: dict[type[Changing], QuerySet[Any]] = {}
    for model, tables in CHANGED.items():
        named = {
            str(row.values.get(column) or "")
            for table, column in tables.items()
            for row in content.rows.get(table, [])
        }
        if not named:
            continue
        rows: QuerySet[Any] = model._default_manager.order_by()
        if model is Revision:
            rows = rows.filter(item__code__in=any_of(named)).exclude(
                state__in=[Revision.State.RETIRED, *OWN_STATES]
            )
        else:
            rows = rows.filter(code__in=any_of(named))
        found[model] = rows
    return found


def state_of(named: dict[type[Changing], QuerySet[Any]]) -> dict[type[Changing], set[Any]]:
    """Return what tells whether any of it was changed: keys with change numbers."""
    return {model: set(rows.values_list("pk", "change")) for model, rows in named.items()}


def _fields(row: Row, table: str, *, without: Iterable[str] = ()) -> dict[str, Any]:
    return {c.name: row.values[c.name] for c in BY_NAME[table].columns if c.name not in without}


def _write_named(
    context: Context, model: type[Partner] | type[WorkCalendar], rows: dict[str, list[Row]]
) -> None:
    written = [
        model.objects.update_or_create(
            code=row.values["code"], defaults=row.values | {"change": context.change}
        )[0]
        for row in (*rows["new"], *rows["changed"])
    ]
    give_places([p for p in written if isinstance(p, Partner)], context.change)


def _write_grades(context: Context, rows: dict[str, list[Row]]) -> None:
    """A new grade has its rate from the beginning; a changed rate counts from today."""
    for status, day in (("new", None), ("changed", timezone.localdate(context.now))):
        for row in rows[status]:
            grade, _ = LabourGrade.objects.update_or_create(
                code=row.values["code"],
                defaults={"name": row.values["name"], "change": context.change},
            )
            GradeRate.objects.update_or_create(
                grade=grade, effective_from=day, defaults={"rate": row.values["rate"]}
            )


def _write_items(context: Context, rows: dict[str, list[Row]]) -> None:
    fresh = [Item(**_fields(row, "items"), change=context.change) for row in rows["new"]]
    Item.objects.bulk_create(fresh, batch_size=CHUNK)
    Holding.objects.bulk_create(
        (Holding(item=item, change=context.change) for item in fresh), batch_size=CHUNK
    )
    changed = {row.values["code"]: row for row in rows["changed"]}
    if changed:
        items = list(Item.objects.filter(code__in=any_of(changed)).order_by("pk"))
        for item in items:
            for name, value in _fields(changed[item.code], "items").items():
                setattr(item, name, value)
            item.change = context.change
        names = [c.name for c in BY_NAME["items"].columns if c.name != "code"]
        # one statement for many rows; Django's bulk_update asks for each field case by case
        Item.objects.bulk_create(
            items,
            batch_size=CHUNK,
            update_conflicts=True,
            unique_fields=["id"],
            update_fields=[*names, "change"],
        )


def _write_work_centers(context: Context, rows: dict[str, list[Row]]) -> None:
    """A new work center has its rates from the beginning; changed rates count from today."""
    calendars = {c.code: c for c in WorkCalendar.objects.all()}
    for status, day in (("new", None), ("changed", timezone.localdate(context.now))):
        for row in rows[status]:
            v = row.values
            fields = _fields(row, "work_centers", without=("machine_rate", "labour_rate", "code"))
            fields |= {"calendar": calendars.get(v["calendar"]), "change": context.change}
            center, _ = WorkCenter.objects.update_or_create(code=v["code"], defaults=fields)
            now = latest_begun(center.rates.all(), timezone.localdate(context.now))
            if now and (now.labour_rate, rate_of(layers_of(now)).per_hour) == (
                v["labour_rate"],
                v["machine_rate"],
            ):
                continue
            WorkCenterRate.objects.update_or_create(
                work_center=center,
                effective_from=day,
                defaults={
                    "labour_rate": v["labour_rate"],
                    "layers": plain_layers(v["machine_rate"]),
                },
            )


def _write_lists(context: Context, lists: dict[str, dict[str, list[Row]]]) -> None:
    """Replace the lists of their parents: that changes the parents."""
    for parent, tables in ((WorkCalendar, LISTS_OF_CALENDARS), (Item, LISTS_OF_ITEMS), (WorkCenter, ("rates",))):  # fmt: skip
        parents = {code for table in tables for code in lists[table]}
        if parents:
            parent.objects.filter(code__in=any_of(parents)).update(change=context.change)
    calendars = {c.code: c for c in WorkCalendar.objects.all()}
    partners = {p.code: p for p in Partner.objects.all()}
    for table, model in (("shifts", ShiftRow), ("exceptions", DayException)):
        groups = lists[table]
        model.objects.filter(calendar__code__in=groups).delete()
        _create(
            model,
            (
                model(calendar=calendars[code], **_fields(row, table, without=("calendar",)))
                for code, rows in groups.items()
                for row in rows
            ),
        )
    groups = lists["item_units"]
    items = {i.code: i for i in Item.objects.filter(code__in=groups)}
    ItemUnit.objects.filter(item__in=items.values()).delete()
    _create(
        ItemUnit,
        (
            ItemUnit(item=items[code], **_fields(row, "item_units", without=("item",)))
            for code, rows in groups.items()
            for row in rows
        ),
    )
    for table, price, partner in (
        ("prices", PriceRow, "supplier"),
        ("list_prices", ListPrice, "customer"),
    ):
        groups = lists[table]
        items = {i.code: i for i in Item.objects.filter(code__in=groups)}
        price.objects.filter(item__in=items.values()).delete()
        _create(
            price,
            (
                price(
                    item=items[code],
                    position=n,
                    **{partner: partners.get(row.values[partner])},
                    **_fields(row, table, without=("item", partner)),
                )
                for code, rows in groups.items()
                for n, row in enumerate(rows)
            ),
        )
    for code, rows in lists["rates"].items():
        _write_rates(WorkCenter.objects.get(code=code), rows)


def _write_rates(center: WorkCenter, rows: list[Row]) -> None:
    center.rates.all().delete()
    found: dict[Any, WorkCenterRate] = {}
    for row in rows:
        v = row.values
        rate = found.setdefault(
            v["effective_from"],
            WorkCenterRate(
                work_center=center,
                effective_from=v["effective_from"],
                labour_rate=v["labour_rate"],
                layers=[],
            ),
        )
        layer = {"name": v["layer"], "element": v["element"], "of": v["of"]}
        layer |= {"amount": plain(v["amount"]), "percent": plain(v["percent"])}
        rate.layers.append({k: x for k, x in layer.items() if x not in ("", "0")})
    for rate in found.values():
        rate_of(layers_of(rate))  # refuses a percentage of a layer that is not above it
    WorkCenterRate.objects.bulk_create(found.values())


def _create(model: type[Model], rows: Iterable[Any]) -> None:
    model.objects.bulk_create(rows, batch_size=CHUNK)  # type: ignore[attr-defined]


def _write_structures(
    context: Context, structures: dict[str, StructureRows], written: int, total: int
) -> None:
    """Bring the structures into force today, in the place of those that are."""
    if not structures:
        return
    day = timezone.localdate(context.now)
    codes = set(structures) | {
        r.values[column]
        for group in structures.values()
        for rows, column in ((group.components, "component"), (group.outputs, "output"))
        for r in rows
    }
    items = {i.code: i for i in Item.objects.filter(code__in=codes)}
    parents = [items[code] for code in structures]
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
                effective_from=day,
                approved_at=context.now,
                approved_by_id=context.person.pk if context.person else None,
                note="imported",
                change=context.change,
                **{k: v for k, v in structure_fields(group).items() if k != "item"},
            )
            for code, group in structures.items()
        ),
        batch_size=CHUNK,
    )
    pairs = list(zip(revisions, structures.values(), strict=True))
    for begin in range(0, len(pairs), CHUNK):
        part = pairs[begin : begin + CHUNK]
        _create(OperationRow, _operations(part))
        _create(ComponentRow, _components(part, items))
        written += sum(len(g.operations) + len(g.components) for _, g in part)
        context.progress("writing structures", written, total)
    _create(
        OutputRow,
        (
            OutputRow(
                revision=revision,
                position=n,
                item=items[row.values["output"]],
                **_fields(row, "outputs", without=("item", "output")),
            )
            for revision, group in pairs
            for n, row in enumerate(group.outputs)
        ),
    )
    context.made["structures"] = str(len(revisions))


Pairs = list[tuple[Revision, StructureRows]]


def _operations(pairs: Pairs) -> Iterable[OperationRow]:
    centers = {w.code: w for w in WorkCenter.objects.all()}
    grades = {g.code: g for g in LabourGrade.objects.all()}
    suppliers = {p.code: p for p in Partner.objects.all()}
    named = ("item", "work_center", "after", "labour_grade", "supplier")
    for revision, group in pairs:
        for row in group.operations:
            v = row.values
            yield OperationRow(
                revision=revision,
                work_center=centers[v["work_center"]],
                labour_grade=grades.get(v["labour_grade"]),
                supplier=suppliers.get(v["supplier"]),
                after=None if (a := after_of(v["after"])) is None else list(a),
                **_fields(row, "operations", without=named),
            )


def _components(pairs: Pairs, items: dict[str, Item]) -> Iterable[ComponentRow]:
    for revision, group in pairs:
        for n, row in enumerate(group.components):
            item = items[row.values["component"]]
            unit = row.values["unit"] or ""
            yield ComponentRow(
                revision=revision,
                position=n,
                item=item,
                unit="" if unit == item.unit else unit,
                **_fields(row, "components", without=("item", "component", "unit")),
            )
