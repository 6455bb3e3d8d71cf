"""What the background worker does at night: the plan is run again, so that the day begins with one that knows the day before."""

from django.utils import timezone
from poietic_core.errors import DomainError
from procrastinate.contrib.django import app

from ..commanding.registry import COMMANDS
from ..commanding.run import own_key, post
from ..works.day import zone_of_works
from .commands.planning import said_of
from .models import PlanRun, Stirred


@app.periodic(cron="40 2 * * *")
@app.task(name="plan_at_night", queue="jobs", pass_context=False)
def plan_at_night(timestamp: int) -> None:
    """Run the plan as far ahead as the last time; a works that never planned is left alone."""
    last = PlanRun.last_plan()
    if last is None:
        Stirred.objects.all().delete()  # nobody asks what changed
        return
    with timezone.override(zone_of_works()):
        try:
            key = own_key("run-plan", f"{timestamp}")
            post(COMMANDS["run-plan"], said_of(last), key=key, person=None, now=timezone.now())
        except DomainError:  # somebody plans just now: that is as good
            return
