"""Phantoms: structures that pass through to their parent, their lines and operations put into its own."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from typing import ClassVar, TypeVar

from ..derivation import Derivation, fraction_of
from ..errors import DomainError, OutOfRange
from ..quantity import ONE, ZERO, decimal_of, exact
from .flow import Network
from .lines import codes_of
from .model import Alternate, ComponentLine, Multiple, Operation, OutputLine, Per, Structure
from .requirement import batch_of, entering_for_one, quantity_per_unit

L = TypeVar("L", ComponentLine, OutputLine)
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
    """An item would stand at one operation in two ways that can't be one line."""

    item: str
    component: str
    operation: int
    difference: str
    code: ClassVar[str] = "structure.phantom_clash"
    what: ClassVar[str] = "{item} can't take in its phantoms."
    why: ClassVar[str] = "{component} would stand at operation {operation} {difference}."
    fix: ClassVar[str] = "State it alike in both, or use it at another operation."


@dataclass(frozen=True, slots=True)
class Inlined:
    """A structure with its phantoms put in, and what became of their operations."""

    structure: Structure
    #: by phantom line: the number in the parent of each of the phantom's operations; its 0,
    #: where lines of a phantom without operations stand, is the operation that uses it
    numbers: Mapping[LineKey, Mapping[int, int]]
    #: phantoms of one unit of the parent, by phantom line
    each: Mapping[LineKey, Decimal]
    #: the phantom lines themselves
    lines: Mapping[LineKey, ComponentLine]


@exact
def inline(structure: Structure, phantoms: Mapping[str, Structure]) -> Inlined:
    """Return a structure with its phantom components replaced by what they are made of.

    A phantom's lines and operations go in before the operation that uses it, scaled by the
    phantom line's need, per unit or per order as that line says; its own yields apply; what
    is fixed in it occurs once per order. Its operations count units of the parent; they take
    the free numbers between that operation and the one listed before it, and begin as a
    branch of their own.

    Parameters
    ----------
    structure : with the lines that count on the day
    phantoms : structures of the items that are phantoms, in the same way

    Raises
    ------
    NoRoomForPhantom (structure.no_room_for_phantom)
    PhantomClash (structure.phantom_clash)
    OutOfRange (input.out_of_range)
        If the need of a phantom line is not above 0.
    """
    if not phantoms or phantoms.keys().isdisjoint(codes_of(structure.components)):
        return Inlined(structure, {}, {}, {})
    lines = [c for c in structure.components if c.item in phantoms]
    operations = _with_explicit_order(structure.operations)
    components = [c for c in structure.components if c.item not in phantoms]
    outputs = list(structure.outputs)
    numbers: dict[LineKey, Mapping[int, int]] = {}
    each: dict[LineKey, Decimal] = {}
    for line in lines:
        inner = inline(phantoms[line.item], phantoms).structure
        need = _need(line, structure.batch_quantity)
        if need <= 0:
            raise OutOfRange(
                f"The need of {line.item} in {structure.item}", decimal_of(need), "above 0"
            )
        operations, mapped = _put_in(structure.item, operations, line, need, inner)
        numbers[line.operation, line.item] = mapped
        each[line.operation, line.item] = decimal_of(need)
        entered = entering_for_one(inner.operations)
        for c in inner.components:
            times = need * _entered(entered, c.operation, line)
            components.append(replace(_scaled(c, line, times, inner), operation=mapped[c.operation]))  # fmt: skip
        for o in inner.outputs:
            times = need * _entered(entered, o.operation, line)
            outputs.append(replace(_scaled(o, line, times, inner), operation=mapped[o.operation]))
    return Inlined(
        replace(
            structure,
            operations=tuple(operations),
            components=_merged_components(structure, components),
            outputs=_merged_outputs(structure, outputs),
        ),
        numbers,
        each,
        {(line.operation, line.item): line for line in lines},
    )


def _need(line: ComponentLine | OutputLine, batch_quantity: Decimal) -> Fraction:
    """Return the stock units of a line for one unit entering its operation, or for one order."""
    return fraction_of(quantity_per_unit(line, batch_quantity))


def _entered(entered: Mapping[int, Derivation], operation: int, line: ComponentLine) -> Fraction:
    """Return how many enter a phantom's operation for each that leaves it, where the flow of the parent doesn't say."""
    if line.per is Per.UNIT or operation not in entered:
        return Fraction(1)
    return fraction_of(entered[operation])


def _with_explicit_order(operations: Sequence[Operation]) -> list[Operation]:
    """Return operations that each name what comes before them."""
    named = []
    for n, o in enumerate(operations):
        before = (operations[n - 1].number,) if n else ()
        named.append(replace(o, after=before if o.after is None else o.after))
    return named


