"""What must hold before a structure can be approved."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ..quantity import ONE
from .flow import Network
from .model import ComponentLine, Operation, OutputKind, ShareRule, StepKind, Structure


@dataclass(frozen=True, slots=True, kw_only=True)
class Problem:
    """One thing that is wrong, with the way to put it right."""

    #: where: "operation:20", "component:AP-20", "structure"
    place: str
    why: str
    fix: str


def problems_of(structure: Structure, *, is_phantom: bool = False) -> list[Problem]:
    """Return everything that keeps a structure from working, in the order of its rows.

    A phantom may do without operations: its lines then go to the operation that uses it.
    """
    found: list[Problem] = []

    def add(place: str, why: str, fix: str) -> None:
        found.append(Problem(place=place, why=why, fix=fix))

    bare = is_phantom and not structure.operations
    if not structure.operations and not bare:
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
        _check_times(operation, add)
        if not 0 < operation.yield_share <= ONE:
            add(place, "Its yield is not above 0 and at most 1.", "Enter a share such as 0.95.")
        if not operation.is_report_point and operation.yield_share != ONE:
            add(
                place,
                "It is no report point but has a yield below 1.",
                "Make it a report point, or put the yield on the next one that is.",
            )
        if operation.subcontract and operation.subcontract.price <= 0:
            add(place, "Its supplier's price is not above 0.", "Enter the price of a piece.")
        if operation.crew is not None and not operation.setup_machine_hours + operation.run_machine_hours:  # fmt: skip
            add(
                place,
                "It has a crew but no machine time to attend.",
                "Enter the machine's hours, or the people's hours without a crew.",
            )
        there = {c.item for c in structure.components if c.operation <= operation.number}
        for asked in operation.steps:
            if asked.kind is StepKind.LOT and asked.item not in there:
                add(
                    place,
                    f"{asked.text} names no component that went in by then.",
                    "Choose the component whose lot is noted.",
                )
            if asked.kind is not StepKind.MEASUREMENT:
                continue
            if asked.lower is None and asked.upper is None:
                add(place, f"{asked.text} has no limit.", "Enter the lower or the upper limit.")
            elif None not in (asked.lower, asked.upper) and asked.lower > asked.upper:  # type: ignore[operator]
                add(place, f"The limits of {asked.text} cross.", "Put the lower one below.")
        for before in operation.after or ():
            if before not in numbers or before >= operation.number:
                add(
                    place,
                    f"It comes after {before}, which is no earlier operation.",
                    "Name operations that stand before it.",
                )
    flows = all(o.yield_share > 0 for o in structure.operations)
    ends = Network(structure.operations).ends() if flows else []
    if len(ends) > 1:
        add(
            "structure",
            f"It ends in several operations: {', '.join(map(str, ends))}.",
            "Join the branches: one operation comes after all of them.",
        )
    if structure.operations and not structure.operations[-1].is_report_point:
        add(
            f"operation:{structure.operations[-1].number}",
            "The last operation is no report point.",
            "Make it one: its good pieces are the output.",
        )
    for kind, lines in (("component", structure.components), ("output", structure.outputs)):
        seen: set[tuple[str, int]] = set()
        for line in lines:
            place = f"{kind}:{line.item}"
            if line.operation not in numbers and not (bare and line.operation == 0):
                add(
                    place,
                    f"It stands at operation {line.operation}, which does not exist.",
                    "Choose one of the operations.",
                )
            if line.quantity <= 0:
                add(
                    place, "Its quantity is not above 0.", "Enter the quantity, or remove the line."
                )
            if isinstance(line, ComponentLine) and line.allowance < 0:
                add(place, "Its allowance is below 0.", "Enter a share such as 0.05, or 0.")
            if isinstance(line, ComponentLine) and line.unit_factor <= 0:
                add(place, f"Its unit {line.unit} is of size 0.", f"Correct the unit of {line.item}.")  # fmt: skip
            if line.item == structure.item:
                add(place, "It is the item itself.", "Choose another item.")
            if (line.item, line.operation) in seen:
                add(
                    place,
                    f"It stands twice at operation {line.operation}.",
                    "Put both quantities into one line.",
                )
            seen.add((line.item, line.operation))
    _check_alternates(structure, add)
    _check_mixes(structure, add)
    _check_shares(structure, add)
    return found


#: what an operation may say at most [h]: a year on one piece, and ten years of waiting
HOURS_MOST, WAIT_MOST = 10_000, 90_000


def _check_times(operation: Operation, add: Callable[[str, str, str], None]) -> None:
    place = f"operation:{operation.number}"
    for name, most in TIMES.items():
        if not 0 <= getattr(operation, name) <= most:
            words = name.replace("_", " ")
            add(place, f"Its {words} are not between 0 and {most}.", "Enter hours that are.")
    if operation.run_quantity <= 0:
        add(place, "Its run is stated for no unit.", "Enter the units that its hours are for.")
    if operation.transfer_quantity is not None and operation.transfer_quantity <= 0:
        add(place, "Its transfer quantity is not above 0.", "Enter it, or leave it out.")
    if operation.machines < 1:
        add(place, "No machine runs it.", "Enter how many machines share the run.")
    if operation.crew is not None and operation.crew < 0:
        add(place, "Its crew is below 0.", "Enter how many people attend it.")
    if operation.subcontract and not 0 <= operation.subcontract.days_out * 24 <= WAIT_MOST:
        add(place, "Its days out are below 0 or too many.", "Enter the days until it is back.")


TIMES = {
    "setup_labour_hours": HOURS_MOST,
    "setup_machine_hours": HOURS_MOST,
    "run_labour_hours": HOURS_MOST,
    "run_machine_hours": HOURS_MOST,
    "queue_hours": WAIT_MOST,
    "wait_hours": WAIT_MOST,
    "move_hours": WAIT_MOST,
}


def _check_alternates(structure: Structure, add: Callable[[str, str, str], None]) -> None:
    for line in structure.components:
        named = [a.item for a in line.alternates]
        if line.item in named or structure.item in named or len(named) > len(set(named)):
            add(
                f"component:{line.item}",
                "An alternate is the component, the item made, or named twice.",
                "Name each other item once.",
            )


def _check_mixes(structure: Structure, add: Callable[[str, str, str], None]) -> None:
    mixes: dict[tuple[int, str], list[ComponentLine]] = {}
    for line in structure.components:
        if line.mix:
            mixes.setdefault((line.operation, line.mix), []).append(line)
    for (operation, mark), lines in mixes.items():
        place = f"component:{lines[0].item}"
        if len(lines) == 1:
            add(
                place,
                f"It is alone in the mix {mark} of operation {operation}.",
                "Give the components that it may be exchanged for the same mark, or none.",
            )
        if len({line.per for line in lines}) > 1:
            add(
                place, f"The mix {mark} is stated per unit and per order.", "State all of it alike."
            )
        for line in lines:
            if line.alternates:
                add(
                    f"component:{line.item}",
                    f"It stands in the mix {mark} and has alternates.",
                    "Keep one: what is exchanged within a mix is no substitution.",
                )


def _check_shares(structure: Structure, add: Callable[[str, str, str], None]) -> None:
    beside = [o for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT]
    if len({o.operation for o in beside}) > 1:
        add(
            "structure",
            "Its co-products leave at several operations.",
            "Let them leave at one: there the joint cost is divided.",
        )
    weights = [structure.main_weight, *(o.weight for o in beside)]
    if beside and structure.share_rule is ShareRule.FIXED and sum(weights) != ONE:
        add(
            "structure",
            f"The shares of the joint cost add up to {sum(weights):f}.",
            "Change them so that they add up to 1.",
        )
    elif beside and min(weights) <= 0:
        add(
            "structure",
            f"An output has nothing to divide the joint cost by {structure.share_rule}.",
            "Enter it for the main item and every co-product.",
        )
    if structure.grades and sum(g.share for g in structure.grades) != ONE:
        add(
            "structure",
            f"The shares of the grades add up to {sum(g.share for g in structure.grades):f}.",
            "Change them so that they add up to 1.",
        )
    if any(g.weight <= 0 for g in structure.grades):
        add(
            "structure",
            "A grade has no weight to divide the cost by.",
            "Enter what one unit of it is worth against the others.",
        )
