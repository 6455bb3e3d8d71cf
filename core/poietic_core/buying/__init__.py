"""Buying: the states of a purchase order, what an invoice is matched with, and how further costs are spread."""
