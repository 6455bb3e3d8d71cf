from django.apps import AppConfig


class CatalogConfig(AppConfig):
    name = "poietic.catalog"
    default_auto_field = "django.db.models.BigAutoField"
