"""What the background worker does at night: late cost is carried on, orders are closed by rule."""

from django.utils import timezone
from poietic_core.errors import DomainError
from procrastinate.contrib.django import app

from ..commanding.registry import COMMANDS
from ..commanding.run import own_key, post
from ..ledger.models import LateCost
from ..web_api.fields import Strict
from ..works.day import zone_of_works
from .commands.carrying import CarryLateCost
from .commands.closing import due_by_rule
from .models import ClosingRule


@app.periodic(cron="10 1 * * *")
@app.task(name="settle_at_night", queue="jobs", pass_context=False)
def settle_at_night(timestamp: int) -> None:
    """Carry late cost on, then close what the rule says; each leaves its entry as a report."""
    with timezone.override(zone_of_works()):
        if LateCost.objects.filter(carried_by=None).exists():
            _do("carry-late-cost", CarryLateCost(reason="at night"), timestamp)
        rule = ClosingRule.objects.filter(pk=1, is_on=True).first()
        if rule:
            _do("close-orders", due_by_rule(rule), timestamp)


def _do(name: str, given: Strict, timestamp: int) -> None:
    try:
        post(COMMANDS[name], given, key=own_key(name, timestamp), person=None, now=timezone.now())
    except (
        DomainError
    ):  # nothing is within the limit, or others post to it: the next night tries again
        return
