from django.apps import AppConfig


class SellingConfig(AppConfig):
    name = "poietic.selling"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let what customers want be known as demand, be found and checked; deliveries come back to it."""
        from ..ledger.models import Posting
        from ..ledger.verify import register
        from ..orders.commands.taking_back import OTHERWISE
        from ..papers.kinds import LABELS, PAPERS
        from ..stores.future import READERS
        from ..web_api.finding import FINDERS
        from .commands.delivering import take_back_delivery
        from .delivery_paper import address_label, delivery_note
        from .finding import find_customer_orders
        from .future import read_customers, read_forecasts
        from .verify import CHECKS

        READERS.append(read_customers)
        READERS.append(read_forecasts)
        register(CHECKS)
        PAPERS["delivery-note"] = delivery_note
        LABELS["delivery"] = address_label
        FINDERS["customer order"] = find_customer_orders
        OTHERWISE[Posting.Kind.DELIVERY] = take_back_delivery
