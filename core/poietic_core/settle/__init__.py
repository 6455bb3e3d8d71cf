"""Closing the books: late cost carried on, the actual cost of a period, WIP at its end."""
