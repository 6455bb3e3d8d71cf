from typing import Any

from django.apps import AppConfig
from django.http import HttpRequest
from poietic_core.errors import DomainError


class PeopleConfig(AppConfig):
    name = "poietic.people"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Keep in the audit whom a role was lacking."""
        from ..web_api.errors import refused

        refused.connect(_note_refusal, dispatch_uid="people.role_lacked")


def _note_refusal(request: HttpRequest, error: DomainError, **more: Any) -> None:
    from .door import note
    from .models import Happening

    if error.code == "people.role_needed":
        note(request, Happening.Kind.ROLE_LACKED, detail=f"{request.method} {request.path_info}")
