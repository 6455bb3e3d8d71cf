"""What should go from one site to another, so that what lies there serves who wants it here."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import accumulate

from ..quantity import ZERO, exact, round_up


@dataclass(frozen=True, slots=True)
class AtSite:
    """What lies of an item at a site, and what comes and goes there."""

    #: may be used [unit]
    on_hand: Decimal
    #: by period: what comes minus what is wanted [unit]
    change: Sequence[Decimal]
    #: how long a transfer to it is on its way [periods]
    way: int


@dataclass(frozen=True, slots=True)
class Sent:
    """A transfer: sent in one period, there in another, by so many periods too late."""

    out_of: int
    into: int
    quantity: Decimal
    send: int
    due: int
    late: int


@exact
def transfers(sites: Mapping[int, AtSite], step: Decimal) -> list[Sent]:
    """Return what should go from site to site where one falls short and another has more than it wants.

    Who falls short first gets first, of ties the lower key; of those who can send in time the one that
    can spare most, else whoever can spare anything soonest. A site sends only what it won't want
    itself, as far as is known; what nobody can spare has to be made or bought.

    Parameters
    ----------
    sites : by key; all of them over the same periods
    step : of the item [unit]

    Source
    ------
    Distribution requirements planning: Vollmann, Berry & Whybark, ch. "distribution requirements
    planning"; here only what is there already is sent.

    Examples
    --------
    >>> here = AtSite(Decimal(30), [Decimal(0), Decimal(-10), Decimal(0)], 1)
    >>> there = AtSite(Decimal(0), [Decimal(0), Decimal(0), Decimal(-15)], 1)
    >>> [(s.out_of, s.into, str(s.quantity), s.send, s.due, s.late) for s in transfers({1: here, 2: there}, Decimal(1))]
    [(1, 2, '15', 1, 2, 0)]
    """
    left = {key: list(accumulate(s.change, initial=s.on_hand))[1:] for key, s in sites.items()}
    found: list[Sent] = []
    periods = min((len(own) for own in left.values()), default=0)
    for period in range(periods):
        for into in sorted(sites):
            while left[into][period] < 0:
                sent = _best(sites, left, into, period, step)
                if sent is None:
                    break
                found.append(sent)
                for at in range(sent.send, periods):
                    left[sent.out_of][at] -= sent.quantity
                for at in range(period, periods):  # who waits is served, however late
                    left[into][at] += sent.quantity
    return found


def _best(
    sites: Mapping[int, AtSite],
    left: Mapping[int, list[Decimal]],
    into: int,
    due: int,
    step: Decimal,
) -> Sent | None:
    """Return what serves a site that falls short: in time, else as soon as anybody can spare something."""
    way, wanted = sites[into].way, round_up(-left[into][due], step)
    for send in range(max(0, due - way), len(left[into]) - way if way else len(left[into])):
        spare = {key: min(own[send:]) // step * step for key, own in left.items() if key != into}
        best = max(spare, key=lambda key: (spare[key], -key), default=None)
        if best is not None and spare[best] > ZERO:
            quantity = min(wanted, spare[best])
            return Sent(best, into, quantity, send, due, max(0, send + way - due))
    return None
