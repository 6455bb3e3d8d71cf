"""One HTTP pattern for all commands: preview and post."""

from typing import Annotated, Any

from django.db.models import QuerySet
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from pydantic import ConfigDict, Field, StringConstraints, create_model

from ..web_api.errors import NotFound
from ..web_api.fields import Answer, Strict
from .jobs import LOST_AFTER, start_job, stop_job
from .models import Job
from .reading import sees_costs
from .registry import COMMANDS, Command
from .roles import Role
from .run import Outcome, Seen, post, preview

Key = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9._:-]{8,80}$")]


class Problem(Answer):
    """An error: what happened, why, what can be done."""

    type: str
    status: int
    title: str
    detail: str
    fix: str
    code: str
    context: dict[str, Any]


REFUSALS = {401: Problem, 403: Problem, 404: Problem, 409: Problem, 422: Problem}


class JobOut(Answer):
    """A command that is carried out in the background, and how far it has come."""

    number: int
    command: str
    title: str
    person: str
    #: waiting, running, done, refused, stopped, failed; lost where its worker gave no sign for long
    state: str
    words: str
    done: int
    total: int
    created_at: str
    ended_at: str | None
    outcome: Outcome | None
    problem: Problem | None


class CommandInfo(Answer):
    """A command that the signed-in person may start."""

    name: str
    title: str


def build_router() -> Router:
    """Return the routes of all registered commands, each with its own typed input."""
    router = Router(tags=["commands"])

    @router.get("", response=list[CommandInfo], operation_id="list_commands")
    def list_commands(request: HttpRequest) -> list[CommandInfo]:
        """Return the commands that the signed-in person may start."""
        roles = set(request.user.roles)  # type: ignore[union-attr]
        return [
            CommandInfo(name=c.name, title=c.title) for c in COMMANDS.values() if c.roles & roles
        ]

    for command in COMMANDS.values():
        _add(router, command)
    return router


def build_jobs_router() -> Router:
    """Return the routes of background jobs, those of commands that may take long."""
    router = Router(tags=["jobs"])

    @router.get("", response=list[JobOut], operation_id="list_jobs")
    def list_jobs(request: HttpRequest) -> list[JobOut]:
        """Return the latest jobs, the newest first: one's own; to an administrator, all."""
        return [job_out(j) for j in _jobs_of(request.user)[:50]]

    @router.get("/{int:number}", response={200: JobOut, 404: Problem}, operation_id="get_job")
    def get_job(request: HttpRequest, number: int) -> JobOut:
        """Return how far a job has come."""
        return job_out(_job_of(request.user, number))

    @router.post(
        "/{int:number}/stop", response={200: JobOut, 404: Problem}, operation_id="stop_job"
    )
    def stop(request: HttpRequest, number: int) -> JobOut:
        """Stop a job of one's own, an administrator any; nothing of it is posted."""
        return job_out(stop_job(_job_of(request.user, number).pk))

    for command in COMMANDS.values():
        if command.is_long:
            _add_job(router, command)
    return router


def _jobs_of(person: Any) -> QuerySet[Job]:
    jobs = Job.objects.select_related("person")
    return jobs if Role.ADMINISTRATOR in person.roles else jobs.filter(person=person)


def _job_of(person: Any, number: int) -> Job:
    found = _jobs_of(person).filter(pk=min(number, 2**62)).first()
    if found is None:
        raise NotFound("job", str(number))
    return found


def job_out(job: Job) -> JobOut:
    """Return a job as it travels."""
    is_lost = job.state == Job.State.RUNNING and timezone.now() - job.seen_at > LOST_AFTER
    return JobOut(
        number=job.pk,
        command=job.command,
        title=job.title,
        person=str(job.person),
        state="lost" if is_lost else job.state,
        words=job.words,
        done=job.done,
        total=job.total,
        created_at=job.created_at.isoformat(),
        ended_at=job.ended_at.isoformat() if job.ended_at else None,
        outcome=job.outcome,
        problem=job.problem,
    )


def _as_seen_by(person: Any, outcome: Outcome) -> Outcome:
    """Return an outcome without what things cost, for those who may not see it."""
    if sees_costs(person):
        return outcome
    shown = outcome.consequences.model_copy(update={"wip": [], "variance": [], "journal": []})
    return outcome.model_copy(update={"consequences": shown})


def _add_job(router: Router, command: Command) -> None:
    words = "".join(w.title() for w in command.name.split("-"))
    body_of = create_model(f"{words}Job", __base__=Strict, given=(command.given, ...))
    body_of.model_config = ConfigDict(extra="forbid")

    def start(request: HttpRequest, body: Any) -> JobOut:
        return job_out(start_job(command, body.given, request.user))  # type: ignore[arg-type]

    start.__annotations__["body"] = body_of
    start.__doc__ = f"{command.title}, in the background."
    router.post(
        f"/{command.name}",
        response={200: JobOut, **REFUSALS},
        operation_id=f"start_{command.name.replace('-', '_')}",
        summary=f"{command.title} (in the background)",
    )(start)


def _add(router: Router, command: Command) -> None:
    words = "".join(w.title() for w in command.name.split("-"))
    posted = create_model(
        f"{words}Posting",
        __base__=Strict,
        key=(Key, Field(description="chosen by the caller; the same key acts once")),
        given=(command.given, ...),
        seen=(Seen | None, None),
    )
    tried = create_model(f"{words}Preview", __base__=Strict, given=(command.given, ...))
    posted.model_config = tried.model_config = ConfigDict(extra="forbid")

    def post_it(request: HttpRequest, body: Any) -> Outcome:
        outcome = post(
            command,
            body.given,
            key=body.key,
            seen=body.seen,
            person=request.user,  # type: ignore[arg-type]
            now=timezone.now(),
        )
        return _as_seen_by(request.user, outcome)

    def preview_it(request: HttpRequest, body: Any) -> Outcome:
        outcome = preview(command, body.given, person=request.user, now=timezone.now())  # type: ignore[arg-type]
        return _as_seen_by(request.user, outcome)

    for function, path, schema, verb in (
        (post_it, f"/{command.name}", posted, "post"),
        (preview_it, f"/{command.name}/preview", tried, "preview"),
    ):
        function.__annotations__["body"] = schema
        function.__doc__ = (
            f"{command.title}: {'carry out' if verb == 'post' else 'show the consequences'}."
        )
        router.post(
            path,
            response={200: Outcome, **REFUSALS},
            operation_id=f"{verb}_{command.name.replace('-', '_')}",
            summary=f"{command.title}{' (preview)' if verb == 'preview' else ''}",
        )(function)
