"""The plant's graph of components: cycles, total requirements."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ZERO, exact

#: per item, its components with the quantity that one unit of it needs
Graph = Mapping[str, Mapping[str, Decimal]]


@dataclass(eq=False)
class CycleFound(DomainError):
    """An item would be made of itself."""

    loop: list[str]
    code: ClassVar[str] = "structure.cycle"
    what: ClassVar[str] = "The structure would contain itself."
    why: ClassVar[str] = "Each of these is made of the next: {loop}."
    fix: ClassVar[str] = "Remove one of these components."

    def explain(self) -> dict[str, str]:
        """Print the whole loop with arrows."""
        texts = DomainError.explain(self)
        return texts | {"why": self.why.format(loop=" → ".join(self.loop))}


def working_order(graph: Graph) -> list[str]:
    """Return all items, each before its components; ties by code.

    Raises
    ------
    CycleFound (structure.cycle)
        With the loop, from an item back to itself.

    Notes
    -----
    Depth-first search with a stack of its own; O(items + lines).
    """
    done: set[str] = set()
    finished: list[str] = []
    for top in sorted(graph):
        if top in done:
            continue
        path = [top]
        on_path = {top}
        waiting = [iter(sorted(graph.get(top, {})))]
        while path:
            child = next(waiting[-1], None)
            if child is None:
                waiting.pop()
                item = path.pop()
                on_path.discard(item)
                done.add(item)
                finished.append(item)
            elif child in on_path:
                raise CycleFound([*path[path.index(child) :], child])
            elif child not in done:
                path.append(child)
                on_path.add(child)
                waiting.append(iter(sorted(graph.get(child, {}))))
    return finished[::-1]


@exact
def total_requirements(graph: Graph, demand: Mapping[str, Decimal]) -> dict[str, Decimal]:
    """Return the total quantity of every item that `demand` needs, itself included.

    Parameters
    ----------
    graph : quantities per unit, without a cycle
    demand : independent demand by item [unit of the item]

    Returns
    -------
    dict of item to Decimal, for all items of the graph and of the demand

    Notes
    -----
    One pass from the tops downwards; equals (I − N)⁻¹ d. O(items + lines).

    Source
    ------
    Vazsonyi, A. (1954). The use of mathematics in production and inventory control.
    Management Science 1, 70–85.
    """
    totals = {item: demand.get(item, ZERO) for item in working_order(graph)}
    totals.update({item: quantity for item, quantity in demand.items() if item not in totals})
    for item, quantity in totals.items():
        if quantity:
            for child, each in graph.get(item, {}).items():
                totals[child] += quantity * each
    return totals
