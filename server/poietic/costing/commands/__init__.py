"""The commands of costing; importing them registers them."""

from . import standards, valuing

__all__ = ["standards", "valuing"]
