"""Running the plan, and what-ifs beside it."""

from decimal import Decimal
from typing import Annotated

from django.utils import timezone
from pydantic import Field

from ...catalog.queries import supplier_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.queries import work_center_by_code
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Day, Strict
from ..endangered import keep_endangered
from ..models import PlanRun
from ..reading import Assumed
from ..running import plan_again, run_plan

#: runs that are kept: the plans before the last, and what-ifs
KEPT_RUNS = 6
Horizon = Annotated[int, Field(ge=5, le=300)]


class RunPlan(Strict):
    """How far ahead is planned, and in how many of these days nothing new is to be there [working days]."""

    horizon: Horizon = 90
    frozen: Annotated[int, Field(ge=0, le=100)] = 0


class PlanChanges(Strict):
    """Nothing: as far ahead as the plan was made."""


class TryPlan(RunPlan):
    """What a what-if takes for granted: of the demand so many percent, who sends or does nothing until a day."""

    demand: Annotated[Decimal, Field(ge=0, le=1000, decimal_places=1)] = Decimal(100)
    supplier: Code | None = None
    back_on: Day | None = None
    work_center: Code | None = None
    closed_until: Day | None = None


@command("run-plan", "Run the plan", Role.CONTROLLER, is_long=True)
def run_the_plan(context: Context, given: RunPlan) -> None:
    """Propose what to make, buy and move so that everything wanted is there in time."""
    _run(context, given, Assumed(), is_what_if=False)


@command("plan-changes", "Plan what changed", Role.CONTROLLER, is_long=True)
def plan_what_changed(context: Context, given: PlanChanges) -> None:
    """Bring the plan up to date with what changed since: the same as running it, in less time."""
    context.guard("planning")
    run = PlanRun.last_plan()
    if run is None:
        raise InvalidInput(["plan: there is none yet; run it first"])
    again = plan_again(context, run)
    if again is None:
        words = (
            "everything was planned: the last plan is of another day, or over other days or sites"
        )
        context.effects.remark("plan", words)
        _run(context, said_of(run), Assumed(), is_what_if=False)
        return
    keep_endangered(context, run, timezone.localdate(context.now))
    context.effects.field("plan", "items netted again", None, again)
    context.made["items netted again"] = str(again)
    _tell(context, run, "plan")


@command("try-plan", "Try a what-if of the plan", Role.CONTROLLER, is_long=True)
def try_a_plan(context: Context, given: TryPlan) -> None:
    """Plan with something taken for granted, beside the plan; it changes nothing."""
    if (given.supplier is None) != (given.back_on is None):
        raise InvalidInput(["back_on: name a supplier and the day until which he sends nothing"])
    if (given.work_center is None) != (given.closed_until is None):
        raise InvalidInput(
            ["closed_until: name a work center and the day until which it is closed"]
        )
    if given.supplier:
        supplier_by_code(given.supplier)
    if given.work_center:
        work_center_by_code(given.work_center)
    assumed = Assumed(
        demand=given.demand,
        supplier=given.supplier or "",
        back_on=given.back_on,
        work_center=given.work_center or "",
        closed_until=given.closed_until,
    )
    _run(context, given, assumed, is_what_if=True)


def _run(context: Context, given: RunPlan, assumed: Assumed, *, is_what_if: bool) -> None:
    if given.frozen >= given.horizon:
        raise InvalidInput(["frozen: at least a day of the horizon is left to plan"])
    context.guard("planning")
    today = timezone.localdate(context.now)
    run = run_plan(
        *(context, today, given.horizon, assumed), frozen=given.frozen, is_what_if=is_what_if
    )
    if not is_what_if:
        keep_endangered(context, run, today)
    kept = PlanRun.objects.filter(is_what_if=is_what_if).values_list("pk", flat=True)
    PlanRun.objects.filter(is_what_if=is_what_if).exclude(pk__in=list(kept[:KEPT_RUNS])).delete()
    _tell(context, run, "what-if" if is_what_if else "plan")


def said_of(run: PlanRun) -> RunPlan:
    """Return how a plan was asked for."""
    return RunPlan(**{n: run.assumptions[n] for n in RunPlan.model_fields if n in run.assumptions})


def _tell(context: Context, run: PlanRun, words: str) -> None:
    context.made["plan"] = str(run.pk)
    for field in ("proposals", "late", "moves"):
        context.effects.field(words, field, None, getattr(run, field))
