from django.apps import AppConfig


class OrdersConfig(AppConfig):
    name = "poietic.orders"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let orders be checked, found, noted on, and kept up to date by each command."""
        from ..catalog.commands.items import NOTED
        from ..commanding.registry import AT_END
        from ..ledger.verify import register
        from ..papers.kinds import PAPERS
        from ..stores.future import READERS, SUPPLIES
        from ..web_api.finding import FINDERS
        from .finding import find_orders, order_numbered
        from .future import read_orders
        from .keeping import keep
        from .shortages import from_orders
        from .traveller import traveller
        from .verify import CHECKS

        AT_END.append(keep)
        READERS.append(read_orders)
        SUPPLIES.append(from_orders)
        register(CHECKS)
        FINDERS["order"] = find_orders
        NOTED["order"] = order_numbered
        PAPERS["traveller"] = traveller
