"""Demand and supply: who wants how much of what by when, and what will come."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from ..quantity import ZERO


class Source(StrEnum):
    """What a demand or a supply is of."""

    ORDER = "production order"
    TRANSFER = "transfer"
    PURCHASE = "purchase order"
    CUSTOMER = "customer order"
    FORECAST = "forecast"
    PROPOSAL = "proposal"
    EXPIRY = "expiry"


@dataclass(frozen=True, slots=True, kw_only=True)
class Demand:
    """A quantity of one item that somebody wants by a day; of one day, lower numbers come first."""

    source: Source
    number: int
    due: date
    #: still wanted [unit]
    quantity: Decimal
    #: of it, what is kept for it on hand [unit]
    reserved: Decimal = ZERO
    #: who comes before others whatever is due when: lower ranks, what runs before what is planned
    rank: int = 0
    #: of what has lines
    line: int = 0
    #: the key of the site where it is wanted; 0: anywhere
    site: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Supply:
    """A quantity of one item that will come on a day; None: nobody knows when."""

    source: Source
    number: int
    comes: date | None
    #: still to come [unit]
    quantity: Decimal
    #: the key of the site where it comes; 0: it is not known
    site: int = 0
