from django.apps import AppConfig


class BuyingConfig(AppConfig):
    name = "poietic.buying"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let purchases be known as supply, found, checked, taken back; orders order their outside work."""
        from ..ledger.models import Posting
        from ..ledger.verify import register
        from ..orders.commands.reserving import ENDINGS
        from ..orders.commands.taking_back import OTHERWISE
        from ..orders.open_book import AT_FINISH
        from ..orders.shortages import AWAITED, Awaited
        from ..papers.kinds import LABELS, PAPERS
        from ..stores.future import SUPPLIES
        from ..web_api.finding import FINDERS
        from .commands.taking_back import take_back_delivery, take_back_invoice, take_back_return
        from .finding import find_purchases
        from .future import OVERDUE, from_purchases, late_items
        from .outside import end_work, keep_work
        from .receipt_paper import goods_received
        from .shipping_papers import address_label, packing_list, waybill
        from .verify import CHECKS

        SUPPLIES.append(from_purchases)
        AWAITED.append(Awaited(OVERDUE, late_items))
        register(CHECKS)
        AT_FINISH.append(keep_work)
        ENDINGS.append(end_work)
        PAPERS["goods-received"] = goods_received
        PAPERS["packing-list"] = packing_list
        PAPERS["waybill"] = waybill
        LABELS["shipment"] = address_label
        FINDERS["purchase"] = find_purchases
        OTHERWISE[Posting.Kind.PURCHASE_RECEIPT] = take_back_delivery
        OTHERWISE[Posting.Kind.SUPPLIER_RETURN] = take_back_return
        OTHERWISE[Posting.Kind.INVOICE] = take_back_invoice
