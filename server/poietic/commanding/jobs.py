"""Commands that take long, carried out in the background: with progress, and a way to stop them."""

from dataclasses import dataclass, field
from datetime import timedelta
from threading import Event, Thread
from typing import Any, ClassVar
from uuid import uuid4

from django.contrib.auth.models import AbstractBaseUser
from django.db import connection, transaction
from django.utils import timezone
from poietic_core.errors import DomainError

from ..web_api.errors import NotFound, problem_of
from ..web_api.events import publish_job
from ..web_api.fields import Strict
from ..works.day import zone_of_works
from .models import Job
from .registry import COMMANDS, Command
from .roles import Role
from .run import own_key, post, require_role

#: how often progress is told, and that the worker still lives [s]
TELL_EVERY, ALIVE_EVERY = 0.4, 5.0
#: after so long without a sign of life a job is lost
LOST_AFTER = timedelta(seconds=60)
#: how often a job is begun whose worker dies
ATTEMPTS = 3


@dataclass(eq=False)
class JobStopped(DomainError):
    """Somebody stopped a job; nothing of it was posted."""

    title: str
    code: ClassVar[str] = "job.stopped"
    what: ClassVar[str] = "{title}: stopped."
    why: ClassVar[str] = "Somebody stopped it before it was done; nothing of it was posted."
    fix: ClassVar[str] = "Start it again when it is wanted."


@dataclass(eq=False)
class JobLost(DomainError):
    """The worker died with a job each time it was tried."""

    title: str
    times: int
    code: ClassVar[str] = "job.lost"
    what: ClassVar[str] = "{title}: given up."
    why: ClassVar[str] = (
        "Its worker died with it {times} times; nothing of it was posted, or all of it."
    )
    fix: ClassVar[str] = "Look whether it was done; if not, try it in smaller parts."


def start_job(command: Command, given: Strict, person: AbstractBaseUser) -> Job:
    """Queue a command for the background, or refuse a person who may not carry it out."""
    from .tasks import run_job

    require_role(command, person)
    with transaction.atomic():
        job = Job.objects.create(
            command=command.name,
            title=command.title,
            person_id=person.pk,
            given=given.model_dump(mode="json"),
            key=own_key("job", uuid4().hex),
            created_at=timezone.now(),
            seen_at=timezone.now(),
        )
        run_job.defer(job=job.pk)
        _tell(job)
    return job


def stop_job(number: int) -> Job:
    """Ask a job to stop; one that has not begun never will."""
    with transaction.atomic():
        job = Job.objects.select_for_update().filter(pk=number).first()
        if job is None:
            raise NotFound("job", str(number))
        if job.state == Job.State.WAITING:
            job.state = Job.State.STOPPED
            job.ended_at = timezone.now()
        job.is_to_stop = True
        job.save(update_fields=["state", "is_to_stop", "ended_at"])
        _tell(job)
    return job


def take_up_lost() -> None:
    """Queue again what the worker before left running: it was killed, and its work taken back.

    A job acts once by its key, whatever was posted before the worker died. One whose worker died
    with it time and again is given up.
    """
    from .tasks import run_job

    with transaction.atomic():
        for job in Job.objects.select_for_update().filter(state=Job.State.RUNNING):
            job.attempts += 1
            if job.attempts < ATTEMPTS:
                job.state, job.words, job.done = Job.State.WAITING, "begins again", 0
                run_job.defer(job=job.pk)
            else:
                job.state, job.ended_at = Job.State.FAILED, timezone.now()
                job.problem = problem_of(JobLost(job.title, job.attempts))
            job.save(update_fields=["attempts", "state", "words", "done", "ended_at", "problem"])
            _tell(job)


def carry_out(number: int) -> None:
    """Carry out a job that waits; its outcome, or its refusal, is kept with it."""
    with transaction.atomic():
        found = Job.objects.select_for_update().select_related("person").filter(pk=number)
        job = found.first()
        if job is None or job.state != Job.State.WAITING:  # carried out already, or swept away
            return
        job.state = Job.State.RUNNING
        job.save(update_fields=["state"])
        _tell(job)
    command = COMMANDS[job.command]
    reporter = _Reporter(job, command.title)
    reporter.start()
    outcome: dict[str, Any] | None = None
    refusal: dict[str, Any] | None = None
    state = Job.State.FAILED
    try:
        with timezone.override(zone_of_works()):
            done = post(
                command,
                command.given.model_validate(job.given),
                key=job.key,
                person=job.person,
                now=timezone.now(),
                progress=reporter.progress,
            )
        outcome, state = done.model_dump(mode="json"), Job.State.DONE
    except JobStopped:
        state = Job.State.STOPPED
    except DomainError as err:
        refusal, state = problem_of(err), Job.State.REFUSED
    finally:
        reporter.end()
        with transaction.atomic():
            Job.objects.filter(pk=number).update(
                state=state, outcome=outcome, problem=refusal, ended_at=timezone.now()
            )
            _tell(job)


def _tell(job: Job) -> None:
    publish_job(job.pk, job.person_id, [Role.ADMINISTRATOR])


@dataclass
class _Reporter:
    """Tells how far a job has come, from a connection of its own: the job's transaction is still open."""

    job: Job
    title: str
    words: str = ""
    done: int = 0
    total: int = 0
    is_to_stop: bool = False
    _ended: Event = field(default_factory=Event)
    _thread: Thread | None = None

    def progress(self, words: str, done: int, total: int) -> None:
        """Note how far the command has come; raises JobStopped where it is to stop."""
        self.words, self.done, self.total = words, done, total
        if self.is_to_stop:
            raise JobStopped(self.title)

    def start(self) -> None:
        """Begin telling."""
        self._thread = Thread(target=self._tell, daemon=True)
        self._thread.start()

    def end(self) -> None:
        """Stop telling."""
        self._ended.set()
        if self._thread:
            self._thread.join(10)

    def _tell(self) -> None:
        told: tuple[str, int, int] = ("", 0, 0)
        silent = 0.0
        try:
            while not self._ended.wait(TELL_EVERY):
                now = (self.words, self.done, self.total)
                silent += TELL_EVERY
                if now == told and silent < ALIVE_EVERY:
                    self._read()
                    continue
                told, silent = now, 0.0
                Job.objects.filter(pk=self.job.pk).update(
                    words=now[0], done=now[1], total=now[2], seen_at=timezone.now()
                )
                _tell(self.job)
                self._read()
        finally:
            connection.close()

    def _read(self) -> None:
        row = Job.objects.filter(pk=self.job.pk).values_list("is_to_stop", flat=True).first()
        self.is_to_stop = bool(row)
