"""Closing the books: late cost carried on, periods, variances across orders, the actual cost of a period."""
