from django.apps import AppConfig


class ExchangeConfig(AppConfig):
    name = "poietic.exchange"
    default_auto_field = "django.db.models.BigAutoField"
