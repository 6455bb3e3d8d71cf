"""Statements of the database that are asked or written again and again: made once, rows in arrays."""
