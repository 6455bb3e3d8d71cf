from django.apps import AppConfig


class PlanningConfig(AppConfig):
    name = "poietic.planning"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Register what is kept up to date at the end of a command."""
        from ..commanding.registry import AT_END
        from .endangered import settle_endangered

        AT_END.append(settle_endangered)
