"""Commands on work centers, labour grades and what an hour of each costs."""

from decimal import Decimal
from typing import Annotated, Any, Literal

from poietic_core.cost.model import Base, Element
from poietic_core.cost.rates import rate_of
from poietic_core.quantity import ONE, ZERO
from pydantic import Field

from ...catalog.models import Place
from ...catalog.queries import require_free, stock_place
from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import (
    Budget,
    Capacity,
    Code,
    Day,
    Efficiency,
    Machines,
    Name,
    Price,
    Share,
    Strict,
    plain,
)
from ..models import (
    GradeRate,
    LabourGrade,
    OverheadBudget,
    WorkCalendar,
    WorkCenter,
    WorkCenterRate,
)
from ..queries import work_center_by_code
from ..rates import layers_of, overhead_rate

#: what a machine hour may be charged to; people's time has elements of its own
LAYER_ELEMENTS = (Element.MACHINE, Element.VARIABLE_OVERHEAD, Element.FIXED_OVERHEAD)


class DefineWorkCenter(Strict):
    """A new work center with its rates per hour and what it can do."""

    code: Code
    name: Name
    machine_rate: Price
    labour_rate: Price
    calendar: Code | None = None
    machines: Machines = 1
    efficiency: Efficiency = ONE
    #: where its material is brought before use
    floor_place: Code | None = None


class ChangeWorkCenter(Strict):
    """Fields of a work center to change; what is not named stays."""

    code: Code
    name: Name | None = None
    calendar: Code | None = None
    machines: Machines | None = None
    efficiency: Efficiency | None = None
    #: where its material is brought before use
    floor_place: Code | None = None


class LayerGiven(Strict):
    """A part of the machine hour's rate: an amount per hour, or a percentage of a layer above it."""

    name: Name
    element: Element = Element.MACHINE
    amount: Price = ZERO
    #: as a share: 0.15 is 15 %
    percent: Share = ZERO
    of: Name | None = None


class SetRates(Strict):
    """What an hour at a work center costs from a day on; without a day, from the beginning."""

    work_center: Code
    effective_from: Day | None = None
    #: of a person, where an operation names no labour grade
    labour_rate: Price
    layers: Annotated[list[LayerGiven], Field(max_length=30)]


class DefineLabourGrade(Strict):
    """A new skill of people, with what an hour of one of them costs."""

    code: Code
    name: Name
    rate: Price
    overtime_premium: Share = ZERO


class SetGradeRate(Strict):
    """What an hour of a labour grade costs from a day on, and on top where it is overtime, as a share."""

    grade: Code
    effective_from: Day | None = None
    rate: Price
    #: left out, it stays what it is
    overtime_premium: Share | None = None


class SetOverhead(Strict):
    """A budget of overhead for a period, and the capacity in the base that it is spread over."""

    code: Code
    name: Name
    element: Literal["variable overhead", "fixed overhead", "material overhead"]
    base: Base
    work_center: Code | None = None
    effective_from: Day
    effective_until: Day
    budget: Budget
    capacity: Capacity
    capacity_basis: OverheadBudget.CapacityBasis = OverheadBudget.CapacityBasis.PRACTICAL


class DropOverhead(Strict):
    """A budget that does not count."""

    code: Code
    effective_from: Day


@command("define-work-center", "Define a work center", Role.ENGINEER, Role.COST_ACCOUNTANT)
def define_work_center(context: Context, given: DefineWorkCenter) -> None:
    """Make a work center, the rate of its machine in one layer."""
    require_free(WorkCenter.objects.all(), "work center", given.code)
    center = WorkCenter.objects.create(
        **given.model_dump(exclude={"calendar", "machine_rate", "labour_rate", "floor_place"}),
        calendar=_calendar(given.calendar),
        floor_place=_floor(given.floor_place),
        change=context.change,
    )
    WorkCenterRate.objects.create(
        work_center=center,
        labour_rate=given.labour_rate,
        layers=plain_layers(given.machine_rate),
    )
    context.made["work center"] = given.code
    context.effects.field(f"work center {given.code}", "work center", None, given.name)


