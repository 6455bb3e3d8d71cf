"""What an import would do, row by row: the one computation behind its preview and its posting."""

from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any

from poietic_core.errors import DomainError
from poietic_core.structure.explode import CycleFound, working_order
from poietic_core.structure.model import (
    ComponentLine,
    IssueRule,
    Operation,
    OutputLine,
    Per,
    Structure,
)
from poietic_core.structure.rules import problems_of
from poietic_core.units import UNITS, conversion_factor

from ..catalog.models import ItemUnit
from ..engineering.models import OPEN_STATES, ComponentRow, Revision
from ..engineering.queries import in_force
from .reading import Content
from .tables import BY_NAME, Fault, Row
from .writing import content_of

#: what an item keeps for good, once it has stock or is used
FIXED = ("unit", "source", "step")


@dataclass(frozen=True, slots=True)
class Planned:
    """A row of the file and what becomes of it."""

    table: str
    line: int
    code: str
    #: new, changed, same, refused
    status: str
    why: str = ""


@dataclass
class StructureRows:
    """The rows of one item's structure in a file."""

    operations: list[Row] = field(default_factory=list)
    components: list[Row] = field(default_factory=list)
    outputs: list[Row] = field(default_factory=list)


@dataclass
class ImportPlan:
    """Everything that an import would do; with a refused row it does nothing."""

    rows: list[Planned] = field(default_factory=list)
    items: dict[str, list[Row]] = field(default_factory=dict)
    work_centers: dict[str, list[Row]] = field(default_factory=dict)
    structures: dict[str, StructureRows] = field(default_factory=dict)

    def count(self, status: str) -> int:
        """Return how many rows have a status."""
        return sum(r.status == status for r in self.rows)


def plan_import(content: Content, day: date) -> ImportPlan:
    """Return what a file would do, compared with what is there."""
    return _Planner(content, day).plan()


class _Planner:
    def __init__(self, content: Content, day: date) -> None:
        self._content = content
        self._plan = ImportPlan()
        self._day = day
        self._refused = {(f.table, f.line): f.why for f in content.faults}
        self._there = {name: list(rows) for name, rows in content_of(day).items()}
        self._items: dict[str, dict[str, Any]] = {r["code"]: r for r in self._there["items"]}
        self._centers = {r["code"]: r for r in self._there["work_centers"]}

    def plan(self) -> ImportPlan:
        """Return the plan, faults of the file first."""
        self._plan.rows += [
            Planned(f.table, f.line, "", "refused", f.why) for f in self._content.faults
        ]
        self._plan.items = self._simple("items", self._items)
        self._plan.work_centers = self._simple("work_centers", self._centers)
        self._structures()
        return self._plan

    def _note(self, table: str, row: Row, code: str, status: str, why: str = "") -> None:
        if (table, row.line) not in self._refused:
            self._plan.rows.append(Planned(table, row.line, code, status, why))

    def _simple(self, table: str, there: dict[str, dict[str, Any]]) -> dict[str, list[Row]]:
        """Plan items or work centers, and put what they will be beside what is there."""
        found: dict[str, list[Row]] = {"new": [], "changed": []}
        names = [c.name for c in BY_NAME[table].columns]
        for row in self._content.rows.get(table, []):
            code = row.values.get("code") or ""
            if (table, row.line) in self._refused:
                continue
            before = there.get(code)
            if table == "items" and row.values["step"] is None:
                unit = UNITS.get(row.values["unit"])
                row.values["step"] = before["step"] if before else unit.step if unit else None
            why = self._refusal_of_item(row, before) if table == "items" else ""
            differs = [n for n in names if before and row.values[n] != before[n]]
            status = "refused" if why else "new" if not before else "changed" if differs else "same"
            self._note(table, row, code, status, why or ", ".join(differs))
            if status in found:
                found[status].append(row)
            if not why:
                there[code] = row.values
        return found

    def _refusal_of_item(self, row: Row, before: dict[str, Any] | None) -> str:
        values = row.values
        if values["unit"] not in UNITS:
            return f"the unit {values['unit']} is unknown; known are {', '.join(UNITS)}"
        if values["source"] == "make" and values["price"] is not None:
            return "a made item has no price, its cost is rolled up"
        moved = [n for n in FIXED if before and before[n] != values[n]]
        return f"{', '.join(moved)} of an item can't change" if moved else ""

    def _structures(self) -> None:
        groups: dict[str, StructureRows] = {}
        for table in ("operations", "components", "outputs"):
            for row in self._content.rows.get(table, []):
                if (table, row.line) not in self._refused:
                    group = groups.setdefault(row.values["item"], StructureRows())
                    getattr(group, table).append(row)
        standing = _by_item(self._there)
        drafts = set(
            Revision.objects.filter(state__in=OPEN_STATES).values_list("item__code", flat=True)
        )
        own: dict[str, dict[str, Decimal]] = {}
        for code, name, quantity in ItemUnit.objects.values_list("item__code", "name", "quantity"):
            own.setdefault(code, {})[name] = quantity
        later = set(
            Revision.objects.filter(state="approved", effective_from__gt=self._day).values_list(
                "item__code", flat=True
            )
        )
        for item, group in groups.items():
            before = standing.get(item)
            is_same = before == _texts(group)
            faults = [] if is_same else self._faults(item, group, own, drafts | later)
            if faults:
                for fault in faults:
                    self._plan.rows.append(
                        Planned(fault.table, fault.line, item, "refused", fault.why)
                    )
                continue
            status = "same" if is_same else "changed" if before else "new"
            for table in ("operations", "components", "outputs"):
                for row in getattr(group, table):
                    self._note(table, row, item, status)
            if not is_same:
                self._plan.structures[item] = group
        self._refuse_cycles()

    def _faults(
        self, item: str, group: StructureRows, own: dict[str, dict[str, Decimal]], busy: set[str]
    ) -> list[Fault]:
        """Return what is wrong with a structure of the file, each with its line."""
        first = [*group.operations, *group.components, *group.outputs][0]
        faults: list[Fault] = []
        if self._items.get(item, {}).get("source") != "make":
            return [Fault("operations", first.line, f"{item} is no item that is made")]
        if item in busy:
            why = f"{item} has a draft or a later revision: approve or end it first"
            return [Fault("operations", first.line, why)]
        for row in group.operations:
            if row.values["work_center"] not in self._centers:
                why = f"there is no work center {row.values['work_center']}"
                faults.append(Fault("operations", row.line, why))
        for table, column in (("components", "component"), ("outputs", "by_product")):
            for row in getattr(group, table):
                code = row.values[column]
                if code not in self._items:
                    faults.append(Fault(table, row.line, f"there is no item {code}"))
                elif table == "components" and row.values["unit"]:
                    faults += self._unit_fault(row, code, own.get(code, {}))
        if not faults:
            lines = {f"operation:{r.values['number']}": r.line for r in group.operations}
            lines |= {f"component:{r.values['component']}": r.line for r in group.components}
            for problem in problems_of(_structure(item, group)):
                line = lines.get(problem.place, first.line)
                faults.append(Fault("structure", line, f"{problem.place}: {problem.why}"))
        return faults

    def _unit_fault(self, row: Row, code: str, own: dict[str, Decimal]) -> list[Fault]:
        stock = self._items[code]["unit"]
        try:
            conversion_factor(row.values["unit"], stock, item=code, stock_unit=stock, own=own)
        except DomainError as err:
            return [Fault("components", row.line, err.explain()["what"])]
        return []

    def _refuse_cycles(self) -> None:
        graph: dict[str, dict[str, Decimal]] = {}
        for parent, child, quantity in ComponentRow.objects.filter(
            revision__in=in_force(self._day)
        ).values_list("revision__item__code", "item__code", "quantity"):
            if parent not in self._plan.structures:
                graph.setdefault(parent, {})[child] = quantity
        for item, group in self._plan.structures.items():
            graph[item] = {r.values["component"]: r.values["quantity"] for r in group.components}
        try:
            working_order(graph)
        except CycleFound as err:
            rows = self._plan.structures.get(err.loop[0]) or StructureRows()
            line = next((r.line for r in rows.components), 0)
            why = f"{err.explain()['what']} {err.explain()['why']}"
            self._plan.rows.append(Planned("components", line, err.loop[0], "refused", why))


