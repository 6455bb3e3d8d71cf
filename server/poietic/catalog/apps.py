from django.apps import AppConfig


class CatalogConfig(AppConfig):
    name = "poietic.catalog"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Let its things be found."""
        from ..web_api.finding import FINDERS
        from .finding import (
            find_bought,
            find_documents,
            find_items,
            find_made,
            find_partners,
        )

        FINDERS["item"] = find_items
        FINDERS["made item"] = find_made
        FINDERS["bought item"] = find_bought
        FINDERS["partner"] = find_partners
        FINDERS["document"] = find_documents
