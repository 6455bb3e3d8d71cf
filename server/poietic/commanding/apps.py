from django.apps import AppConfig


class CommandingConfig(AppConfig):
    name = "poietic.commanding"
    default_auto_field = "django.db.models.BigAutoField"
