"""Commands on purchase orders: drafted, sent, confirmed, sent units to, received, returned, invoiced, taken back."""

from . import changing, drafting, invoicing, receiving, shipping, simulating

__all__ = ["changing", "drafting", "invoicing", "receiving", "shipping", "simulating"]
