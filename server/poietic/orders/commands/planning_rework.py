"""Rework as a work of its own: where pieces that were set aside are made good, and in which hours."""

from decimal import Decimal
from typing import Annotated

from django.utils import timezone
from poietic_core.cost.model import TIME_ELEMENT, InputKind
from poietic_core.order.states import Act
from poietic_core.quantity import ZERO, money

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.queries import labour_grade_by_code, work_center_by_code
from ...engineering.rates import hourly_rates
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Hours, OperationNumber, OrderNumber, Strict, Text
from ..models import OrderOperation, ReworkPlan
from ..open_book import OpenBook
from ..own_inputs import beside_standard


class PlanRework(Strict):
    """What is done with pieces that were set aside at an operation, and in which hours of a piece."""

    order: OrderNumber
    operation: OperationNumber
    name: Annotated[str, Text(120, 1)]
    work_center: Code
    labour_grade: Code | None = None
    run_labour_hours: Hours = ZERO
    run_machine_hours: Hours = ZERO


@command("plan-rework", "Plan rework", Role.CONTROLLER)
def plan_rework(context: Context, given: PlanRework) -> None:
    """Have pieces that were set aside made good at a work center; what they take is booked to rework."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    row = book.operation(given.operation)
    if not row.rework:
        raise InvalidInput([f"operation: nothing is set aside at operation {row.number} of order {given.order}"])  # fmt: skip
    if any(i.is_rework and i.used for i in book.inputs if i.operation == row.number):
        raise InvalidInput([f"operation: hours of rework are reported of operation {row.number}; take them back first"])  # fmt: skip
    hours = {InputKind.RUN_LABOUR: given.run_labour_hours, InputKind.RUN_MACHINE: given.run_machine_hours}  # fmt: skip
    if not any(hours.values()):
        raise InvalidInput(["run_labour_hours: say what a piece takes"])
    center = work_center_by_code(given.work_center)
    grade = labour_grade_by_code(given.labour_grade) if given.labour_grade else None
    plan, _ = ReworkPlan.objects.update_or_create(
        operation=row,
        defaults={
            "name": given.name,
            "work_center": center,
            "labour_grade": grade,
            "labour_hours": given.run_labour_hours,
            "machine_hours": given.run_machine_hours,
        },
    )
    cost = _give_inputs(book, row, plan, hours)
    context.effects.field(book.thing, f"rework at operation {row.number}", "", f"{given.name} at {center.code}")  # fmt: skip
    words = f"rework of {row.rework.normalize():f} {book.order.item.unit} will cost [EUR]"
    context.effects.field(book.thing, words, ZERO, cost)
    book.finish()


def _give_inputs(
    book: OpenBook, row: OrderOperation, plan: ReworkPlan, hours: dict[InputKind, Decimal]
) -> Decimal:
    """Have rework of an operation booked to the hours of its plan's work center; return what it will cost."""
    book.ready_for_rework(row.number)
    kinds = {k.value for k in TIME_ELEMENT}
    for i in [i for i in book.inputs if i.operation == row.number and i.is_rework and i.kind in kinds]:  # fmt: skip
        book.inputs.remove(i)
        i.delete()
    grades = {plan.labour_grade.pk} if plan.labour_grade else set()
    rates = hourly_rates(timezone.localdate(book.context.now), {plan.work_center.pk}, grades)
    cost = ZERO
    for kind, each in hours.items():
        try:
            rate = rates.hour(kind, plan.work_center.code, plan.labour_grade.code if plan.labour_grade else "")  # fmt: skip
        except KeyError as err:
            raise InvalidInput([f"work_center: {plan.work_center.code} has no rate for {kind} yet"]) from err  # fmt: skip
        added = beside_standard(
            book,
            row.number,
            kind,
            unit="h",
            price=rate.per_hour,
            split=rate.split,
            work_center=plan.work_center,
        )
        added.is_rework = True
        book.add_input(added)
        cost += money(each * row.rework * rate.per_hour)
    return cost


def planned_rework(book: OpenBook, operation: int) -> ReworkPlan | None:
    """Return how what is set aside at an operation is made good, None where it is worked on there itself."""
    row = book.operation(operation)
    if not any(i.is_rework for i in book.inputs if i.operation == operation):
        return None
    parts = ("work_center", "labour_grade")
    return ReworkPlan.objects.filter(operation=row).select_related(*parts).first()
