"""Planning runs, and what becomes of what they propose."""

from . import planning, proposals

__all__ = ["planning", "proposals"]
