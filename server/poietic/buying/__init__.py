"""Buying: orders to suppliers, what comes of them, and what is invoiced for it."""
