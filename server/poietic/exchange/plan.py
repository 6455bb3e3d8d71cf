"""What an import would do, row by row: the one computation behind its preview and its posting."""

import re
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any

from poietic_core.cost.rates import rate_of
from poietic_core.errors import DomainError
from poietic_core.stock.valuation import Method
from poietic_core.structure.explode import CycleFound, working_order
from poietic_core.structure.model import (
    Alternate,
    ComponentLine,
    Grade,
    IssueRule,
    Operation,
    OutputKind,
    OutputLine,
    Per,
    ShareRule,
    Structure,
)
from poietic_core.structure.phantom import inline
from poietic_core.structure.rules import problems_of
from poietic_core.units import UNITS, conversion_factor

from ..catalog.commands.items import OWN_UNIT, faults_of_item
from ..catalog.commands.prices import ListPriceGiven, PriceGiven, faults_of_prices
from ..catalog.models import Item, ItemUnit
from ..engineering.commands.work_centers import LayerGiven, faults_of_layers, kept_layers
from ..engineering.models import OPEN_STATES, ComponentRow, Revision, WorkCenterRate
from ..engineering.queries import phantoms_on, standing
from ..engineering.rates import layers_of, shop_rates
from ..engineering.structures import step_of
from .reading import Content
from .tables import BY_NAME, Fault, Row
from .writing import content_of

#: what an item keeps for good, once it has stock or is used
FIXED = ("unit", "source", "step", "valuation", "tracking", "is_phantom")


@dataclass(frozen=True, slots=True)
class Planned:
    """A row of the file and what becomes of it."""

    table: str
    line: int
    code: str
    #: new, changed, same, refused
    status: str
    why: str = ""


#: tables whose rows are a list of their parent's, replaced as a whole: the parent's column and table
LISTS = {
    "shifts": ("calendar", "calendars"),
    "exceptions": ("calendar", "calendars"),
    "item_units": ("item", "items"),
    "prices": ("item", "items"),
    "list_prices": ("item", "items"),
    "rates": ("work_center", "work_centers"),
}
#: tables of things that stand by themselves, each before those that name it
THINGS = ("partners", "labour_grades", "calendars", "items", "work_centers")
PARTS = ("structures", "operations", "components", "outputs")
#: columns that name something of another table
NAMES = {
    "partners": ("supplier", "customer"),
    "labour_grades": ("labour_grade",),
    "calendars": ("calendar",),
    "items": ("item", "component", "output"),
    "work_centers": ("work_center",),
}
WORDS = {"partners": "partner", "labour_grades": "labour grade", "calendars": "calendar", "items": "item", "work_centers": "work center"}  # fmt: skip


@dataclass
class StructureRows:
    """The rows of one item's structure in a file."""

    structures: list[Row] = field(default_factory=list)
    operations: list[Row] = field(default_factory=list)
    components: list[Row] = field(default_factory=list)
    outputs: list[Row] = field(default_factory=list)


