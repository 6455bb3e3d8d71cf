"""What a run loads work centers with, week by week, beside what orders do, and where that is too much."""

from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

import numpy as np
from django.db import connection
from poietic_core.capacity.rough import Ints, Labours, Lots, RoughLoad, rough_load
from poietic_core.planning.netting import Plan
from poietic_core.quantity import HOUR_STEP, ZERO, round_to
from poietic_core.structure.requirement import entering_for_one

from ..catalog.models import Item
from ..engineering.models import Revision, WorkCenter
from ..engineering.queries import in_force
from ..orders.work_lists_api import loads_of
from .models import PlannedLoad, PlanRun
from .reading import Assumed, Read
from .uses import structures_on_day

#: weeks that are told: further ahead a rough load says little
WEEKS = 13
#: items that are named where they load a work center most
NAMED = 3
#: what an operation done here takes: of a lot to set up, and of a run [h of one machine at the standard pace]
LABOURS = """
SELECT r.item_id, r.id, o.number, o.work_center_id,
  greatest(o.setup_machine_hours, CASE WHEN o.crew IS NULL THEN o.setup_labour_hours ELSE 0 END)::float8 * w.efficiency::float8 * o.machines,
  coalesce(nullif(o.run_machine_hours, 0), o.run_labour_hours)::float8, o.run_quantity::float8, o.runs_whole_batches
FROM engineering_operationrow o JOIN engineering_revision r ON r.id = o.revision_id
JOIN engineering_workcenter w ON w.id = o.work_center_id
JOIN catalog_item i ON i.id = r.item_id AND i.source <> 'buy'
WHERE o.supplier_id IS NULL AND r.id = ANY(%s) ORDER BY r.item_id, o.number
"""


@dataclass(frozen=True)
class Loads:
    """The rough load of a run."""

    centers: list[WorkCenter]
    lots: Lots
    load: RoughLoad


def loads_by(read: Read, plan: Plan, today: date) -> Loads:
    """Return what the lots of a plan load work centers with; what passes through is made with what takes it."""
    centers = list(WorkCenter.objects.order_by("code"))
    position = {w.pk: n for n, w in enumerate(centers)}
    rows, periods = np.nonzero(plan.due)
    lots = Lots(
        item=read.keys[rows],
        quantity=plan.due[rows, periods],
        begins=np.maximum(0, periods - read.works.policy.lead[rows]),
        due=periods,
    )
    labours = _labours(position, today)
    return Loads(centers, lots, rough_load(lots, labours, len(centers), len(read.days)))


def _labours(position: dict[int, int], today: date) -> Labours:
    standing = list(in_force(today).order_by().values_list("pk", flat=True))
    with connection.cursor() as cursor:
        cursor.execute(LABOURS, [standing])
        rows = cursor.fetchall()
    lossy = Revision.objects.filter(pk__in=standing, operations__yield_share__lt=1).distinct()
    enter = {
        (r.pk, number): float(units.value)
        for r, structure in structures_on_day(lossy.select_related("item"), today)
        for number, units in entering_for_one(structure.operations).items()
    }
    whole = (*zip(*rows, strict=True),) if rows else ((),) * 8
    return Labours(
        item=np.array(whole[0], dtype=np.int64),
        center=np.array([position[w] for w in whole[3]], dtype=np.int64),
        setup=np.array(whole[4], dtype=np.float64),
        run=np.array(whole[5], dtype=np.float64),
        enter=np.array([enter.get((r, n), 1.0) for r, n in zip(whole[1], whole[2], strict=True)]),
        per=np.array(whole[6], dtype=np.float64),
        is_whole=np.array(whole[7], dtype=bool),
    )


def store_loads(run: PlanRun, read: Read, plan: Plan, assumed: Assumed) -> None:
    """Store the load of each work center and week, with what loads it most where that is too much."""
    loads = loads_by(read, plan, read.days[0])
    ordered = {told.code: told.weeks for told in loads_of(loads.centers, WEEKS)}
    mondays = np.array([d - timedelta(days=d.weekday()) for d in read.days])
    rows: list[PlannedLoad] = []
    most: dict[int, list[int]] = {}
    for n, center in enumerate(loads.centers):
        for week in ordered.get(center.code, ()):
            here = np.flatnonzero(mondays == week.first)
            is_closed = assumed.closes(center.code, week.first)
            row = PlannedLoad(
                run=run,
                work_center=center,
                first=week.first,
                capacity=ZERO if is_closed else week.capacity,
                ordered=week.released + week.planned,
                proposed=round_to(Decimal(float(loads.load.hours[n, here].sum())), HOUR_STEP),
            )
            if row.over > 0:
                most[len(rows)] = _most(loads, n, here)
            rows.append(row)
    codes = Item.objects.in_bulk({key for keys in most.values() for key in keys})
    for n, keys in most.items():
        rows[n].most = [codes[key].code for key in keys]
    PlannedLoad.objects.bulk_create(rows)


def _most(loads: Loads, center: int, here: Ints) -> list[int]:
    """Return the items that load a work center most on some days that follow each other."""
    if not here.size:
        return []
    pairs = np.flatnonzero(loads.load.center == center)
    lot = loads.load.lot[pairs]
    begins = loads.lots.begins[lot]
    ends = np.maximum(loads.lots.due[lot], begins + 1)
    inside = np.minimum(ends, here[-1] + 1) - np.maximum(begins, here[0])
    hours = loads.load.each[pairs] * np.maximum(0, inside) / (ends - begins)
    items, of = np.unique(loads.lots.item[lot], return_inverse=True)
    taken = np.bincount(of, hours, items.size)
    return [int(items[k]) for k in np.argsort(-taken, kind="stable")[:NAMED] if taken[k] > 0]
