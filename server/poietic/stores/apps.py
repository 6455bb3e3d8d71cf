from django.apps import AppConfig


class StoresConfig(AppConfig):
    name = "poietic.stores"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let what is on the way be known as supply, transfers be checked, and labels be printed."""
        from ..ledger.verify import register
        from ..papers.kinds import LABELS
        from .future import SUPPLIES, on_the_way
        from .labels import of_item, of_lot, of_place
        from .verify import CHECKS

        SUPPLIES.append(on_the_way)
        register(CHECKS)
        LABELS.update(
            {
                "lot": of_lot,
                "serial": of_lot,
                "item": of_item,
                "place": of_place,
                "carrier": of_place,
            }
        )
