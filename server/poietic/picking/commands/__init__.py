"""Commands on pick lists: made, taken, short, put back, issued."""

from . import lists, taking

__all__ = ["lists", "taking"]
