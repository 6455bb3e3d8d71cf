"""The structures that an item reaches, each worked out once for one unit, and placed as often as it occurs."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from itertools import takewhile
from typing import Any, NamedTuple

from poietic_core.cost.model import OVERHEAD_KINDS, TIME_ELEMENT, InputKey, InputKind
from poietic_core.cost.unit import cost_per_unit
from poietic_core.derivation import Derivation, given
from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.model import (
    ComponentLine,
    Grade,
    Operation,
    OutputLine,
    Per,
    Structure,
)
from poietic_core.structure.phantom import Inlined, inline
from poietic_core.structure.requirement import (
    entering_for_one,
    need_per_good_unit,
    quantity_per_unit,
)

from ..catalog.models import Item, ItemDocument
from ..catalog.queries import any_of
from ..engineering.models import Revision
from ..engineering.queries import reached_from
from ..engineering.structures import Version, versions_of
from ..web_api.fields import plain
from ..web_api.kept import Kept
from .frozen import StandardKey, costed, costed_structures
from .models import Standard
from .queries import standards_in_force
from .tree_rows import BLANK
from .tree_words import Line, alternates_in_words, mix_in_words, named, notes_of, size_in_words


def frozen_costs(standard: Standard) -> dict[InputKey, Decimal]:
    """Return what each input of a frozen standard costs in one good unit, unrounded."""
    basis = costed(standard)
    frozen = entering_for_one(basis.operations)
    return {i.key(): cost_per_unit(basis, i, frozen).value for i in basis.inputs}


_COSTS: Kept[StandardKey, dict[InputKey, Decimal]] = Kept(20_000)
#: what the lines of a structure for one unit are made of: the versions of the structure and of all
#: phantoms in it, the day that chooses their lines, the standard that costs them, and its lot
LinesKey = tuple[tuple[Version, ...], date, StandardKey | None, Decimal]
_LINES: "Kept[LinesKey, list[KnownLine]]" = Kept(20_000)


@dataclass
class KnownLine:
    """A line of a structure, for one unit of its item; a phantom's lines stand deeper."""

    line: Line
    keys: list[InputKey]
    cost: Decimal | None
    #: units of a component for one of its parent
    need: Decimal
    inner: int
    is_first: bool
    #: of what an item at the same operation costs: phantoms may bring it too
    share: Decimal = ONE
    #: of a phantom's line: the lines that pass through it
    content: "list[KnownLine]" = field(default_factory=list)


@dataclass
class Placed:
    """A line as it is shown."""

    known: KnownLine
    values: dict[str, Any]
    #: units of a component for one of its parent; 0 where no structure of its own opens under it
    each: Decimal = ZERO


@dataclass
class Block:
    """A structure worked out for one unit of its item."""

    structure: Structure
    standard: Standard | None
    rows: list[Placed] = field(default_factory=list)


class ItemFacts(NamedTuple):
    """What the tree shows of an item; thousands are read as plain values."""

    pk: int
    code: str
    name: str
    unit: str
    standard_lot: Decimal
    is_phantom: bool
    on_hand: Decimal | None


