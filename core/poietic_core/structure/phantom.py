"""Phantoms: structures that pass through to their parent, their lines and operations put into its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ONE, exact
from ..units import measured_piece
from .lines import codes_of
from .model import ComponentLine, Operation, Per, Structure

#: a phantom line is told from the others of its structure by operation and item
LineKey = tuple[int, str]


@dataclass(eq=False)
class NoRoomForPhantom(DomainError):
    """The phantom's operations don't fit between two operation numbers."""

    item: str
    phantom: str
    operation: int
    count: int
    code: ClassVar[str] = "structure.no_room_for_phantom"
    what: ClassVar[str] = "The operations of {phantom} don't fit into {item}."
    why: ClassVar[str] = "Before operation {operation} there must be {count} free numbers."
    fix: ClassVar[str] = "Number the operations of {item} with larger gaps."


@dataclass(eq=False)
class PhantomClash(DomainError):
    """An item stands at one operation both per unit and per order."""

    item: str
    component: str
    operation: int
    code: ClassVar[str] = "structure.phantom_clash"
    what: ClassVar[str] = "{item} can't take in its phantoms."
    why: ClassVar[str] = (
        "{component} would stand at operation {operation} both per unit and per order."
    )
    fix: ClassVar[str] = "State it for the same in both, or use it at another operation."


@dataclass(frozen=True, slots=True)
class Inlined:
    """A structure with its phantoms put in, and what became of their operations."""

    structure: Structure
    #: by phantom line: the number in the parent of each of the phantom's operations; its 0,
    #: where a phantom without operations has its lines, is the operation that uses it
    numbers: Mapping[LineKey, Mapping[int, int]]
    #: phantoms of one unit of the parent, by phantom line
    each: Mapping[LineKey, Decimal]


@exact
def inline(structure: Structure, phantoms: Mapping[str, Structure]) -> Inlined:
    """Return a structure with its phantom components replaced by what they are made of.

    A phantom's lines and operations go in before the operation that uses it, scaled by the
    phantom line's need, so that all count in units of the parent; its own yields apply; what
    is fixed in it occurs once per order. Its operations take the free numbers between that
    operation and the one listed before it, and begin as a branch of their own.

    Parameters
    ----------
    structure : with the lines that count on the day
    phantoms : structures of the items that are phantoms, in the same way

    Raises
    ------
    NoRoomForPhantom (structure.no_room_for_phantom)
    PhantomClash (structure.phantom_clash)
    """
    if not phantoms or phantoms.keys().isdisjoint(codes_of(structure.components)):
        return Inlined(structure, {}, {})
    lines = [c for c in structure.components if c.item in phantoms]
    operations = _with_explicit_order(structure.operations)
    components = [c for c in structure.components if c.item not in phantoms]
    outputs = list(structure.outputs)
    numbers: dict[LineKey, dict[int, int]] = {}
    for line in lines:
        inner = inline(phantoms[line.item], phantoms).structure
        operations, mapped = _put_in(structure.item, operations, line, inner, structure)
        numbers[line.operation, line.item] = mapped
        each = _per_batch(line)
        for c in inner.components:
            components.append(_moved(c, line, each, inner, mapped))
        for o in inner.outputs:
            quantity = o.quantity * each / inner.batch_quantity
            outputs.append(replace(o, operation=mapped[o.operation], quantity=quantity))
    return Inlined(
        replace(
            structure,
            operations=tuple(operations),
            components=tuple(_merged(structure.item, components)),
            outputs=tuple(outputs),
        ),
        numbers,
        {(c.operation, c.item): _per_batch(c) / structure.batch_quantity for c in lines},
    )


def _per_batch(line: ComponentLine) -> Decimal:
    """Return the stock units of a line for one batch of its parent (one order)."""
    measure = measured_piece(line.measure, line.item).value if line.measure else ONE
    return line.quantity * measure * line.unit_factor * (ONE + line.allowance)


def _with_explicit_order(operations: tuple[Operation, ...]) -> list[Operation]:
    """Return operations that each name what comes before them."""
    named = []
    for n, o in enumerate(operations):
        before = (operations[n - 1].number,) if n else ()
        named.append(replace(o, after=before if o.after is None else o.after))
    return named


def _put_in(
    item: str, operations: list[Operation], line: ComponentLine, inner: Structure, parent: Structure
) -> tuple[list[Operation], dict[int, int]]:
    """Return the parent's operations with the phantom's before the one that uses it."""
    using, count = line.operation, len(inner.operations)
    below = max((o.number for o in operations if o.number < using), default=0)
    if count and below + count >= using:
        raise NoRoomForPhantom(item, line.item, using, count)
    mapped = {o.number: below + 1 + n for n, o in enumerate(inner.operations)}
    if not mapped:
        return operations, {0: using}
    fresh = [
        replace(
            _scaled(o, line, parent),
            number=mapped[o.number],
            after=tuple(mapped[b] for b in o.after or ()),
        )
        for o in _with_explicit_order(inner.operations)
    ]
    joined = [
        replace(o, after=(*(o.after or ()), fresh[-1].number)) if o.number == using else o
        for o in operations
    ]
    return sorted([*joined, *fresh], key=lambda o: o.number), mapped


def _scaled(o: Operation, line: ComponentLine, parent: Structure) -> Operation:
    """Return a phantom's operation with its run stated for units of the parent."""
    per_batch, batch = _per_batch(line), parent.batch_quantity
    transfer = o.transfer_quantity and o.transfer_quantity * batch / per_batch
    if o.runs_whole_batches:  # a batch is a batch, of however many parents
        return replace(
            o, run_quantity=o.run_quantity * batch / per_batch, transfer_quantity=transfer
        )
    return replace(
        o,
        run_labour_hours=o.run_labour_hours * per_batch,
        run_machine_hours=o.run_machine_hours * per_batch,
        run_quantity=o.run_quantity * batch,
        transfer_quantity=transfer,
    )


def _moved(
    c: ComponentLine, line: ComponentLine, each: Decimal, inner: Structure, mapped: dict[int, int]
) -> ComponentLine:
    """Return a phantom's line as one of the parent's."""
    at = mapped.get(c.operation, line.operation)
    if c.per is Per.ORDER:
        return replace(c, operation=at)
    return replace(c, operation=at, per=line.per, quantity=c.quantity * each / inner.batch_quantity)


def _merged(item: str, components: list[ComponentLine]) -> list[ComponentLine]:
    """Return the lines with those of one item at one operation put together."""
    found: dict[LineKey, ComponentLine] = {}
    for c in components:
        key = (c.operation, c.item)
        before = found.get(key)
        if before is None:
            found[key] = c
            continue
        if before.per is not c.per:
            raise PhantomClash(item, c.item, c.operation)
        found[key] = replace(
            before,
            quantity=_per_batch(before) + _per_batch(c),
            allowance=Decimal(0),
            unit="",
            unit_factor=ONE,
            measure=None,
        )
    return sorted(found.values(), key=lambda c: c.operation)