@dataclass
class ImportPlan:
    """Everything that an import would do; with a refused row it does nothing."""

    rows: list[Planned] = field(default_factory=list)
    #: by table the rows that are new or changed
    things: dict[str, dict[str, list[Row]]] = field(default_factory=dict)
    #: by table and parent the rows that its list becomes
    lists: dict[str, dict[str, list[Row]]] = field(default_factory=dict)
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
        self._known = {t: {r["code"]: r for r in self._there[t]} for t in THINGS}

    def plan(self) -> ImportPlan:
        """Return the plan, faults of the file first."""
        self._plan.rows += [
            Planned(f.table, f.line, "", "refused", f.why) for f in self._content.faults
        ]
        for table in THINGS:
            self._plan.things[table] = self._things(table)
        for table in LISTS:
            self._plan.lists[table] = self._lists(table)
        self._structures()
        return self._plan

    def _note(self, table: str, row: Row, code: str, status: str, why: str = "") -> None:
        if (table, row.line) not in self._refused:
            self._plan.rows.append(Planned(table, row.line, code, status, why))

    def _things(self, table: str) -> dict[str, list[Row]]:
        """Plan things of a table, and put what they will be beside what is there."""
        there = self._known[table]
        found: dict[str, list[Row]] = {"new": [], "changed": []}
        names = [c.name for c in BY_NAME[table].columns]
        absent = set(names) - self._content.columns.get(table, set())
        for row in self._content.rows.get(table, []):
            code = row.values.get("code") or ""
            if (table, row.line) in self._refused:
                continue
            before = there.get(code)
            if before:  # what the file does not speak of stays
                row.values.update({n: before[n] for n in absent})
            if table == "items":
                _complete(row, before)
            why = self._refusal_of_item(row, before) if table == "items" else ""
            why = why or self._unknown(table, row)
            differs = [
                n for n in names if before and (row.values[n] or None) != (before[n] or None)
            ]
            status = "refused" if why else "new" if not before else "changed" if differs else "same"
            self._note(table, row, code, status, why or ", ".join(differs))
            if status in found:
                found[status].append(row)
            if not why:
                there[code] = row.values
        return found

    def _unknown(self, table: str, row: Row) -> str:
        """Say what a row names and is not there; "" where all is."""
        for other, columns in NAMES.items():
            for column in columns:
                named = row.values.get(column)
                if named and BY_NAME[table].column(column) and named not in self._known[other]:
                    return f"there is no {WORDS[other]} {named}"
        return ""

    def _refusal_of_item(self, row: Row, before: dict[str, Any] | None) -> str:
        values = row.values
        if values["unit"] not in UNITS:
            return f"the unit {values['unit']} is unknown; known are {', '.join(UNITS)}"
        names = {c.name for c in BY_NAME["items"].columns}
        if faults := faults_of_item(Item(**{n: values[n] for n in names})):
            return "; ".join(faults)
        moved = [n for n in FIXED if before and before[n] != values[n]]
        return f"{', '.join(moved)} of an item can't change" if moved else ""

    def _lists(self, table: str) -> dict[str, list[Row]]:
        """Plan lists of a table: a parent that the file names gets the file's list."""
        column, _ = LISTS[table]
        names = [c.name for c in BY_NAME[table].columns]
        standing: dict[str, list[Any]] = {}
        for values in self._there[table]:
            standing.setdefault(values[column], []).append(_text(values, names))
        groups: dict[str, list[Row]] = {}
        for row in self._content.rows.get(table, []):
            if (table, row.line) in self._refused:
                continue
            if why := self._unknown(table, row) or _contradiction(table, row):
                self._note(table, row, row.values[column], "refused", why)
                continue
            groups.setdefault(row.values[column], []).append(row)
        changed = {}
        for parent, rows in groups.items():
            before = standing.get(parent)
            if faults := self._list_faults(table, parent, rows):
                for n, why in faults:
                    self._note(table, rows[n], parent, "refused", why)
                continue
            is_same = before == [_text(r.values, names) for r in rows]
            status = "same" if is_same else "changed" if before else "new"
            for row in rows:
                self._note(table, row, parent, status)
            if not is_same:
                changed[parent] = rows
        return changed

    def _list_faults(self, table: str, parent: str, rows: list[Row]) -> list[tuple[int, str]]:
        """Return what is wrong with a list as a whole, by the rules of its command."""
        if table in ("prices", "list_prices"):
            column = "supplier" if table == "prices" else "customer"
            kind = PriceGiven if table == "prices" else ListPriceGiven
            partners = self._known["partners"]
            faults = [
                (n, f"{r.values[column]} is no {column}")
                for n, r in enumerate(rows)
                if r.values[column] and not partners[r.values[column]][f"is_{column}"]
            ]
            if table == "prices" and self._known["items"][parent]["source"] == Item.Source.MAKE:
                faults.append((0, f"{parent} is made; its cost is rolled up"))
            given = [kind.model_validate({n: r.values[n] for n in kind.model_fields}) for r in rows]
            return faults + faults_of_prices(given)
        if table == "rates":
            by_day: dict[Any, list[int]] = {}
            for n, row in enumerate(rows):
                by_day.setdefault(row.values["effective_from"], []).append(n)
            return [
                (places[0], why)
                for places in by_day.values()
                for why in _faults_of_rate([layer_of(rows[n].values) for n in places])
            ]
        return []

    def _structures(self) -> None:
        groups: dict[str, StructureRows] = {}
        for table in PARTS:
            for row in self._content.rows.get(table, []):
                if (table, row.line) not in self._refused:
                    group = groups.setdefault(row.values["item"], StructureRows())
                    getattr(group, table).append(row)
        standing = _by_item(self._there)
        self._inactive = set(Item.objects.filter(is_active=False).values_list("code", flat=True))
        rated = set(shop_rates(self._day).centers)
        new = {r.values["code"] for r in self._plan.things["work_centers"]["new"]}
        self._unrated = self._known["work_centers"].keys() - rated - new
        self._phantoms = self._phantoms_after(groups)
        drafts = set(
            Revision.objects.filter(state__in=OPEN_STATES).values_list("item__code", flat=True)
        )
        own: dict[str, dict[str, Decimal]] = {}
        for code, name, quantity in ItemUnit.objects.values_list("item__code", "name", "quantity"):
            own.setdefault(code, {})[name] = quantity
        for code, rows in self._plan.lists["item_units"].items():
            own[code] = {r.values["name"]: r.values["quantity"] for r in rows}
        later = set(
            Revision.objects.filter(state="approved", effective_from__gt=self._day).values_list(
                "item__code", flat=True
            )
        )
        for item, group in groups.items():
            before = standing.get(item)
            if before and not group.structures:
                group.structures = before.structures
            is_same = before is not None and _texts(before) == _texts(group)
            faults = [] if is_same else self._faults(item, group, own, drafts | later)
            if faults:
                for fault in faults:
                    self._plan.rows.append(
                        Planned(fault.table, fault.line, item, "refused", fault.why)
                    )
                continue
            status = "same" if is_same else "changed" if before else "new"
            for table in PARTS:
                for row in getattr(group, table):
                    if row.line:
                        self._note(table, row, item, status)
            if not is_same:
                self._plan.structures[item] = group
        self._refuse_cycles()

    def _phantoms_after(self, groups: dict[str, StructureRows]) -> dict[str, Structure]:
        """Return the structures of phantoms as they will be."""
        found = dict(phantoms_on(self._day))
        for item, group in groups.items():
            made = self._known["items"].get(item, {})
            if made.get("is_phantom") and group.structures:
                with suppress(KeyError, ValueError, TypeError, ArithmeticError):
                    found[item] = _structure(item, group)  # else its own row says what is wrong
        return found

    def _faults(
        self, item: str, group: StructureRows, own: dict[str, dict[str, Decimal]], busy: set[str]
    ) -> list[Fault]:
        """Return what is wrong with a structure of the file, each with its line."""
        first = next(r for t in PARTS for r in getattr(group, t) if r.line)
        faults: list[Fault] = []
        made = self._known["items"].get(item, {})
        if made.get("source") not in ("make", "both"):
            return [Fault("operations", first.line, f"{item} is no item that is made")]
        if item in busy:
            why = f"{item} has a draft or a later revision: approve or end it first"
            return [Fault("operations", first.line, why)]
        for table in PARTS:
            for row in getattr(group, table):
                if why := self._unknown(table, row):
                    faults.append(Fault(table, row.line, why))
                elif table == "components" and row.values["unit"]:
                    code = row.values["component"]
                    faults += self._unit_fault(row, code, own.get(code, {}))
        if not faults:
            lines = {f"operation:{r.values['number']}": r.line for r in group.operations}
            lines |= {f"component:{r.values['component']}": r.line for r in group.components}
            try:
                structure = _structure(item, group)
            except (KeyError, ValueError, TypeError, ArithmeticError):
                why = "a list in it has not the fields that its items need"
                return [Fault("operations", first.line, f"{why}; compare an export")]
            for problem in problems_of(structure, is_phantom=bool(made.get("is_phantom"))):
                line = lines.get(problem.place, first.line)
                faults.append(Fault("structure", line, f"{problem.place}: {problem.why}"))
            faults += self._unusable(structure, lines, first.line)
        if not faults and any(c.item in self._phantoms for c in structure.components):
            try:
                inline(structure.on(self._day), self._phantoms)
            except DomainError as err:
                faults.append(Fault("structure", first.line, str(err)))
        return faults

    def _unusable(self, structure: Structure, lines: dict[str, int], first: int) -> Iterator[Fault]:
        """Yield what a structure names and can't use: inactive, unknown, without a rate."""
        for line in structure.components:
            at = lines.get(f"component:{line.item}", first)
            if line.item in self._inactive:
                yield Fault("components", at, f"{line.item} is inactive")
            for alternate in line.alternates:
                if alternate.item not in self._known["items"]:
                    yield Fault("components", at, f"there is no item {alternate.item}")
        for grade in structure.grades:
            if grade.item not in self._known["items"]:
                yield Fault("structures", first, f"there is no item {grade.item}")
        for operation in structure.operations:
            at = lines.get(f"operation:{operation.number}", first)
            for center in operation.alternate_centers:
                if center not in self._known["work_centers"]:
                    yield Fault("operations", at, f"there is no work center {center}")
            if operation.work_center in self._unrated:
                yield Fault("operations", at, f"{operation.work_center} has no rate today")

    def _unit_fault(self, row: Row, code: str, own: dict[str, Decimal]) -> list[Fault]:
        stock = self._known["items"][code]["unit"]
        try:
            conversion_factor(row.values["unit"], stock, item=code, stock_unit=stock, own=own)
        except DomainError as err:
            return [Fault("components", row.line, err.explain()["what"])]
        return []

    def _refuse_cycles(self) -> None:
        graph: dict[str, dict[str, Decimal]] = {}
        for parent, child, quantity in ComponentRow.objects.filter(
            standing(self._day, "revision__")
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
    """Return the rows as a structure, as far as its rules look at them."""
    operations = sorted(group.operations, key=lambda r: r.values["number"])
    whole = structure_fields(group)
    return Structure(
        item=item,
        batch_quantity=whole["batch_quantity"],
        share_rule=ShareRule(whole["share_rule"]),
        main_weight=whole["main_weight"],
        grades=tuple(
            Grade(item=g["item"], share=Decimal(g["share"]), weight=Decimal(g["weight"]))
            for g in whole["grades"]
        ),
        operations=tuple(
            Operation(
                number=r.values["number"],
                name=r.values["name"],
                work_center=r.values["work_center"],
                alternate_centers=tuple(r.values["alternate_centers"]),
                setup_machine_hours=r.values["setup_machine_hours"],
                run_machine_hours=r.values["run_machine_hours"],
                crew=r.values["crew"],
                yield_share=r.values["yield_share"],
                is_report_point=r.values["is_report_point"],
                after=after_of(r.values["after"]),
                steps=tuple(step_of(s) for s in r.values["steps"]),
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
                alternates=tuple(
                    Alternate(item=a["item"], ratio=Decimal(a["ratio"]))
                    for a in r.values["alternates"]
                ),
            )
            for r in group.components
        ),
        outputs=tuple(
            OutputLine(
                item=r.values["output"],
                operation=r.values["operation"],
                quantity=r.values["quantity"],
                kind=OutputKind(r.values["kind"]),
                credit_price=r.values["credit_price"],
                weight=r.values["weight"],
            )
            for r in group.outputs
        ),
    )


def _faults_of_rate(layers: list[LayerGiven]) -> list[str]:
    """Return what is wrong with the layers of a rate, and with what they come to."""
    if faults := faults_of_layers(layers):
        return faults
    try:
        rate_of(layers_of(WorkCenterRate(layers=kept_layers(layers))))
    except DomainError as err:
        return [str(err)]
    return []


def layer_of(values: dict[str, Any]) -> LayerGiven:
    """Return the layer of a rate that a row states."""
    return LayerGiven(
        name=values["layer"],
        element=values["element"],
        amount=values["amount"],
        percent=values["percent"],
        of=values["of"] or None,
    )


def structure_fields(group: StructureRows) -> dict[str, Any]:
    """Return what is said of a structure as a whole; where nothing is, the defaults."""
    if group.structures:
        return group.structures[0].values
    return {c.name: c.default for c in BY_NAME["structures"].columns}


def _complete(row: Row, before: dict[str, Any] | None) -> None:
    """Fill in what an item's row leaves open: its step by the unit, its valuation by the source."""
    values = row.values
    if values["step"] is None:
        unit = UNITS.get(values["unit"])
        values["step"] = before["step"] if before else unit.step if unit else None
    if values["valuation"] is None:
        bought = values["source"] == "buy"
        usual = Method.MOVING_AVERAGE if bought else Method.STANDARD
        values["valuation"] = before["valuation"] if before else usual.value


def _contradiction(table: str, row: Row) -> str:
    """Say what a row of a list contradicts itself in; "" where it does not."""
    v = row.values
    if table == "shifts" and v["weekday"] > 6:
        return f"weekday {v['weekday']} is none: 0 is Monday, 6 Sunday"
    if table == "exceptions" and v["last"] < v["first"]:
        return "its last day lies before its first"
    if table == "exceptions" and (v["start"] is None) != (v["end"] is None):
        return "an extra shift has a start and an end, closed days have neither"
    if table == "item_units" and v["name"] in UNITS:
        return f"{v['name']} is a unit of measure for all items"
    if table == "item_units" and not re.fullmatch(OWN_UNIT, v["name"]):
        return f"{v['name']!r} is no name of a unit: a letter, then at most 19 letters and digits"
    return ""


def after_of(text: str | None) -> tuple[int, ...] | None:
    """Return what must come before an operation; an empty cell is the one before, "-" none."""
    if not text:
        return None
    return tuple(int(n) for n in text.replace(",", " ").split() if n.isdigit())


def _by_item(there: dict[str, Any]) -> dict[str, StructureRows]:
    """Return the rows of the structures in force, by item."""
    found: dict[str, StructureRows] = {}
    for table in PARTS:
        for values in there[table]:
            group = found.setdefault(values["item"], StructureRows())
            getattr(group, table).append(Row(0, values))
    return found


def _text(values: dict[str, Any], names: list[str]) -> tuple[Any, ...]:
    return tuple(values[n] or None for n in names)


def _texts(group: StructureRows) -> list[list[tuple[Any, ...]]]:
    texts = []
    for table in PARTS:
        names = [c.name for c in BY_NAME[table].columns]
        texts.append(sorted((_text(r.values, names) for r in getattr(group, table)), key=str))
    return texts
