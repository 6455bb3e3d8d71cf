from django.apps import AppConfig


class WorksConfig(AppConfig):
    name = "poietic.works"
    default_auto_field = "django.db.models.BigAutoField"
