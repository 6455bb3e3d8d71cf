"""Where requests go: the API, and for every other address the front end's one page."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from ..web_api.events import events
from .api import api


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """Return the front end's page; it finds its own way by the address."""
    index = settings.WEB_BUILD / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built: run ./poietic start", status=503)
    return HttpResponse(index.read_bytes(), content_type="text/html; charset=utf-8")


urlpatterns = [
    path("api/events", events),
    path("api/", api.urls),
    re_path(r"^(?!api/|assets/).*$", page),
]
