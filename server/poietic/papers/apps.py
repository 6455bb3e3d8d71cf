from django.apps import AppConfig


class PapersConfig(AppConfig):
    name = "poietic.papers"
    default_auto_field = "django.db.models.BigAutoField"