def _structure(item: str, group: StructureRows) -> Structure:
    operations = sorted(group.operations, key=lambda r: r.values["number"])
    return Structure(
        item=item,
        batch_quantity=batch_quantity(group),
        operations=tuple(
            Operation(
                number=r.values["number"],
                name=r.values["name"],
                work_center=r.values["work_center"],
                yield_share=r.values["yield_share"],
                is_report_point=r.values["is_report_point"],
                after=after_of(r.values["after"]),
            )
            for r in operations
        ),
        components=tuple(
            ComponentLine(
                item=r.values["component"],
                operation=r.values["operation"],
                quantity=r.values["quantity"],
                per=Per(r.values["per"]),
                issue_rule=IssueRule(r.values["issue_rule"]),
            )
            for r in group.components
        ),
        outputs=tuple(
            OutputLine(
                item=r.values["by_product"],
                operation=r.values["operation"],
                quantity=r.values["quantity"],
                credit_price=r.values["credit_price"],
            )
            for r in group.outputs
        ),
    )


def batch_quantity(group: StructureRows) -> Decimal:
    """Return the quantity that a structure's lines are stated for: its first operation says it."""
    return next((r.values["batch_quantity"] for r in group.operations), Decimal(1))


def after_of(text: str | None) -> tuple[int, ...] | None:
    """Return what must come before an operation; an empty cell is the one before, "-" none."""
    if not text:
        return None
    return tuple(int(n) for n in text.replace(",", " ").split() if n.isdigit())


def _by_item(there: dict[str, Any]) -> dict[str, Any]:
    """Return the structures in force as comparable rows, by item."""
    found: dict[str, StructureRows] = {}
    for table in ("operations", "components", "outputs"):
        for values in there[table]:
            group = found.setdefault(values["item"], StructureRows())
            getattr(group, table).append(Row(0, values))
    return {item: _texts(group) for item, group in found.items()}


def _texts(group: StructureRows) -> list[list[tuple[Any, ...]]]:
    texts = []
    for table in ("operations", "components", "outputs"):
        names = [c.name for c in BY_NAME[table].columns]
        rows = [tuple(r.values[n] or None for n in names) for r in getattr(group, table)]
        texts.append(sorted(rows, key=str))
    return texts
