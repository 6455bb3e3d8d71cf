"""What must hold before a structure can be approved."""

from __future__ import annotations

from dataclasses import dataclass

from ..quantity import ONE
from .flow import Network
from .model import Structure


@dataclass(frozen=True, slots=True, kw_only=True)
class Problem:
    """One thing that is wrong, with the way to put it right."""

    #: where: "operation:20", "component:AP-20", "structure"
    place: str
    why: str
    fix: str


def problems_of(structure: Structure) -> list[Problem]:
    """Return everything that keeps a structure from working, in the order of its rows."""
    found: list[Problem] = []

    def add(place: str, why: str, fix: str) -> None:
        found.append(Problem(place=place, why=why, fix=fix))

    if not structure.operations:
        add("structure", "It has no operation.", "Add the operation that makes it.")
        return found
    if structure.batch_quantity <= 0:
        add(
            "structure", "Its batch quantity is not above 0.", "Enter 1 or the quantity stated for."
        )
    numbers = [o.number for o in structure.operations]
    if numbers != sorted(set(numbers)):
        add("structure", "Operation numbers repeat or fall.", "Number operations upwards.")
    for operation in structure.operations:
        place = f"operation:{operation.number}"
        if not 0 < operation.yield_share <= ONE:
            add(place, "Its yield is not above 0 and at most 1.", "Enter a share such as 0.95.")
        if not operation.is_report_point and operation.yield_share != ONE:
            add(
                place,
                "It is no report point but has a yield below 1.",
                "Make it a report point, or put the yield on the next one that is.",
            )
        for before in operation.after or ():
            if before not in numbers or before >= operation.number:
                add(
                    place,
                    f"It comes after {before}, which is no earlier operation.",
                    "Name operations that stand before it.",
                )
    ends = Network(structure.operations).ends()
    if len(ends) > 1:
        add(
            "structure",
            f"It ends in several operations: {', '.join(map(str, ends))}.",
            "Join the branches: one operation comes after all of them.",
        )
    if not structure.operations[-1].is_report_point:
        add(
            f"operation:{structure.operations[-1].number}",
            "The last operation is no report point.",
            "Make it one: its good pieces are the output.",
        )
    for kind, lines in (("component", structure.components), ("output", structure.outputs)):
        seen: set[tuple[str, int]] = set()
        for line in lines:
            place = f"{kind}:{line.item}"
            if line.operation not in numbers:
                add(
                    place,
                    f"It stands at operation {line.operation}, which does not exist.",
                    "Choose one of the operations.",
                )
            if line.quantity <= 0:
                add(
                    place, "Its quantity is not above 0.", "Enter the quantity, or remove the line."
                )
            if line.item == structure.item:
                add(place, "It is the item itself.", "Choose another item.")
            if (line.item, line.operation) in seen:
                add(
                    place,
                    f"It stands twice at operation {line.operation}.",
                    "Put both quantities into one line.",
                )
            seen.add((line.item, line.operation))
    return found
