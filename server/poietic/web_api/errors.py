"""The one place that turns errors into application/problem+json."""

import logging
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, ClassVar

from django.db import DataError
from django.dispatch import Signal
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from poietic_core.errors import DomainError
from pydantic import BaseModel

from .fields import plain
from .http_errors import FromElsewhere, NotUnderstood

#: HTTP status by error code; what is not listed is 422
STATUS = {
    "request.not_understood": 400,
    "request.from_elsewhere": 403,
    "request.no_such_address": 404,
    "request.method_not_allowed": 405,
    "request.too_slow": 408,
    "request.too_large": 413,
    "request.wrong_kind": 415,
    "service.failed": 500,
    "service.unavailable": 503,
    "people.not_signed_in": 401,
    "people.sign_in_refused": 401,
    "people.factor_needed": 401,
    "people.new_password_needed": 401,
    "people.no_demo": 403,
    "people.too_many_attempts": 429,
    "people.role_needed": 403,
    "people.not_the_first": 409,
    "input.not_found": 404,
    "input.exists": 409,
    "command.key_used": 409,
    "command.changed_since": 409,
    "command.busy": 409,
    "command.against_rule": 409,
    "order.rework_pending": 409,
    "order.wrong_state": 409,
    "order.release_used": 409,
    "report.rework_decided": 409,
    "report.more_than_set_aside": 409,
    "stock.not_enough": 409,
    "stock.layer_used": 409,
    "stock.kept_for_others": 409,
    "pick.done": 409,
    "pick.not_taken": 409,
    "pick.still_picked": 409,
    "order.more_than_left": 409,
    "lot.already_there": 409,
    "lot.not_issued": 409,
    "lot.not_usable": 409,
    "posting.taken_back": 409,
    "transfer.more_than_sent": 409,
    "count.not_counted": 409,
    "count.ended": 409,
    "order.on_hold": 409,
    "order.not_on_hold": 409,
    "order.less_than_done": 409,
    "order.nothing_to_unwind": 409,
    "item.has_stock": 409,
    "structure.in_review": 409,
    "structure.effectivity_taken": 409,
}
#: what goes away by itself, with the seconds after which to try again
RETRY_AFTER = {"command.busy": 1, "service.unavailable": 2, "people.too_many_attempts": 60}
log = logging.getLogger("poietic.web_api")
#: sent with each refusal, its request and its error
refused = Signal()


@dataclass(eq=False)
class NotFound(DomainError):
    """Nothing has that code."""

    kind: str
    wanted: str
    code: ClassVar[str] = "input.not_found"
    what: ClassVar[str] = "There is no {kind} {wanted}."
    why: ClassVar[str] = "Nothing is kept under that code."
    fix: ClassVar[str] = "Check the code, or make the {kind} first."


@dataclass(eq=False)
class Exists(DomainError):
    """The code is taken."""

    kind: str
    wanted: str
    code: ClassVar[str] = "input.exists"
    what: ClassVar[str] = "There is already a {kind} {wanted}."
    why: ClassVar[str] = "A code belongs to one thing only."
    fix: ClassVar[str] = "Choose another code, or change the one that exists."


@dataclass(eq=False)
class InvalidInput(DomainError):
    """The fields of a request are not what they must be."""

    faults: list[str]
    code: ClassVar[str] = "input.invalid"
    what: ClassVar[str] = "The input can't be read."
    why: ClassVar[str] = "{faults}."
    fix: ClassVar[str] = "Correct these fields; nothing was changed."


@dataclass(eq=False)
class BeyondColumn(DomainError):
    """A number or text of what is written is larger than can be kept."""

    said: str
    code: ClassVar[str] = "number.beyond_column"
    what: ClassVar[str] = "Something of this is larger than can be kept."
    why: ClassVar[str] = "The database says: {said}."
    fix: ClassVar[str] = "Enter smaller quantities, prices or texts; nothing was changed."


def beyond_column(err: DataError) -> BeyondColumn:
    """Return what the database says of a value that it can't keep."""
    said = getattr(err.__cause__, "diag", None)
    words = (said and " ".join(filter(None, (said.message_primary, said.message_detail)))) or str(
        err
    )
    return BeyondColumn(words.rstrip("."))


@dataclass(eq=False)
class NotSignedIn(DomainError):
    """Nobody is signed in."""

    code: ClassVar[str] = "people.not_signed_in"
    what: ClassVar[str] = "Nobody is signed in."
    why: ClassVar[str] = "What the shop does is shown and changed by signed-in persons only."
    fix: ClassVar[str] = "Sign in and try again."


def jsonable(value: object) -> Any:
    """Return a context value as JSON can carry it."""
    if isinstance(value, Decimal):
        return plain(value)
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    if isinstance(value, list | tuple):
        return [jsonable(v) for v in value]
    if isinstance(value, dict):
        return {str(k): jsonable(v) for k, v in value.items()}
    return value


def problem_of(error: DomainError) -> dict[str, Any]:
    """Return the error as problem+json says it: what, why, what to do, stable code."""
    texts = error.explain()
    return {
        "type": f"/errors/{error.code}",
        "status": STATUS.get(error.code, 422),
        "title": texts["what"],
        "detail": texts["why"],
        "fix": texts["fix"],
        "code": error.code,
        "context": jsonable(error.context()),
    }


def problem(error: DomainError) -> HttpResponse:
    """Return the error as an answer."""
    said = problem_of(error)
    answer = JsonResponse(said, status=said["status"], content_type="application/problem+json")
    if error.code in RETRY_AFTER:
        answer.headers["Retry-After"] = str(RETRY_AFTER[error.code])
    return answer


def install(api: NinjaAPI) -> None:
    """Give the API its exception handlers."""

    @api.exception_handler(DomainError)
    def domain(request: HttpRequest, error: DomainError) -> HttpResponse:
        refused.send(sender=type(error), request=request, error=error)
        return problem(error)

    @api.exception_handler(DataError)
    def too_large(request: HttpRequest, error: DataError) -> HttpResponse:
        return problem(beyond_column(error))

    @api.exception_handler(ValidationError)
    def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
        return problem(InvalidInput([_fault(e) for e in error.errors]))

    @api.exception_handler(AuthenticationError)
    def stranger(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(NotSignedIn())

    @api.exception_handler(HttpError)
    def unreadable(request: HttpRequest, error: HttpError) -> HttpResponse:
        log.info("refused: %s", error)
        return problem(FromElsewhere() if error.status_code == 403 else NotUnderstood(f"{error}."))


def _fault(error: dict[str, Any]) -> str:
    parts = (p for p in error["loc"] if p not in ("body", "body_", "request", "given"))
    path = ".".join(str(p + 1 if isinstance(p, int) else p) for p in parts)  # people count from 1
    message = error["msg"].removeprefix("Value error, ")
    if error["type"] == "extra_forbidden":
        message = "this field does not exist"
    elif error["type"] == "too_short":
        message = f"at least {error['ctx']['min_length']} is needed"
    elif error["type"] == "too_long":
        message = f"at most {error['ctx']['max_length']} at once"
    return f"{path}: {message}" if path else message
