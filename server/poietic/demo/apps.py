from django.apps import AppConfig


class DemoConfig(AppConfig):
    name = "poietic.demo"
    default_auto_field = "django.db.models.BigAutoField"
