"""Commands on stock: what comes in, moves, is counted, and is told apart by lot."""

from . import carriers, counting, lots, moving, receiving, transfers

__all__ = ["carriers", "counting", "lots", "moving", "receiving", "transfers"]
