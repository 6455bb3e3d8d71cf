from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class CommandingConfig(AppConfig):
    name = "poietic.commanding"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Register the commands of every app."""
        autodiscover_modules("commands")
