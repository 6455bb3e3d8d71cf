from django.apps import AppConfig


class SellingConfig(AppConfig):
    name = "poietic.selling"
    default_auto_field = "django.db.models.BigAutoField"
