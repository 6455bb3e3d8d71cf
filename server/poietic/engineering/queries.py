"""Rows of structures and work centers as the core's objects."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import UTC, date
from zoneinfo import ZoneInfo

from django.db.models import Q, QuerySet
from django.utils import timezone
from poietic_core.calendar.model import Calendar, Closure, ExtraShift, Shift
from poietic_core.calendar.schedule import SupplierTime, WorkCenterTime
from poietic_core.calendar.working_time import WorkingTime
from poietic_core.structure.model import (
    OutputKind,
    Structure,
)
from poietic_core.structure.phantom import Inlined, inline

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..statements.prepared import planned_once
from ..web_api.errors import NotFound
from ..web_api.kept import Kept
from .models import LabourGrade, Revision, SupplierTimes, WorkCalendar, WorkCenter
from .structures import Faults, structure_of, structures_of, structures_on


def with_rows(revisions: QuerySet[Revision]) -> QuerySet[Revision]:
    """Return revisions with all their rows, in a constant number of statements."""
    return revisions.select_related("item").prefetch_related(
        "operations__work_center",
        "operations__labour_grade",
        "operations__supplier",
        "components__item",
        "outputs__item",
    )


def in_force(day: date) -> QuerySet[Revision]:
    """Return the revisions in force on a day; an item has one at most."""
    return Revision.objects.select_related("item").filter(standing(day))


def standing(day: date, way: str = "") -> Q:
    """Return the condition for being in force on a day, of revisions or of rows that lead to one.

    Rows are joined with it rather than asked for by a list of revisions: right after an
    import the database has no statistics yet, and would walk that list for every row.
    """
    ends = Q(**{f"{way}effective_to": None}) | Q(**{f"{way}effective_to__gt": day})
    states = [Revision.State.APPROVED, Revision.State.RETIRED]
    return ends & Q(**{f"{way}effective_from__lte": day, f"{way}state__in": states})


def made_with(item: Item, day: date) -> list[str]:
    """Return the items whose structures in force bring an item beside their own."""
    co_product = Q(outputs__item=item, outputs__kind=OutputKind.CO_PRODUCT.value)
    rows = in_force(day).filter(co_product | Q(grades__contains=[{"item": item.code}]))
    return sorted(set(rows.order_by().values_list("item__code", flat=True)))


def revision_in_force(item: Item, day: date) -> Revision | None:
    """Return an item's revision in force on a day."""
    return in_force(day).filter(item=item).first()


def revision_for(own: Revision | None, item: Item, day: date) -> Revision | None:
    """Return what an order is made by: the structure of its customer's line, if that has one, else what is in force."""
    is_own = own is not None and own.state == Revision.State.OWN
    return own if is_own else revision_in_force(item, day)


def work_center_by_code(code: str) -> WorkCenter:
    """Return a work center, or refuse by its code."""
    found = WorkCenter.objects.filter(code=code).first()
    if found is None:
        raise NotFound("work center", code)
    return found


def labour_grade_by_code(code: str) -> LabourGrade:
    """Return a labour grade, or refuse by its code."""
    found = LabourGrade.objects.filter(code=code).first()
    if found is None:
        raise NotFound("labour grade", code)
    return found


def revision_by_letter(code: str, letter: str) -> Revision:
    """Return a revision with its rows, or refuse by name."""
    found = with_rows(Revision.objects.filter(item__code=code, letter=letter)).first()
    if found is None:
        raise NotFound("revision", f"{letter} of {code}")
    return found


def reached_from(top: Revision, day: date) -> tuple[dict[str, Revision], dict[str, Structure]]:
    """Return the revisions that an item reaches, itself included, and their structures."""
    revisions: dict[str, Revision] = {}
    structures: dict[str, Structure] = {}
    known = {top.item.code}
    level = [top]
    while level:
        read = structures_of(level)
        revisions |= {r.item.code: r for r in level}
        structures |= {r.item.code: read[r.pk].on(day) for r in level}
        wanted = {c.item for r in level for c in structures[r.item.code].components} - known
        known |= wanted
        level = list(in_force(day).filter(item__code__in=any_of(wanted))) if wanted else []
    return revisions, structures


def phantoms_on(day: date, faults: Faults | None = None) -> dict[str, Structure]:
    """Return the structures of phantoms in force on a day."""
    rows = in_force(day).filter(item__is_phantom=True)
    return structures_on(rows, day, faults)


