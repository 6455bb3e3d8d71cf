from django.apps import AppConfig


class OrdersConfig(AppConfig):
    name = "poietic.orders"
    default_auto_field = "django.db.models.BigAutoField"
