"""Capacity: what work centers are loaded with, and what comes next there."""
