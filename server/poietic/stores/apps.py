from django.apps import AppConfig


class StoresConfig(AppConfig):
    name = "poietic.stores"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let what is on the way be known as supply, and transfers be checked."""
        from ..ledger.verify import register
        from .future import READERS, read_transfers
        from .verify import CHECKS

        READERS.append(read_transfers)
        register(CHECKS)
