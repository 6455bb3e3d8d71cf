from django.apps import AppConfig


class SettlingConfig(AppConfig):
    name = "poietic.settling"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let what waits to be carried on be checked against its account; a run is not mirrored."""
        from ..ledger.models import Posting
        from ..ledger.verify import register
        from ..orders.commands.taking_back import INSTEAD, OTHERWISE
        from .commands.periods import take_back_actual_cost
        from .verify import CHECKS

        register(CHECKS)
        INSTEAD[Posting.Kind.PERIOD_END] = "Open the month again."
        OTHERWISE[Posting.Kind.ACTUAL_COST] = take_back_actual_cost
        INSTEAD[Posting.Kind.LATE_COST] = "Take back the invoice: the next run carries that on."
