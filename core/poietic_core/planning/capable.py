"""The earliest day for a quantity when what is missing of it is made or bought anew, and what decides it."""

from __future__ import annotations

from collections.abc import Mapping, MutableSequence, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from ..quantity import ZERO, exact
from .labour import Labour


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """One item as a promise sees it; days are working days from today on."""

    #: what may be promised of it, by the day from which it is there; days rise [unit]
    free: Sequence[tuple[int, Decimal]] = ()
    #: from ordering or beginning to having
    lead: int = 0
    #: what one unit is made of; empty: it is bought
    uses: Mapping[str, Decimal] = field(default_factory=dict)
    #: what making it takes of work centers, one after the other
    works: Sequence[Labour] = ()


@dataclass(frozen=True, slots=True)
class Step:
    """A part of the way to a promise: so much of an item, there on a day, and how."""

    item: str
    quantity: Decimal
    day: int
    #: taken of what is free; else made or bought anew
    is_free: bool
    #: the operation that takes it beyond its lead time, where work centers have no hours free for it
    waits_at: Labour | None = None


@dataclass(frozen=True, slots=True)
class Promised:
    """When a quantity can be there, and the chain that decides it, the item itself first."""

    day: int
    path: tuple[Step, ...]


@exact
def capable_to_promise(
    item: str,
    quantity: Decimal,
    sources: Mapping[str, Source],
    free_hours: Mapping[str, Sequence[Decimal]] | None = None,
) -> Promised:
    """Return the earliest day on which a quantity can be there.

    Level by level, what is free today is taken; what is missing of an item is either waited for, where
    enough of it comes, or made or bought anew, whichever is sooner. What several parents miss of a
    component is missed together. What is made anew takes its lead time, or longer where its operations,
    one after the other, find hours free later; what it takes, nothing else of the same promise gets.

    Parameters
    ----------
    item : its code; every code that it is made of has a source
    quantity : wanted [unit], > 0
    free_hours : of a work center, what is free on each day from today on [h of one machine]; further ahead,
        and of those that are not named, nothing is in the way

    Notes
    -----
    O(lines below the item + operations × days). An operation begins on the day on which the one before it
    ends; each day is filled from today on, whatever the hour.

    Source
    ------
    Capable-to-promise: APICS Dictionary (from memory); netting in low-level-code order as in
    material requirements planning; forward loading to finite capacity: common practice.

    Examples
    --------
    >>> lens = Source(free=[(0, Decimal(4))], lead=10)
    >>> scope = Source(lead=3, uses={"LENS": Decimal(2)})
    >>> found = capable_to_promise("SCOPE", Decimal(3), {"SCOPE": scope, "LENS": lens})
    >>> found.day, [(s.item, str(s.quantity), s.day) for s in found.path]
    (13, [('SCOPE', '3', 13), ('LENS', '2', 10)])
    >>> capable_to_promise("SCOPE", Decimal(2), {"SCOPE": scope, "LENS": lens}).day
    3
    """
    order = _parents_first(item, sources)
    wanted = dict.fromkeys(order, ZERO) | {item: quantity}
    missing: dict[str, Decimal] = {}
    for code in order:
        there = sum((q for day, q in sources[code].free if day == 0), ZERO)
        missing[code] = max(ZERO, wanted[code] - there)
        for component, each in sources[code].uses.items():
            wanted[component] += each * missing[code]
    hours = {center: list(days) for center, days in (free_hours or {}).items()}
    ready: dict[str, Step] = {}
    decides: dict[str, str] = {}
    for code in reversed(order):
        source, lacks = sources[code], missing[code]
        if not lacks:
            ready[code] = Step(code, wanted[code], 0, is_free=True)
            continue
        begins = 0
        for component in source.uses:
            if ready[component].day > begins:
                begins, decides[code] = ready[component].day, component
        waits = _comes(source, wanted[code])
        if waits is not None and waits <= begins + source.lead:
            decides.pop(code, None)
            ready[code] = Step(code, wanted[code], waits, is_free=True)
            continue
        taken = {w.center: list(hours[w.center]) for w in source.works if w.center in hours}
        done, longest = _worked(source.works, lacks, begins, taken)
        if waits is not None and waits <= done:
            decides.pop(code, None)
            ready[code] = Step(code, wanted[code], waits, is_free=True)
            continue
        hours |= taken
        anew = max(begins + source.lead, done)
        slow = longest if done > begins + source.lead else None
        ready[code] = Step(code, lacks, anew, is_free=False, waits_at=slow)
    path = [ready[item]]
    while (at := decides.get(path[-1].item)) is not None:
        path.append(ready[at])
    return Promised(ready[item].day, tuple(path))


def _worked(
    works: Sequence[Labour],
    quantity: Decimal,
    begins: int,
    hours: Mapping[str, MutableSequence[Decimal]],
) -> tuple[int, Labour | None]:
    """Take a lot's hours of what is free from a day on; return when it is done, and what took longest."""
    day, most, longest = begins, -1, None
    for labour in works:
        free = hours.get(labour.center, ())
        left, ends = labour.hours(quantity), day
        for n in range(day, len(free)):
            part = min(left, free[n])
            if part > 0:
                hours[labour.center][n] -= part
                left -= part
                ends = n
            if left <= 0:
                break
        if left > 0:
            ends = max(day, len(free))
        if ends - day > most:
            most, longest = ends - day, labour
        day = ends
    return day, longest


def _comes(source: Source, wanted: Decimal) -> int | None:
    """Return the day from which enough of what may be promised is there; None: never."""
    whole = ZERO
    for day, quantity in source.free:
        whole += quantity
        if whole >= wanted:
            return day
    return None


def _parents_first(top: str, sources: Mapping[str, Source]) -> list[str]:
    """Return all that an item is made of, each after all that use it."""
    done: list[str] = []
    seen: set[str] = set()
    stack: list[tuple[str, bool]] = [(top, False)]
    while stack:
        code, is_left = stack.pop()
        if is_left:
            done.append(code)
        elif code not in seen:
            seen.add(code)
            stack.append((code, True))
            stack += [(c, False) for c in sorted(sources[code].uses)]
    return done[::-1]
