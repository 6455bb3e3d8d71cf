"""What customers order, what is foreseen, and what leaves to them."""

from . import delivering, forecasts, ordering, own_structures

__all__ = ["delivering", "forecasts", "ordering", "own_structures"]
