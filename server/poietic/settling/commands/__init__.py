"""What changes the books at the end of a month, and what carries late cost on."""

from . import carrying, periods

__all__ = ["carrying", "periods"]
