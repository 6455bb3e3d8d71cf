"""Commands on work centers."""

from typing import Annotated

from poietic_core.quantity import ONE
from pydantic import Field

from ...catalog.commands import require_free
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import NotFound
from ...web_api.fields import Code, Name, NotNegative, Quantity, Strict
from ..models import WorkCalendar, WorkCenter

Machines = Annotated[int, Field(ge=1, le=999)]


class DefineWorkCenter(Strict):
    """A new work center with its rates per hour and what it can do."""

    code: Code
    name: Name
    machine_rate: NotNegative
    labour_rate: NotNegative
    calendar: Code | None = None
    machines: Machines = 1
    efficiency: Quantity = ONE


class ChangeWorkCenter(Strict):
    """Fields of a work center to change; what is not named stays."""

    code: Code
    name: Name | None = None
    machine_rate: NotNegative | None = None
    labour_rate: NotNegative | None = None
    calendar: Code | None = None
    machines: Machines | None = None
    efficiency: Quantity | None = None


@command("define-work-center", "Define a work center", Role.ENGINEER, Role.COST_ACCOUNTANT)
def define_work_center(context: Context, given: DefineWorkCenter) -> None:
    """Make a work center."""
    require_free(WorkCenter.objects.all(), "work center", given.code)
    WorkCenter.objects.create(
        **given.model_dump(exclude={"calendar"}),
        calendar=_calendar(given.calendar),
        change=context.change,
    )
    context.made["work center"] = given.code
    context.effects.field(f"work center {given.code}", "work center", None, given.name)


@command("change-work-center", "Change a work center", Role.ENGINEER, Role.COST_ACCOUNTANT)
def change_work_center(context: Context, given: ChangeWorkCenter) -> None:
    """Change a work center; frozen standards keep the rates they were frozen with."""
    center = context.lock_one(
        WorkCenter.objects.select_related("calendar").filter(code=given.code),
        "work center",
        NotFound("work center", given.code),
    )
    changes = given.model_dump(exclude={"code"}, exclude_none=True)
    if given.calendar is not None:
        changes["calendar"] = _calendar(given.calendar)
    for name, after in changes.items():
        before = getattr(center, name)
        context.effects.field(f"work center {center.code}", name.replace("_", " "), before, after)
        setattr(center, name, after)
    center.change = context.change
    center.save()


def _calendar(code: str | None) -> WorkCalendar | None:
    if code is None:
        return None
    found = WorkCalendar.objects.filter(code=code).first()
    if found is None:
        raise NotFound("calendar", code)
    return found