class Plant:
    """The structures that an item reaches, with standards, items and stock."""

    def __init__(self, revision: Revision, day: date) -> None:
        self.revisions, self.structures = reached_from(revision, day)
        self._day = day
        versions = versions_of(self.revisions.values())
        self._versions = {code: versions[r.pk] for code, r in self.revisions.items()}
        codes = {
            code
            for s in self.structures.values()
            for code in (
                *(c.item for c in s.components),
                *(o.item for o in s.outputs),
                *(g.item for g in s.grades),
            )
        }
        rows = Item.objects.filter(code__in=any_of(codes | {revision.item.code}))
        read = rows.values_list(*ItemFacts._fields[:-1], "holding__quantity")
        self.items = {row[1]: ItemFacts(*row) for row in read}
        made = [self.items[c].pk for c in self.structures]
        self.standards = standards_in_force(made)
        costed_structures(self.standards.values())  # at once, and kept
        self.phantoms = {c: s for c, s in self.structures.items() if self.items[c].is_phantom}
        self.documents: dict[str, list[str]] = {}
        keys = [i.pk for i in self.items.values()]
        for code, name in ItemDocument.objects.filter(item_id__in=any_of(keys)).values_list(
            "item__code", "name"
        ):
            self.documents.setdefault(code, []).append(name)
        self._blocks: dict[str, Block] = {}

    def rows(self, code: str) -> Iterator[tuple[str, int, Block, Placed, Decimal]]:
        """Yield (key, depth, structure, row, units of its item in one of the top), in reading order."""
        seen: dict[str, int] = {}
        above: list[tuple[int, str]] = []
        for depth, block, placed, factor in self._placed(code):
            while above and above[-1][0] >= depth:
                above.pop()
            way = ">".join([*(key for _, key in above[-1:]), named(placed.known.line)])
            seen[way] = seen.get(way, 0) + 1
            key = way if seen[way] == 1 else f"{way} {seen[way]}"  # a draft may name an item twice
            above.append((depth, key))
            yield key, depth, block, placed, factor

    def _placed(self, code: str) -> Iterator[tuple[int, Block, Placed, Decimal]]:
        waiting = [(code, ONE, 0, iter(self.block(code).rows))]
        while waiting:
            parent, factor, depth, rows = waiting[-1]
            placed = next(rows, None)
            if placed is None:
                waiting.pop()
                continue
            inner = depth + placed.known.inner
            yield inner, self._blocks[parent], placed, factor
            if placed.each and isinstance(placed.known.line, ComponentLine):
                child = placed.known.line.item
                below = iter(self.block(child).rows)
                waiting.append((child, factor * placed.each, inner + 1, below))

    def block(self, code: str) -> Block:
        """Return a structure worked out for one unit."""
        if code not in self._blocks:
            self._blocks[code] = self._worked_out(code)
        return self._blocks[code]

    def _worked_out(self, code: str) -> Block:
        structure = self.structures[code]
        standard = self.standards.get(code)
        block = Block(structure, standard)
        for known in self._lines(structure, standard):
            values = self._values(known.line, code, is_first=known.is_first)
            values["need"] = known.need or None
            each = known.need if values["kind"] == "sub-assembly" else ZERO
            block.rows.append(Placed(known, values, each))
        return block

    def _lines(self, structure: Structure, standard: Standard | None) -> list[KnownLine]:
        """Return the lines of a structure with need and cost, kept as long as the structure is."""
        frozen = (standard.pk, standard.total) if standard and standard.basis else None
        made_of = tuple(self._versions[code] for code in self._passing(structure))
        key = (made_of, self._day, frozen, self.items[structure.item].standard_lot)
        return _LINES.get_or(key, lambda: self._priced(structure, standard))

    def _passing(self, structure: Structure) -> list[str]:
        """Return a structure's item and all phantoms that pass through it, in one order."""
        found, waiting = {structure.item}, [structure]
        while waiting:
            inside = {c.item for c in waiting.pop().components if c.item in self.phantoms} - found
            found |= inside
            waiting += [self.phantoms[code] for code in inside]
        return [structure.item, *sorted(found - {structure.item})]

    def _priced(self, structure: Structure, standard: Standard | None) -> list[KnownLine]:
        costs: dict[InputKey, Decimal] = {}
        if standard and standard.basis:
            key = (standard.pk, standard.total)
            costs = _COSTS.get_or(key, lambda: frozen_costs(standard))
        put_in = inline(structure, self.phantoms)
        enter = entering_for_one(put_in.structure.operations)
        same = {0: 0} | {o.number: o.number for o in structure.operations}
        lines = list(self._listed(structure, put_in, Way(same, ONE, structure.item), enter, 0))
        whole: dict[InputKey, Decimal] = {}
        for known in lines:
            if isinstance(known.line, ComponentLine):
                whole[known.keys[0]] = whole.get(known.keys[0], ZERO) + known.need
        overhead = [k for k in costs if k[1] in OVERHEAD_KINDS]
        for known in lines:
            if isinstance(known.line, Operation):
                known.keys += [k for k in overhead if k[0] == known.keys[0][0]]
            if isinstance(known.line, ComponentLine) and whole[known.keys[0]]:
                known.share = known.need / whole[known.keys[0]]
            found = [costs[k] * known.share for k in known.keys if k in costs]
            known.cost = sum(found, ZERO) if found else None
        for at, known in enumerate(lines):
            if isinstance(known.line, ComponentLine) and known.line.item in self.phantoms:
                known.content = list(takewhile(_deeper_than(known), lines[at + 1 :]))
                inside = [line.cost for line in known.content if line.cost is not None]
                known.cost = sum(inside, ZERO) if inside else None
        return lines

    def _listed(
        self,
        structure: Structure,
        put_in: Inlined,
        way: "Way",
        enter: Mapping[int, Derivation],
        inner: int,
    ) -> Iterator[KnownLine]:
        """Yield the lines of a structure, and of its phantoms under them, for one unit of the owner."""
        steps: list[Operation | None] = [*structure.operations] or [None]
        for position, operation in enumerate(steps):
            number = operation.number if operation else 0
            at = way.numbers[number]
            if operation:
                keys = [(at, kind, "") for kind in (*TIME_ELEMENT, InputKind.SUBCONTRACT)]
                yield KnownLine(operation, keys, None, ZERO, inner, position == 0)
            for line in (c for c in structure.components if c.operation == number):
                key = (at, InputKind.COMPONENT, line.item)
                units = enter[at].value if at in enter else ONE
                need = self._need(
                    structure, line, way, way.entered(number) if way.is_per_order else units
                )
                yield KnownLine(line, [key], None, need, inner + 1, position == 0)
                if line.item in self.phantoms:
                    content = self.structures[line.item]
                    there = put_in.numbers[number, line.item]
                    deeper = inline(content, self.phantoms)
                    times = put_in.each[number, line.item]
                    if way.is_per_order and line.per is Per.UNIT:
                        times *= way.entered(number)
                    below = way.through(there, times, line.per, deeper.structure)
                    yield from self._listed(content, deeper, below, enter, inner + 2)
            for output in (o for o in structure.outputs if o.operation == number):
                key = (at, InputKind(output.kind.value), output.item)
                yield KnownLine(output, [key], None, ZERO, inner + 1, position == 0)
        for grade in structure.grades:
            yield KnownLine(grade, [], None, ZERO, inner + 1, is_first=False)

    def _need(
        self, structure: Structure, line: ComponentLine, way: "Way", entering_units: Decimal
    ) -> Decimal:
        each = quantity_per_unit(line, structure.batch_quantity).value
        lot = self.items[way.owner].standard_lot
        if line.per is Per.ORDER:
            return each / lot
        return each * way.multiple * entering_units / (lot if way.is_per_order else ONE)

    def _values(self, line: Line, owner: str, *, is_first: bool) -> dict[str, Any]:
        """Return what a row shows wherever it stands."""
        values = dict(BLANK)
        if isinstance(line, Operation):
            after = None if line.after is None or (is_first and not line.after) else [*line.after]
            return values | {
                "kind": "operation",
                "code": line.work_center,
                "name": line.name,
                "unit": "h",
                "operation": line.number,
                "after": after,
                "yield_share": line.yield_share,
                "detail": " · ".join(notes_of(line)),
                "setup_hours": line.clock_hours()[0],
                "run_hours": line.clock_hours()[1] / line.run_quantity,
            }
        item = self.items[line.item]
        values |= {
            "code": item.code,
            "name": item.name,
            "unit": item.unit,
            "line_unit": item.unit,
            "on_hand": item.on_hand or ZERO,
            "documents": self.documents.get(item.code, []),
        }
        if isinstance(line, Grade):
            last = self.structures[owner].operations[-1].number
            share = f"{plain((line.share * 100).normalize())} % of the output"
            return values | {"kind": "grade", "operation": last, "detail": share}
        values |= {"operation": line.operation, "quantity": line.quantity}
        if isinstance(line, OutputLine):
            return values | {"kind": line.kind.value}
        opens = line.item in self.structures
        kind = "sub-assembly" if opens else "component"
        return values | {
            "kind": "phantom" if line.item in self.phantoms else kind,
            "line_unit": line.unit or item.unit,
            "per": line.per.value,
            "issue_rule": line.issue_rule.value,
            "allowance": line.allowance,
            "revision": self.revisions[line.item].letter if opens else "",
            "detail": ", ".join(
                filter(
                    None,
                    (
                        size_in_words(line),
                        line.reference,
                        mix_in_words(line),
                        alternates_in_words(line),
                    ),
                )
            ),
        }


