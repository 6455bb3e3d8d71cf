"""Commands on purchase orders: drafted, sent, confirmed, received, returned, invoiced, taken back."""

from . import changing, drafting, invoicing, receiving

__all__ = ["changing", "drafting", "invoicing", "receiving"]