def _put_in(
    item: str, operations: list[Operation], line: ComponentLine, need: Fraction, inner: Structure
) -> tuple[list[Operation], dict[int, int]]:
    """Return the parent's operations with the phantom's before the one that uses it.

    A phantom without operations has none that uses another: what it brings is a branch of its own.
    """
    using, count = line.operation, len(inner.operations)
    if not count:
        return operations, {0: using}
    below = max((o.number for o in operations if o.number < using or not using), default=0)
    if using and below + count >= using:
        raise NoRoomForPhantom(item, line.item, using, count)
    mapped = {0: using} | {o.number: below + 1 + n for n, o in enumerate(inner.operations)}
    entered = entering_for_one(inner.operations)
    fresh = [
        replace(
            o,
            number=mapped[o.number],
            after=tuple(mapped[b] for b in o.after or ()),
            multiple=_multiplied(o, line, need * _entered(entered, o.number, line)),
        )
        for o in _with_explicit_order(inner.operations)
    ]
    ends = tuple(mapped[n] for n in Network(inner.operations).ends())
    joined = [
        replace(o, after=(*(o.after or ()), *ends)) if o.number == using else o for o in operations
    ]
    return sorted([*joined, *fresh], key=lambda o: o.number), mapped


def _multiplied(o: Operation, line: ComponentLine, times: Fraction) -> Multiple:
    """Return what a phantom's operation is done for: units of the parent, or one order."""
    own = o.multiple or Multiple(number=ONE)
    if own.per is Per.ORDER:
        return own
    number, of = _as_quotient(times * Fraction(own.number) / Fraction(own.of))
    return Multiple(number=number, of=of, per=line.per)


def _scaled(inside: L, line: ComponentLine, times: Fraction, inner: Structure) -> L:
    """Return a line of a phantom as one of its parent; what is fixed occurs once per order."""
    if inside.per is Per.ORDER:
        return inside
    batch = batch_of(inside, inner.batch_quantity)
    number, of = _as_quotient(Fraction(inside.quantity) * times / Fraction(batch))
    return replace(inside, per=line.per, quantity=number, batch=of)


def _as_quotient(value: Fraction) -> tuple[Decimal, Decimal]:
    """Return a fraction as a number for so many: for one, where it is a decimal."""
    number = decimal_of(value)
    if Fraction(number) == value:
        return number, ONE
    return Decimal(value.numerator), Decimal(value.denominator)


def _merged_components(
    structure: Structure, components: Iterable[ComponentLine]
) -> tuple[ComponentLine, ...]:
    """Return the lines with those of one item at one operation put together."""
    found: dict[LineKey, ComponentLine] = {}
    for c in components:
        key = (c.operation, c.item)
        before = found.get(key)
        if before is None:
            found[key] = c
            continue
        if before.per is not c.per:
            raise PhantomClash(structure.item, c.item, c.operation, "both per unit and per order")
        if before.issue_rule is not c.issue_rule:
            rules = f"both issued {before.issue_rule} and {c.issue_rule}"
            raise PhantomClash(structure.item, c.item, c.operation, rules)
        whole = _need(before, structure.batch_quantity) + _need(c, structure.batch_quantity)
        number, of = _as_quotient(whole)
        found[key] = replace(
            before,
            quantity=number,
            batch=of,
            allowance=ZERO,
            unit="",
            unit_factor=ONE,
            measure=None,
            alternates=_all_alternates(structure, before, c),
            reference=", ".join(dict.fromkeys(r for r in (before.reference, c.reference) if r)),
        )
    return tuple(sorted(found.values(), key=lambda c: c.operation))


def _all_alternates(
    structure: Structure, before: ComponentLine, c: ComponentLine
) -> tuple[Alternate, ...]:
    """Return what may be used in place of either line, the first one's preferred."""
    ratios = {a.item: a.ratio for a in before.alternates}
    for a in c.alternates:
        if ratios.setdefault(a.item, a.ratio) != a.ratio:
            words = f"with two ratios of its alternate {a.item}"
            raise PhantomClash(structure.item, c.item, c.operation, words)
    return tuple(Alternate(item=item, ratio=ratio) for item, ratio in ratios.items())


def _merged_outputs(structure: Structure, outputs: Iterable[OutputLine]) -> tuple[OutputLine, ...]:
    """Return the outputs with those of one item at one operation put together."""
    found: dict[tuple[int, str, str], OutputLine] = {}
    for o in outputs:
        key = (o.operation, o.item, o.kind.value)
        before = found.get(key)
        if before is None:
            found[key] = o
            continue
        if (before.per, before.credit_price, before.weight) != (o.per, o.credit_price, o.weight):
            words = "per unit and per order, at two credit prices or with two weights"
            raise PhantomClash(structure.item, o.item, o.operation, words)
        whole = _need(before, structure.batch_quantity) + _need(o, structure.batch_quantity)
        number, of = _as_quotient(whole)
        found[key] = replace(before, quantity=number, batch=of)
    return tuple(found.values())
