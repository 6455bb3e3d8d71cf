"""What changes the books at the end of a month, closes orders, carries late cost on."""

from . import accounts, carrying, closing, periods, thresholds

__all__ = ["accounts", "carrying", "closing", "periods", "thresholds"]
