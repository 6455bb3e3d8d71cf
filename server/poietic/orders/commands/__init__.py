"""Commands on production orders, a module for each part of an order's life."""

from . import (
    completion,
    extra_cost,
    holding,
    life,
    material,
    phantoms,
    planning,
    receiving,
    reporting,
    shift,
    taking_back,
    tranches,
    trees,
    unwinding,
)

__all__ = [
    "completion",
    "extra_cost",
    "holding",
    "life",
    "material",
    "phantoms",
    "planning",
    "receiving",
    "reporting",
    "shift",
    "taking_back",
    "tranches",
    "trees",
    "unwinding",
]
