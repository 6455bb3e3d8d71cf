"""What customers order, what is foreseen, and what leaves to them."""

from . import delivering, forecasts, ordering

__all__ = ["delivering", "forecasts", "ordering"]
