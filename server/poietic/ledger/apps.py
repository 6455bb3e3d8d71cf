from django.apps import AppConfig
from django.db.models.signals import post_migrate


class LedgerConfig(AppConfig):
    name = "poietic.ledger"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Connect the rights of the serving role and the holding of each new item; let lots be found."""
        from ..web_api.finding import FINDERS
        from .finding import find_lots

        FINDERS["lot"] = find_lots
        from ..catalog.signals import item_changing, item_defined
        from .holding import hold_still, open_holding
        from .rights import grant

        post_migrate.connect(grant, sender=self)
        item_defined.connect(open_holding)
        item_changing.connect(hold_still)
