"""Planning runs, what becomes of what they propose, and what is made to a customer's order."""

from . import making, planning, proposals

__all__ = ["making", "planning", "proposals"]
