"""What the background worker does by itself."""

from django.utils import timezone
from procrastinate.contrib.django import app

from .tidying import tidy


@app.periodic(cron="30 2 * * *")
@app.task(name="tidy", queue="jobs", pass_context=False)
def tidy_at_night(timestamp: int) -> None:
    """Remove what is past its time."""
    tidy(timezone.now())
