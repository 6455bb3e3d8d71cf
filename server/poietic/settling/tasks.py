"""What the background worker does at night: late cost is carried on, orders are closed by rule."""

from django.utils import timezone
from poietic_core.errors import DomainError
from procrastinate.contrib.django import app

from ..commanding.registry import COMMANDS
from ..commanding.run import own_key, post
from ..web_api.fields import Strict
from ..works.day import zone_of_works
from .commands.carrying import CarryLateCost, look_ahead
from .commands.closing import due_by_rule
from .models import ClosingRule


@app.periodic(cron="10 1 * * *")
@app.task(name="settle_at_night", queue="jobs", pass_context=False)
def settle_at_night(timestamp: int) -> None:
    """Carry late cost on, then close what the rule says; each leaves its entry as a report."""
    with timezone.override(zone_of_works()):
        _carry(timestamp, "before closing")
        rule = ClosingRule.objects.filter(pk=1, is_on=True).first()
        if rule:
            _do("close-orders", due_by_rule(rule), f"{timestamp}")
            _carry(timestamp, "after closing")  # of what was made at its actual cost


def _carry(timestamp: int, when: str) -> None:
    if look_ahead().has_news:
        _do("carry-late-cost", CarryLateCost(reason="at night"), f"{timestamp} {when}")


def _do(name: str, given: Strict, night: str) -> None:
    try:
        post(COMMANDS[name], given, key=own_key(name, night), person=None, now=timezone.now())
    except (
        DomainError
    ):  # nothing is within the limit, or others post to it: the next night tries again
        return
