"""One HTTP pattern for all commands: preview and post."""

from typing import Annotated, Any

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema
from pydantic import ConfigDict, Field, StringConstraints, create_model

from ..web_api.fields import Strict
from .registry import COMMANDS, Command
from .run import Outcome, Seen, post, preview

Key = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9._:-]{8,80}$")]


class Problem(Schema):
    """An error: what happened, why, what can be done."""

    type: str
    status: int
    title: str
    detail: str
    fix: str
    code: str
    context: dict[str, Any]


REFUSALS = {401: Problem, 403: Problem, 404: Problem, 409: Problem, 422: Problem}


class CommandInfo(Schema):
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
        return post(
            command,
            body.given,
            key=body.key,
            seen=body.seen,
            person=request.user,  # type: ignore[arg-type]
            now=timezone.now(),
        )

    def preview_it(request: HttpRequest, body: Any) -> Outcome:
        return preview(command, body.given, person=request.user, now=timezone.now())  # type: ignore[arg-type]

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
