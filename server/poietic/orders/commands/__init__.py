"""Commands on production orders, a module for each part of an order's life."""

from . import (
    completion,
    life,
    material,
    phantoms,
    planning,
    receiving,
    reporting,
    taking_back,
    tranches,
    trees,
)

__all__ = [
    "completion",
    "life",
    "material",
    "phantoms",
    "planning",
    "receiving",
    "reporting",
    "taking_back",
    "tranches",
    "trees",
]
