"""The days on which the works works: what planning counts in."""

from datetime import date, timedelta

from poietic_core.planning.days import PlanDays

from ..engineering.queries import work_center_times

#: how far calendars are looked into, as for the dates of orders; beyond, Monday to Friday [days]
BACK, AHEAD = 120, 1000


def works_days(today: date) -> PlanDays:
    """Return the days on which any work center works; Monday to Friday where there is none."""
    first, last = today - timedelta(days=BACK), today + timedelta(days=AHEAD)
    worked = [time.working.days for time in work_center_times(first, last).values()]
    if not worked:
        return PlanDays()
    some = frozenset().union(*worked)
    span = (first + timedelta(days=n) for n in range(BACK + AHEAD + 1))
    return PlanDays(closed=(d for d in span if d not in some), opened=some)