@command("change-work-center", "Change a work center", Role.ENGINEER, Role.COST_ACCOUNTANT)
def change_work_center(context: Context, given: ChangeWorkCenter) -> None:
    """Change a work center's name, calendar or what it can do."""
    center = context.lock_one(
        WorkCenter.objects.select_related("calendar", "floor_place").filter(code=given.code),
        "work center",
        NotFound("work center", given.code),
    )
    changes = given.model_dump(exclude={"code"}, exclude_none=True)
    if given.calendar is not None:
        changes["calendar"] = _calendar(given.calendar)
    if given.floor_place is not None:
        changes["floor_place"] = _floor(given.floor_place)
    for name, after in changes.items():
        before = getattr(center, name)
        context.effects.field(f"work center {center.code}", name.replace("_", " "), before, after)
        setattr(center, name, after)
    center.change = context.change
    center.save()


@command(
    "set-rates",
    "Set the rates of a work center",
    Role.ENGINEER,
    Role.COST_ACCOUNTANT,
    told=COST_READERS,
)
def set_rates(context: Context, given: SetRates) -> None:
    """Set what an hour costs from a day on; frozen standards keep the rates they were frozen with."""
    center = context.lock_one(
        WorkCenter.objects.filter(code=given.work_center),
        "work center",
        NotFound("work center", given.work_center),
    )
    if faults := faults_of_layers(given.layers):
        raise InvalidInput([f"layers: {f}" for f in faults])
    before = center.rates.filter(effective_from=given.effective_from).first()
    fresh, _ = WorkCenterRate.objects.update_or_create(
        work_center=center,
        effective_from=given.effective_from,
        defaults={
            "labour_rate": given.labour_rate,
            "layers": kept_layers(given.layers),
        },
    )
    thing = f"work center {center.code}"
    rate = rate_of(layers_of(fresh)).per_hour  # refuses a percentage of nothing
    context.effects.field(
        thing, "machine rate", before and rate_of(layers_of(before)).per_hour, rate
    )
    context.effects.field(thing, "labour rate", before and before.labour_rate, given.labour_rate)
    if given.effective_from:
        context.effects.field(thing, "rates from", None, given.effective_from)
    center.change = context.change
    center.save(update_fields=["change"])


def kept_layers(layers: list[LayerGiven]) -> list[dict[str, Any]]:
    """Return layers as a rate keeps them."""
    return [layer.model_dump(mode="json", exclude_none=True) for layer in layers]


def faults_of_layers(layers: list[LayerGiven]) -> list[str]:
    """Return what is wrong with the layers of a machine hour's rate."""
    names = [layer.name for layer in layers]
    faults = ["two layers have the same name"] if len(names) > len(set(names)) else []
    for layer in layers:
        if layer.element not in LAYER_ELEMENTS:
            faults.append(f"{layer.name} names {layer.element}; one of {', '.join(LAYER_ELEMENTS)}")
        if bool(layer.of) != bool(layer.percent) or (layer.of and layer.amount):
            faults.append(f"{layer.name} has an amount, or a percentage of a layer above it")
    return faults


@command("define-labour-grade", "Define a labour grade", Role.ENGINEER, Role.COST_ACCOUNTANT)
def define_labour_grade(context: Context, given: DefineLabourGrade) -> None:
    """Make a labour grade that operations can ask for."""
    require_free(LabourGrade.objects.all(), "labour grade", given.code)
    grade = LabourGrade.objects.create(
        code=given.code,
        name=given.name,
        overtime_premium=given.overtime_premium,
        change=context.change,
    )
    GradeRate.objects.create(grade=grade, rate=given.rate)
    context.made["labour grade"] = given.code
    context.effects.field(f"labour grade {given.code}", "rate", None, given.rate)


