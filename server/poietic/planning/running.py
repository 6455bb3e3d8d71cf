"""A planning run from reading to its stored proposals."""

import hashlib
from datetime import date

import numpy as np
from poietic_core.planning.lot_sizing import in_parts
from poietic_core.planning.netting import TINY, Ints, Plan, net

from ..commanding.registry import Context
from ..statements.bulk import insert_rows
from ..statements.copying import copy_rows, days_of
from .loading import store_loads
from .models import Advice, PlanRun, Proposal, ProposalState
from .reading import Assumed, Read, read_works


def run_plan(
    context: Context,
    first: date,
    periods: int,
    assumed: Assumed,
    *,
    frozen: int = 0,
    is_what_if: bool,
) -> PlanRun:
    """Plan all items over so many working days, the first of them frozen, and store what that proposes."""
    context.progress("reading demand and supply", 0, 1)
    read = read_works(first, periods, assumed, frozen)
    items = read.keys.size
    plan = net(read.works, lambda done: context.progress("netting", done, items))
    context.progress("storing", items, items)
    run = store(context, read, plan, assumed, is_what_if=is_what_if)
    store_loads(run, read, plan, assumed)
    return run


def _in_parts(read: Read, rows: Ints, steps: Ints) -> tuple[Ints, Ints]:
    """Return lots in parts that one order may be at most: which lot each is of, and its steps."""
    step = read.works.policy.step[rows]
    multiple = np.rint(read.works.policy.multiple[rows] / step).astype(np.int64)
    most = np.floor(read.most[rows] / step + TINY).astype(np.int64)
    return in_parts(steps, most // np.maximum(multiple, 1) * np.maximum(multiple, 1), multiple)


def store(
    context: Context, read: Read, plan: Plan, assumed: Assumed, *, is_what_if: bool
) -> PlanRun:
    """Store what a run proposes, in the order of items and days."""
    proposed = np.where(read.passes[:, None], 0, plan.due)
    rows, periods = np.nonzero(proposed)
    order = np.lexsort((periods, read.keys[rows]))
    rows, periods = rows[order], periods[order]
    step = read.works.policy.step[rows]
    steps = np.ceil(proposed[rows, periods] / step - TINY).astype(np.int64)
    lot, steps = _in_parts(read, rows, steps)
    rows, periods = rows[lot], periods[lot]
    items = read.keys[rows]
    late = plan.late[rows, periods].astype(np.int32)
    days = days_of(read.days)
    begins = np.maximum(0, periods - read.works.policy.lead[rows])
    told = hashlib.sha256()
    for column in (items, steps, periods, late):
        told.update(np.ascontiguousarray(column, dtype=np.int64).tobytes())
    told_moves = sorted((m for own in plan.moves.values() for m in own), key=lambda m: m.key)
    moves = [(read.supplies[m.key], m) for m in told_moves]
    run = PlanRun.objects.create(
        is_what_if=is_what_if,
        assumptions={
            "demand": str(assumed.demand),
            "supplier": assumed.supplier,
            "back_on": str(assumed.back_on or ""),
            "work_center": assumed.work_center,
            "closed_until": str(assumed.closed_until or ""),
            "horizon": len(read.days),
            "frozen": read.works.frozen,
        },
        first_day=read.days[0],
        last_day=read.days[-1],
        made_at=context.now,
        person_id=context.person.pk if context.person else None,
        change=context.change,
        items=int(read.keys.size),
        proposals=int(rows.size),
        late=int((late > 0).sum()),
        moves=len(moves),
        digest=told.hexdigest(),
        told=read.told,
    )
    copy_rows(
        Proposal,
        {
            "run": np.full(rows.size, run.pk, dtype=np.int64),
            "item": items.astype(np.int64),
            "steps": steps,
            "due": days[periods],
            "order_on": days[begins],
            "late": late,
            "state": ProposalState.OPEN.value,
            "became": "",
        },
        int(rows.size),
    )
    advice = []
    for (item, supply), move in moves:
        to = None if move.to is None else read.days[move.to]
        advice.append((run.pk, item, supply.source.value, supply.number, supply.quantity, supply.comes, to))  # fmt: skip
    insert_rows(Advice, ("run", "item", "source", "number", "quantity", "on", "to"), advice)
    return run
