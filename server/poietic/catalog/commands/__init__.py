"""The commands of the catalog; importing them registers them."""

from . import items, places, prices

__all__ = ["items", "places", "prices"]
