"""The commands of the catalog; importing them registers them."""

from . import items, prices

__all__ = ["items", "prices"]
