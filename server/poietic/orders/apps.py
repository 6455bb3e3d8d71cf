from django.apps import AppConfig


class OrdersConfig(AppConfig):
    name = "poietic.orders"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let the check of all balances look at orders too."""
        from ..ledger.verify import register
        from .verify import CHECKS

        register(CHECKS)
