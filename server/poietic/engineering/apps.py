from django.apps import AppConfig


class EngineeringConfig(AppConfig):
    name = "poietic.engineering"
    default_auto_field = "django.db.models.BigAutoField"
