"""How a supplier kept his word: what came in time, whole, good, and at the price that was ordered."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from ..quantity import exact, round_to

TENTH = Decimal("0.1")


@dataclass(frozen=True, slots=True)
class Said:
    """What happened, summed: deliveries, those in time, days late of the others, pieces, money."""

    deliveries: Decimal
    in_time: Decimal
    days: Decimal
    came: Decimal
    returned: Decimal
    #: of lines of which no more is to come: ordered, and kept of that
    ordered: Decimal
    kept: Decimal
    #: what invoiced goods were ordered at, and what was asked [money]
    ordered_at: Decimal
    asked: Decimal


@dataclass(frozen=True, slots=True)
class Record:
    """Shares in percent; None where nothing tells."""

    deliveries: Decimal
    on_time: Decimal | None
    days_late: Decimal | None
    complete: Decimal | None
    kept: Decimal | None
    dearer: Decimal | None


@exact
def record_of(said: Said) -> Record:
    """Return a supplier's record.

    Parameters
    ----------
    said : sums over a time; pieces in stock units

    Source
    ------
    Supplier scorecard of delivery, quantity, quality and price: APICS Dictionary, "supplier
    measurement" (from memory); common practice.

    Examples
    --------
    >>> print(f"{record_of(Said(*map(Decimal, (4, 3, 6, 100, 2, 50, 48, 200, 208)))).on_time:.1f}")
    75.0
    """
    late = said.deliveries - said.in_time
    dearer = _share(said.asked - said.ordered_at, said.ordered_at)
    return Record(
        deliveries=said.deliveries,
        on_time=_share(said.in_time, said.deliveries),
        days_late=round_to(said.days / late, TENTH) if late else None,
        complete=_share(said.kept, said.ordered),
        kept=_share(said.came - said.returned, said.came),
        dearer=dearer,
    )


def _share(part: Decimal, whole: Decimal) -> Decimal | None:
    return round_to(100 * part / whole, TENTH) if whole else None
