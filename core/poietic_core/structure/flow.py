"""How units flow through the operations of a structure: a graph that ends in one operation."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from functools import reduce
from typing import Protocol

from ..derivation import Derivation, given, larger, quotient, total
from ..errors import OutOfRange
from ..quantity import ONE, exact


class FlowStep(Protocol):
    """What the flow needs to know of an operation."""

    @property
    def number(self) -> int: ...
    @property
    def yield_share(self) -> Decimal: ...
    @property
    def after(self) -> tuple[int, ...] | None: ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """An operation of which only the flow matters."""

    number: int
    yield_share: Decimal = ONE
    #: operations that must come before; None: the one listed before, (): none
    after: tuple[int, ...] | None = None


class Network:
    """The operations in working order, each with those before and after it.

    Numbers in `after` that name no earlier operation are left out here; the rules of
    approval refuse them. Of several successors the *carrier* is the one with the largest
    entering quantity, of equals the lowest number.
    """

    def __init__(self, steps: Iterable[FlowStep]) -> None:
        listed = list(steps)
        self.yields: dict[int, Decimal] = {s.number: s.yield_share for s in listed}
        self.before: dict[int, tuple[int, ...]] = {}
        self.following: dict[int, tuple[int, ...]] = dict.fromkeys(self.yields, ())
        for position, step in enumerate(listed):
            named = step.after
            if named is None:
                named = (listed[position - 1].number,) if position else ()
            earlier = tuple(n for n in named if n in self.before)
            self.before[step.number] = earlier
            for number in earlier:
                self.following[number] = (*self.following[number], step.number)
        size = {n: d.value for n, d in self.required(given("one good unit", ONE)).items()}
        self.carrier: dict[int, int | None] = {
            n: max(after, key=lambda s: (size[s], -s)) if after else None
            for n, after in self.following.items()
        }

    @exact
    def required(self, good: Derivation) -> dict[int, Derivation]:
        """Return the units entering each operation so that `good` leave the last, unrounded.

        entering(k) = (largest entering of its successors) / yield(k); in working order.

        Raises
        ------
        OutOfRange (input.out_of_range)
            If a yield is not above 0.

        Source
        ------
        Yield chain (common practice).
        """
        result: dict[int, Derivation] = {}
        for number, share in reversed(self.yields.items()):
            if share <= 0:
                raise OutOfRange(f"The yield of operation {number}", share, "above 0, at most 1")
            after = [result[s] for s in self.following[number]]
            leaving = reduce(_larger, after) if after else good
            if share == ONE:
                result[number] = leaving
            else:
                stands = given(f"yield of operation {number}", share, source=f"operation:{number}")
                result[number] = quotient(f"entering operation {number}", leaving, stands)
        return dict(reversed(result.items()))

    def ends(self) -> list[int]:
        """Return the operations that nothing follows; a sound structure has one."""
        return [n for n, after in self.following.items() if not after]

    def through(self, number: int) -> set[int]:
        """Return an operation and all that must come before it."""
        found: set[int] = set()
        waiting = [number]
        while waiting:
            if (at := waiting.pop()) not in found:
                found.add(at)
                waiting += self.before[at]
        return found

    def reported_with(self, number: int, reported: set[int]) -> int:
        """Return the operation that `number` is reported with: itself, or the next one that is reported."""
        while number not in reported and (after := self.carrier[number]) is not None:
            number = after
        return number

    def feeders(self, number: int, reported: set[int]) -> list[int]:
        """Return the nearest reported operations before `number`, through those that are not."""
        seen: set[int] = set()
        waiting = list(self.before[number])
        while waiting:
            if (at := waiting.pop()) not in seen:
                seen.add(at)
                if at not in reported:
                    waiting += self.before[at]
        return sorted(seen & reported)


def _larger(one: Derivation, other: Derivation) -> Derivation:
    return larger("the larger of what follows", one, other)


@exact
def equivalent_units(
    network: Network, *, standing: dict[int, Decimal], processed: dict[int, Decimal]
) -> dict[int, Derivation]:
    """Return the units that should have entered each operation for what now stands.

    n_e(k) = [n_e(carrier) + standing(k) − processed(carrier)] / yield(k)

    Parameters
    ----------
    standing : good units and those waiting for rework, by operation
    processed : units worked on, each once, by operation

    Source
    ------
    Equivalent units: Horngren, Datar & Rajan, Cost Accounting, ch. 17; over a graph: worked out here.
    """
    result: dict[int, Derivation] = {}
    for number, share in reversed(network.yields.items()):
        here = given(f"good at {number}", standing[number])
        carrier = network.carrier[number]
        if carrier is not None:
            waiting = given(f"processed at {carrier}", -processed[carrier])
            here = total(f"standing after {number}", (result[carrier], here, waiting))
        stands = given(f"yield of {number}", share)
        result[number] = quotient(f"equivalent units at {number}", here, stands)
    return result
