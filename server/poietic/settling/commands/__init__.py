"""What changes the books at the end of a period, and what carries late cost on."""

from . import carrying

__all__ = ["carrying"]
