"""The audit entries: one row for each command carried out."""

from django.conf import settings
from django.db import models


class Entry(models.Model):
    """One command carried out; its id is the change number of all it changed."""

    id = models.BigIntegerField(primary_key=True)
    key = models.CharField(max_length=80, unique=True)
    fingerprint = models.CharField(max_length=64)
    command = models.CharField(max_length=60)
    title = models.CharField(max_length=120)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    entered_at = models.DateTimeField()
    given = models.JSONField()
    answer = models.JSONField()

    class Meta:
        indexes = [models.Index(fields=["-entered_at"], name="entry_by_time")]

    def __str__(self) -> str:
        return f"{self.id} {self.command}"


class Job(models.Model):
    """A command that is carried out in the background."""

    class State(models.TextChoices):
        """How far it has come."""

        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        REFUSED = "refused"
        STOPPED = "stopped"
        FAILED = "failed"

    command = models.CharField(max_length=60)
    title = models.CharField(max_length=120)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    given = models.JSONField()
    key = models.CharField(max_length=80, unique=True)
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    #: what it is doing, and how much of it is done
    words = models.CharField(max_length=120, blank=True)
    done = models.IntegerField(default=0)
    total = models.IntegerField(default=0)
    is_to_stop = models.BooleanField(default=False)
    outcome = models.JSONField(null=True)
    problem = models.JSONField(null=True)
    created_at = models.DateTimeField()
    #: the worker's last sign of life
    seen_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    #: how often its worker died with it
    attempts = models.IntegerField(default=0)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.pk} {self.command}"


class Changing(models.Model):
    """A row that remembers the command that changed it last."""

    change = models.BigIntegerField()

    class Meta:
        abstract = True
