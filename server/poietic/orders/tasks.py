"""What the background worker does for orders by itself."""

from django.utils import timezone
from procrastinate.contrib.django import app

from ..works.day import zone_of_works
from .keeping import keep_all


@app.periodic(cron="*/10 * * * *")
@app.task(name="stand_orders", queue="jobs", pass_context=False)
def stand_orders(timestamp: int) -> None:
    """Work out anew how open orders stand, once the works' day has changed."""
    with timezone.override(zone_of_works()):
        keep_all(timezone.now(), stale_only=True)


@app.task(name="stand_orders_anew", queue="jobs")
def stand_orders_anew() -> None:
    """Work out anew how all open orders stand."""
    with timezone.override(zone_of_works()):
        keep_all(timezone.now(), stale_only=False)
