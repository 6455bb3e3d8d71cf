from django.apps import AppConfig


class PlanningConfig(AppConfig):
    name = "poietic.planning"
    default_auto_field = "django.db.models.BigAutoField"