def structures_in_force(codes: Iterable[str], day: date) -> dict[str, Structure]:
    """Return the structures in force of some items on a day, by item; those that have none are left out."""
    wanted = list(codes)
    return structures_on(in_force(day).filter(item__code__in=any_of(wanted)), day) if wanted else {}


def inlined(revision: Revision, day: date, within: Iterable[str] = ()) -> Inlined:
    """Return a revision as orders of a day make it: its lines of that day, phantoms put in.

    Items that are made within the order are put in like phantoms.
    """
    taken_in = phantoms_on(day) | structures_in_force(within, day)
    return inline(structure_of(revision).on(day), taken_in)


#: what a work center without a calendar goes by
WEEKDAYS = Calendar(
    code="weekdays 8 to 16",
    zone=UTC,
    shifts=tuple(Shift(weekday=d, start=8 * 60, end=16 * 60) for d in range(5)),
)


def as_calendar(row: WorkCalendar | None) -> Calendar:
    """Return a calendar with its shifts and exceptions; without one, weekdays from 8 to 16."""
    if row is None:
        return WEEKDAYS
    exceptions = list(row.exceptions.all())
    return Calendar(
        code=row.code,
        zone=ZoneInfo(row.zone),
        shifts=tuple(Shift(weekday=s.weekday, start=s.start, end=s.end) for s in row.shifts.all()),
        closures=tuple(
            Closure(first=e.first, last=e.last, why=e.why) for e in exceptions if e.start is None
        ),
        extras=tuple(
            ExtraShift(day=e.first, start=e.start, end=e.end or 0, why=e.why)
            for e in exceptions
            if e.start is not None
        ),
    )


@dataclass(frozen=True, slots=True)
class LaidOut:
    """What scheduling knows of work centers and of suppliers, by code."""

    centers: dict[str, WorkCenterTime] = field(default_factory=dict)
    #: of whom nothing is known but his days: left out
    suppliers: dict[str, SupplierTime] = field(default_factory=dict)


def work_center_times(first: date, last: date) -> dict[str, WorkCenterTime]:
    """Return what scheduling knows of each work center, its calendar laid out over days."""
    return laid_out(first, last).centers


def laid_out(first: date, last: date) -> LaidOut:
    """Return what scheduling knows of work centers and suppliers, their calendars laid out over days.

    What has a calendar in no known time zone is left out. Whole years are laid out: they serve all days
    of a year, where spans that move with each day would be laid out anew.
    """
    first, last = date(first.year, 1, 1), date(last.year, 12, 31)
    key = (timezone.get_current_timezone_name(), first, last, *_said_of_time())
    return _LAID_OUT.get_or(key, lambda: _lay_out(first, last))


def _said_of_time() -> list[tuple[int | None, int]]:
    """Return the last change of work centers, calendars and suppliers' times, and how many there are."""
    parts = (f"SELECT max(change), count(*) FROM {m._meta.db_table}" for m in (WorkCenter, WorkCalendar, SupplierTimes))  # fmt: skip
    with planned_once() as cursor:
        cursor.execute(" UNION ALL ".join(parts))
        said: list[tuple[int | None, int]] = cursor.fetchall()
        return said


#: calendars take long to lay out, and change seldom
_LAID_OUT: Kept[tuple[object, ...], LaidOut] = Kept(16)


def _lay_out(first: date, last: date) -> LaidOut:
    known: dict[int | None, WorkingTime | None] = {}

    def working(calendar: WorkCalendar | None) -> WorkingTime | None:
        key = calendar.pk if calendar else None
        if key not in known:
            try:
                known[key] = WorkingTime(as_calendar(calendar), first, last)
            except (LookupError, ValueError, OSError, OverflowError):
                known[key] = None
        return known[key]

    found = LaidOut()
    parts = ("calendar__shifts", "calendar__exceptions")
    for center in WorkCenter.objects.select_related("calendar").prefetch_related(*parts):
        if (time := working(center.calendar)) is not None:
            found.centers[center.code] = WorkCenterTime(working=time, efficiency=center.efficiency)
    rows = SupplierTimes.objects.select_related("calendar", "supplier").prefetch_related(*parts)
    for own in rows:
        found.suppliers[own.supplier.code] = SupplierTime(
            working=working(own.calendar) if own.calendar else None,
            transport_days=own.transport_days,
        )
    return found
