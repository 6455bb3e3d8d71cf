from django.apps import AppConfig


class PickingConfig(AppConfig):
    name = "poietic.picking"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let lines of an order that holds nothing any more be dropped, and picks be checked."""
        from ..ledger.verify import register
        from ..orders.commands.reserving import ENDINGS
        from ..orders.commands.unwinding import BRING_BACK
        from ..papers.kinds import PAPERS
        from .endings import bring_back, drop_lines
        from .papers import pick_list_paper
        from .verify import CHECKS

        ENDINGS.append(drop_lines)
        BRING_BACK.append(bring_back)
        register(CHECKS)
        PAPERS["pick-list"] = pick_list_paper
