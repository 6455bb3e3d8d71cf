"""The outermost layer: what no address takes is refused, and under /api every answer is JSON."""

import logging
import sys
from collections.abc import Callable
from typing import Any
from urllib.parse import unquote
from uuid import uuid4

from django.conf import settings
from django.core.signals import got_request_exception
from django.db import InterfaceError, OperationalError
from django.dispatch import receiver
from django.http import HttpRequest, HttpResponse
from poietic_core.errors import DomainError

from .errors import problem
from .http_errors import (
    Failed,
    FromElsewhere,
    MethodNotAllowed,
    NoSuchAddress,
    NotUnderstood,
    TooLarge,
    Unavailable,
    WrongKind,
)

JSON = "application/json"
FILES = "multipart/form-data"
#: addresses that take files; all others take JSON
TAKE_FILES = (
    "/api/uploads",
    "/api/files",
    "/api/calendars/read",
    "/api/sheets",
    "/api/invoices/read",
    "/api/despatches/read",
)
log = logging.getLogger("poietic.web_api")


@receiver(got_request_exception)
def remember(request: HttpRequest | None = None, **more: Any) -> None:
    """Keep with its request what failed, for the answer: Django hands on only that something did."""
    if request is not None:
        request.failure = sys.exc_info()[1]  # type: ignore[attr-defined]


class Edge:
    """Stands before all else that Django does with a request."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer a request; what goes wrong under /api is told as problem+json."""
        if "\x00" in request.path_info or "\x00" in unquote(request.META.get("QUERY_STRING", "")):
            return problem(NotUnderstood("An address can't hold a null character."))
        if not request.path_info.startswith("/api/"):
            page = self._get_response(request)
            page.headers.setdefault("Content-Security-Policy", settings.CONTENT_SECURITY_POLICY)
            return page
        if refusal := _wrong_kind(request):
            return problem(refusal)
        answer = self._get_response(request)
        answer.headers.setdefault("Cache-Control", "no-store")
        kind = answer.headers.get("Content-Type", "")
        if answer.status_code < 400 or "json" in kind:
            return answer
        said = problem(_refusal(request, answer))
        for name in ("Allow", "Retry-After"):
            if name in answer.headers:
                said.headers[name] = answer.headers[name]
        return said


def _wrong_kind(request: HttpRequest) -> DomainError | None:
    kind = request.content_type or ""
    takes = FILES if request.path_info.startswith(TAKE_FILES) else JSON
    if request.method != "POST" or kind in ("", takes):  # "" without a body, else it is not read
        return None
    return WrongKind(kind[:80], takes)


def _refusal(request: HttpRequest, answer: HttpResponse) -> DomainError:
    failure = getattr(request, "failure", None)
    match answer.status_code:
        case 403:
            return FromElsewhere()
        case 404:
            return NoSuchAddress(request.path_info[:200])
        case 405:
            return MethodNotAllowed(str(request.method), request.path_info[:200])
        case 413:
            return TooLarge("fewer bytes")
        case status if status < 500:
            return NotUnderstood(str(answer.reason_phrase) + ".")
    if isinstance(failure, OperationalError | InterfaceError):
        return Unavailable()
    number = uuid4().hex[:8]
    log.error("%s: %s %s", number, request.method, request.path_info, exc_info=failure)
    return Failed(number)
