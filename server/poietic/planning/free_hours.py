"""What orders leave free of work centers, day by day, as the last plan found it."""

from collections import Counter
from collections.abc import Iterable
from datetime import date, timedelta
from decimal import Decimal

from poietic_core.planning.days import PlanDays
from poietic_core.quantity import ZERO

from .models import PlannedLoad, PlanRun


def free_hours(
    centers: Iterable[str], days: list[date], calendar: PlanDays
) -> dict[str, list[Decimal]]:
    """Return what is free of work centers on each of some working days [h of one machine].

    As far as the last plan looked: a week's free hours, even over its working days. What is proposed
    takes none, as it is no supply either.

    Parameters
    ----------
    centers : codes; those of which nothing is known are left out
    days : the first is today
    """
    run = PlanRun.last_plan()
    if run is None or not days:
        return {}
    rows = PlannedLoad.objects.filter(run=run, work_center__code__in=list(centers))
    weeks: dict[str, dict[date, Decimal]] = {}
    for code, first, capacity, ordered in rows.values_list("work_center__code", "first", "capacity", "ordered"):  # fmt: skip
        weeks.setdefault(code, {})[first] = max(ZERO, capacity - ordered)
    whole = Counter(map(_monday, calendar.following(_monday(days[0]), len(days) + 7)))
    found: dict[str, list[Decimal]] = {}
    for code, own in weeks.items():
        unknown = min((d for d in days if _monday(d) not in own), default=date.max)
        found[code] = [own[_monday(d)] / whole[_monday(d)] for d in days if d < unknown]
    return found


def _monday(day: date) -> date:
    return day - timedelta(days=day.weekday())
