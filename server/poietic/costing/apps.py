from django.apps import AppConfig


class CostingConfig(AppConfig):
    name = "poietic.costing"
    default_auto_field = "django.db.models.BigAutoField"
