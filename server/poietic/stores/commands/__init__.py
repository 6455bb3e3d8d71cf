"""Commands on stock: what comes in, moves, is counted, and is told apart by lot."""

from . import counting, lots, moving, receiving, transfers

__all__ = ["counting", "lots", "moving", "receiving", "transfers"]