@dataclass(frozen=True)
class Way:
    """How a phantom's numbers and units are those of the structure that owns its lines."""

    numbers: Mapping[int, int]
    multiple: Decimal
    owner: str
    is_per_order: bool = False
    #: within a phantom that is used per order: units entering each of its operations for one
    inside: Mapping[int, Derivation] = field(default_factory=dict)

    def entered(self, number: int) -> Decimal:
        """Return the units entering an operation of a phantom that is used per order, for one of it."""
        return self.inside[number].value if number in self.inside else ONE

    def through(
        self, numbers: Mapping[int, int], each: Decimal, per: Per, content: Structure
    ) -> "Way":
        """Return the way on through a phantom line."""
        is_per_order = self.is_per_order or per is Per.ORDER
        return Way(
            {inner: self.numbers.get(outer, outer) for inner, outer in numbers.items()},
            each if per is Per.ORDER else self.multiple * each,
            self.owner,
            is_per_order,
            entering_for_one(content.operations) if is_per_order else {},
        )


def _deeper_than(known: KnownLine) -> Callable[[KnownLine], bool]:
    return lambda line: line.inner > known.inner


def needed(plant: Plant, structure: Structure, line: ComponentLine, each: Decimal) -> Derivation:
    """Return how often a component is in one of its parent; of a phantom's line, only the result."""
    if line not in structure.components:
        return given(f"{line.item} per {structure.item}", each, unit=plant.items[line.item].unit)
    return need_per_good_unit(
        structure,
        line,
        entering_for_one(structure.operations),
        unit=plant.items[line.item].unit,
        standard_lot=plant.items[structure.item].standard_lot,
    )
