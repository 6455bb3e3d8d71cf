"""What the background worker does."""

from procrastinate.contrib.django import app

from .jobs import carry_out


@app.task(name="run_job", queue="jobs")
def run_job(job: int) -> None:
    """Carry out one job."""
    carry_out(job)