@command(
    "set-grade-rate",
    "Set the rate of a labour grade",
    Role.ENGINEER,
    Role.COST_ACCOUNTANT,
    told=COST_READERS,
)
def set_grade_rate(context: Context, given: SetGradeRate) -> None:
    """Set what an hour of a grade costs from a day on."""
    grade = context.lock_one(
        LabourGrade.objects.filter(code=given.grade),
        "labour grade",
        NotFound("labour grade", given.grade),
    )
    before = grade.rates.filter(effective_from=given.effective_from).first()
    GradeRate.objects.update_or_create(
        grade=grade, effective_from=given.effective_from, defaults={"rate": given.rate}
    )
    thing = f"labour grade {grade.code}"
    context.effects.field(thing, "rate", before and before.rate, given.rate)
    if given.effective_from:
        context.effects.field(thing, "rate from", None, given.effective_from)
    if given.overtime_premium is not None:
        context.effects.field(thing, "overtime premium", grade.overtime_premium, given.overtime_premium)  # fmt: skip
        grade.overtime_premium = given.overtime_premium
    grade.change = context.change
    grade.save(update_fields=["change", "overtime_premium"])


@command("set-overhead", "Set an overhead budget", Role.COST_ACCOUNTANT, told=COST_READERS)
def set_overhead(context: Context, given: SetOverhead) -> None:
    """Budget overhead for a period; the rate it gives counts from its first day on."""
    if given.effective_until < given.effective_from:
        raise InvalidInput([f"effective_until: {given.effective_until} lies before the first day"])
    if (Element(given.element) is Element.MATERIAL_OVERHEAD) != (given.base == Base.MATERIAL_COST):
        raise InvalidInput(["base: material overhead, and it alone, is charged by bought material cost"])  # fmt: skip
    context.guard(f"overhead {given.code}")
    center = work_center_by_code(given.work_center) if given.work_center else None
    same = OverheadBudget.objects.filter(code=given.code)
    clash = same.filter(
        effective_from__lte=given.effective_until, effective_until__gte=given.effective_from
    ).exclude(effective_from=given.effective_from)
    if other := clash.first():
        raise InvalidInput([f"effective_from: {given.code} has a budget from {other.effective_from} until {other.effective_until}"])  # fmt: skip
    before = same.filter(effective_from=given.effective_from).first()
    was = overhead_rate(before).rate if before else None
    fields = given.model_dump(exclude={"code", "effective_from", "work_center", "base"})
    row, _ = OverheadBudget.objects.update_or_create(
        code=given.code,
        effective_from=given.effective_from,
        defaults=fields
        | {
            "base": given.base.value,
            "work_center": center,
            "effective_until": given.effective_until,
            "change": context.change,
        },
    )
    row.refresh_from_db()
    context.effects.field(f"overhead {given.code}", "rate", was, overhead_rate(row).rate)


@command("drop-overhead", "Drop an overhead budget", Role.COST_ACCOUNTANT, told=COST_READERS)
def drop_overhead(context: Context, given: DropOverhead) -> None:
    """Take a budget out; frozen standards keep the rate they were frozen with."""
    context.guard(f"overhead {given.code}")
    rows = OverheadBudget.objects.filter(code=given.code, effective_from=given.effective_from)
    row = context.lock_one(rows, "overhead", NotFound("overhead budget", given.code))
    context.effects.field(f"overhead {given.code}", "rate", overhead_rate(row).rate, None)
    row.delete()


def plain_layers(machine_rate: Decimal) -> list[dict[str, Any]]:
    """Return a machine's rate as one layer."""
    return [{"name": "machine", "element": Element.MACHINE.value, "amount": plain(machine_rate)}]


def _calendar(code: str | None) -> WorkCalendar | None:
    if code is None:
        return None
    found = WorkCalendar.objects.filter(code=code).first()
    if found is None:
        raise NotFound("calendar", code)
    return found


def _floor(code: str | None) -> Place | None:
    if code is None:
        return None
    place = stock_place(code)
    if place.kind != Place.Kind.FLOOR:
        raise InvalidInput([f"floor_place: {place.name} is a {place.kind}; name a place on the floor"])  # fmt: skip
    return place
