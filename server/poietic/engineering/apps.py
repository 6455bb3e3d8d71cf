from django.apps import AppConfig


class EngineeringConfig(AppConfig):
    name = "poietic.engineering"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let its things be found."""
        from ..web_api.finding import FINDERS
        from .finding import find_centers, find_structures

        FINDERS["work center"] = find_centers
        FINDERS["structure"] = find_structures
