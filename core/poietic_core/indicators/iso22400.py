"""Indicators of a work unit by ISO 22400-2, from its time and quantity elements."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from ..quantity import ZERO, exact


@dataclass(frozen=True, slots=True, kw_only=True)
class Elements:
    """What is measured at a work unit in a span, under the standard's own names."""

    #: planned busy time: what it was to be there for [h]
    pbt: Decimal
    #: actual production time: it made something [h]
    apt: Decimal
    #: actual unit setup time [h]
    aust: Decimal
    #: planned run time of an item, on average [h/unit]
    pri: Decimal
    #: produced, and of that good, scrap and to be reworked [unit]
    pq: Decimal
    gq: Decimal
    sq: Decimal
    rq: Decimal = ZERO
    #: actual order execution time [h]; None: it is not known
    aoet: Decimal | None = None

    @property
    def aupt(self) -> Decimal:
        """Return the actual unit processing time: setting up and producing [h]."""
        return self.aust + self.apt


@dataclass(frozen=True, slots=True, kw_only=True)
class Indicators:
    """The standard's ratios; None where there is nothing to divide by."""

    availability: Decimal | None
    effectiveness: Decimal | None
    quality_ratio: Decimal | None
    oee: Decimal | None
    setup_ratio: Decimal | None
    scrap_ratio: Decimal | None
    #: [unit/h]
    throughput_rate: Decimal | None


@exact
def indicators_of(e: Elements) -> Indicators:
    """Return the indicators of a work unit.

    availability = APT / PBT; effectiveness = PRI × PQ / APT; quality ratio = GQ / PQ;
    OEE index = availability × effectiveness × quality ratio; setup ratio = AUST / AUPT;
    scrap ratio = SQ / PQ; throughput rate = PQ / AOET.

    Source
    ------
    ISO 22400-2:2014, Automation systems and integration - Key performance indicators (KPIs) for
    manufacturing operations management (from memory).

    Examples
    --------
    >>> one = Decimal(1)
    >>> found = indicators_of(Elements(pbt=4 * one, apt=2 * one, aust=one, pri=one, pq=one, gq=one, sq=0 * one))
    >>> str(found.availability), str(found.oee)
    ('0.5', '0.25')
    """
    availability = _ratio(e.apt, e.pbt)
    effectiveness = _ratio(e.pri * e.pq, e.apt)
    quality = _ratio(e.gq, e.pq)
    oee = None
    if availability is not None and effectiveness is not None and quality is not None:
        oee = availability * effectiveness * quality
    return Indicators(
        availability=availability,
        effectiveness=effectiveness,
        quality_ratio=quality,
        oee=oee,
        setup_ratio=_ratio(e.aust, e.aupt),
        scrap_ratio=_ratio(e.sq, e.pq),
        throughput_rate=None if e.aoet is None else _ratio(e.pq, e.aoet),
    )


def _ratio(part: Decimal, whole: Decimal) -> Decimal | None:
    return part / whole if whole else None
