"""A planning run from reading to its stored proposals."""

import hashlib
from dataclasses import dataclass
from datetime import date

import numpy as np
from django.utils import timezone
from numpy.typing import NDArray
from poietic_core.planning.lot_sizing import in_parts
from poietic_core.planning.net_change import net_change
from poietic_core.planning.netting import TINY, Ints, Plan, net

from ..commanding.registry import Context
from ..statements.bulk import insert_rows
from ..statements.copying import Column, copy_rows, days_of
from .basis import Basis, take_stirred
from .between_sites import store_transfers
from .loading import store_loads
from .models import Advice, PlanRun, Proposal, ProposalState
from .reading import Assumed, Read, read_plant, read_works


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
    if not is_what_if:
        take_stirred()
    context.progress("reading demand and supply", 0, 1)
    read = read_works(first, periods, assumed, frozen)
    items = read.keys.size
    plan = net(read.works, lambda done: context.progress("netting", done, items))
    context.progress("storing", items, items)
    proposed = Proposed.of(read, plan)
    run = PlanRun(
        is_what_if=is_what_if,
        assumptions={
            "demand": str(assumed.demand),
            "supplier": assumed.supplier,
            "back_on": str(assumed.back_on or ""),
            "work_center": assumed.work_center,
            "closed_until": str(assumed.closed_until or ""),
            "horizon": periods,
            "frozen": frozen,
        },
        first_day=read.days[0],
        last_day=read.days[-1],
    )
    _note(context, run, read, proposed, _count(plan))
    run.save()
    proposed.store(run, proposed.items)
    _advise(run, read, plan)
    store_transfers(run, read, range(items))
    store_loads(run, read, plan, assumed)
    if not is_what_if:
        Basis.of(read, plan.due).keep(run)
    return run


def plan_again(context: Context, run: PlanRun) -> int | None:
    """Bring the plan of today up to date, and return how many items were netted again; None: it is of another day.

    Everything else of it stays: its number, what was decided, and what is proposed of other items.
    """
    basis = Basis.kept(run)
    noted = take_stirred()
    periods, frozen = run.assumptions["horizon"], run.assumptions["frozen"]
    today = timezone.localdate(context.now)
    if basis is None or run.first_day < today:
        return None
    context.progress("reading what changed", 0, 1)
    read = read_plant(today, periods, Assumed(), frozen)
    before = basis.lots_of(read)
    now = Basis.of(read, before)
    if not basis.is_like(now):
        return None
    read.undated = basis.undated_of(read)
    stirred = basis.changed(now, read, noted)
    items = read.keys.size
    plan, again = net_change(read.works, before, stirred, read.read, lambda done: context.progress("netting", done, items))  # fmt: skip
    context.progress("storing", items, items)
    proposed = Proposed.of(read, plan)
    keys = np.sort(read.keys[again])
    anew = keys.tolist()
    run.rows.filter(item__in=anew, state=ProposalState.OPEN).delete()
    run.advice.filter(item__in=anew).delete()
    run.transfers.filter(item__in=anew).delete()
    run.loads.all().delete()
    run.endangered.all().delete()
    _note(context, run, read, proposed, run.advice.count() + _count(plan))
    run.save()
    proposed.store(run, keys)
    _advise(run, read, plan)
    store_transfers(run, read, again.tolist())
    store_loads(run, read, plan, Assumed())
    Basis.of(read, plan.due).keep(run)
    return len(anew)


@dataclass(frozen=True)
class Proposed:
    """What a run proposes, lot by lot, in the order of items and days."""

    items: Ints
    steps: Ints
    #: days as the database counts them
    due: NDArray[np.int32]
    order_on: NDArray[np.int32]
    late: NDArray[np.int32]
    #: over all of it: two runs of the same data have the same
    digest: str

    @classmethod
    def of(cls, read: Read, plan: Plan) -> "Proposed":
        """Return what is proposed: what only passes through is not, and no lot is larger than one order may be."""
        proposed = np.where(read.passes[:, None], 0, plan.due)
        rows, periods = np.nonzero(proposed)
        order = np.lexsort((periods, read.keys[rows]))
        rows, periods = rows[order], periods[order]
        step = read.works.policy.step[rows]
        steps = np.ceil(proposed[rows, periods] / step - TINY).astype(np.int64)
        lot, steps = _in_parts(read, rows, steps)
        rows, periods = rows[lot], periods[lot]
        late = plan.late[rows, periods].astype(np.int32)
        told = hashlib.sha256()
        for column in (read.keys[rows], steps, periods, late):
            told.update(np.ascontiguousarray(column, dtype=np.int64).tobytes())
        days = days_of(read.days)
        begins = np.maximum(0, periods - read.works.policy.lead[rows])
        items = read.keys[rows].astype(np.int64)
        return cls(items, steps, days[periods], days[begins], late, told.hexdigest())

    def store(self, run: PlanRun, keys: Ints) -> None:
        """Store what is proposed of some items."""
        own = np.isin(self.items, keys)
        count = int(own.sum())
        columns: dict[str, Column] = {
            "run": np.full(count, run.pk, dtype=np.int64),
            "item": self.items[own],
            "steps": self.steps[own],
            "due": self.due[own],
            "order_on": self.order_on[own],
            "late": self.late[own],
            "state": ProposalState.OPEN.value,
            "became": "",
        }
        copy_rows(Proposal, columns, count)


def _in_parts(read: Read, rows: Ints, steps: Ints) -> tuple[Ints, Ints]:
    """Return lots in parts that one order may be at most: which lot each is of, and its steps."""
    step = read.works.policy.step[rows]
    multiple = np.rint(read.works.policy.multiple[rows] / step).astype(np.int64)
    most = np.floor(read.most[rows] / step + TINY).astype(np.int64)
    return in_parts(steps, most // np.maximum(multiple, 1) * np.maximum(multiple, 1), multiple)


def _count(plan: Plan) -> int:
    return sum(map(len, plan.moves.values()))


def _note(context: Context, run: PlanRun, read: Read, proposed: Proposed, moves: int) -> None:
    """Note when and under which change a run was made, and what came of it."""
    run.moves = moves
    run.made_at, run.change = context.now, context.change
    run.person_id = context.person.pk if context.person else None
    run.items = int(read.keys.size)
    run.proposals, run.late = int(proposed.items.size), int((proposed.late > 0).sum())
    run.digest, run.told = proposed.digest, read.told


def _advise(run: PlanRun, read: Read, plan: Plan) -> None:
    """Store what exists and should come another day."""
    moves = sorted((m for own in plan.moves.values() for m in own), key=lambda m: m.key)
    rows = []
    for move in moves:
        item, supply = read.supplies[move.key]
        to = None if move.to is None else read.days[move.to]
        rows.append((run.pk, item, supply.source.value, supply.number, supply.quantity, supply.comes, to))  # fmt: skip
    insert_rows(Advice, ("run", "item", "source", "number", "quantity", "on", "to"), rows)
