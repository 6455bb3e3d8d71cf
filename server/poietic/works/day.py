"""The works' time zone, for whatever happens in a request or a job."""

from collections.abc import Callable
from zoneinfo import ZoneInfo

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from .models import the_works


class WorksDay:
    """Middleware: "today" is the works' day, wherever the server stands."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer with the works' time zone in force."""
        if not request.path_info.startswith("/api/"):
            return self._get_response(request)
        with timezone.override(zone_of_works()):
            return self._get_response(request)


def zone_of_works() -> ZoneInfo:
    """Return the works' time zone."""
    return ZoneInfo(the_works().zone)
