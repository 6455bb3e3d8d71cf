"""What a plan's lots load work centers with: rough, day by day, all lots side by side."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Lots:
    """What is planned to be made: one entry for each lot."""

    item: Ints
    #: [unit]
    quantity: Floats
    #: the days on which each begins and has to be there
    begins: Ints
    due: Ints


@dataclass(frozen=True, slots=True, kw_only=True)
class Labours:
    """What making an item takes: one entry for each operation, items rising."""

    item: Ints
    center: Ints
    #: of one lot, and of one run [h of one machine at the standard pace]
    setup: Floats
    run: Floats
    #: units entering the operation for one good unit of the item
    enter: Floats
    #: units of a run
    per: Floats
    #: a run that is begun is run to its end
    is_whole: NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class RoughLoad:
    """The hours of lots at work centers."""

    #: shape (centers, days) [h]
    hours: Floats
    #: of each lot's operation: the lot, its work center and its hours, to name what loads most
    lot: Ints
    center: Ints
    each: Floats


def rough_load(lots: Lots, labours: Labours, centers: int, days: int) -> RoughLoad:
    """Return the hours of one machine that lots take at each work center on each day.

    An operation's setup and runs are spread evenly over the days from the lot's beginning to the day
    before it is due: where in them it lies is left to scheduling.

    Notes
    -----
    O(operations of all lots + centers × days).

    Source
    ------
    Bills of capacity, time-phased by lead time: Vollmann, Berry & Whybark, *Manufacturing Planning
    and Control Systems*, ch. "capacity planning" (resource profiles); even over the lead time: common
    practice.
    """
    first = np.searchsorted(labours.item, lots.item)
    count = np.searchsorted(labours.item, lots.item, side="right") - first
    lot = np.repeat(np.arange(lots.item.size), count)
    within = np.arange(lot.size) - np.repeat(np.cumsum(count) - count, count)
    operation = np.repeat(first, count) + within
    runs = lots.quantity[lot] * labours.enter[operation] / labours.per[operation]
    runs = np.where(labours.is_whole[operation], np.ceil(runs - 1e-9), runs)
    each = labours.setup[operation] + runs * labours.run[operation]
    center = labours.center[operation]
    begin = np.minimum(lots.begins, days - 1)
    end = np.minimum(np.maximum(lots.due, begin + 1), days)
    a_day = each / (end - begin)[lot]
    change = np.zeros((centers, days + 1))
    np.add.at(change, (center, begin[lot]), a_day)
    np.add.at(change, (center, end[lot]), -a_day)
    hours = np.maximum(0, np.cumsum(change, axis=1)[:, :-1])
    return RoughLoad(hours, lot.astype(np.int64), center, each)
