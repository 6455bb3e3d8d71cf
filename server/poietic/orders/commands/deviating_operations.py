"""Operations of this order only: added, changed, dropped, moved to another work center."""

from collections.abc import Mapping
from decimal import Decimal
from fractions import Fraction
from typing import Annotated

from poietic_core.cost.model import SETUP_KINDS, TIME_ELEMENT, Element, InputKind
from poietic_core.quantity import ONE, UNIT_COST_STEP, ZERO, round_to
from poietic_core.structure.basis import Basis
from poietic_core.structure.flow import Network
from poietic_core.structure.model import Operation, PaymentBasis

from ...catalog.queries import supplier_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.queries import labour_grade_by_code, work_center_by_code
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, Hours, OperationNumber, Price, Ratio, Text, Wait
from ..book import named_by
from ..models import OrderOperation
from ..own_inputs import beside_standard
from .deviating import Deviation, ForThisOrder, OperationBegun

Named = Annotated[str, Text(120, 1)]
Work = Mapping[InputKind, Decimal]


class OperationNamed(ForThisOrder):
    """An operation of an order."""

    operation: OperationNumber


class AddOperation(OperationNamed):
    """An operation that only this order has: where it stands, and its hours."""

    name: Named
    work_center: Code
    #: the operation that it comes after; left out, the one numbered before
    after: OperationNumber | None = None
    labour_grade: Code | None = None
    setup_labour_hours: Hours = ZERO
    setup_machine_hours: Hours = ZERO
    #: for each unit worked on
    run_labour_hours: Hours = ZERO
    run_machine_hours: Hours = ZERO
    yield_share: Ratio = ONE


class ChangeOperation(OperationNamed):
    """What is different of an operation; what is left out stays."""

    name: Named | None = None
    setup_labour_hours: Hours | None = None
    setup_machine_hours: Hours | None = None
    run_labour_hours: Hours | None = None
    run_machine_hours: Hours | None = None
    yield_share: Ratio | None = None


class MoveOperation(OperationNamed):
    """The work center that does an operation instead of its own."""

    work_center: Code


class DoInside(MoveOperation):
    """The work center that does a supplier's operation, and in which hours."""

    setup_labour_hours: Hours = ZERO
    setup_machine_hours: Hours = ZERO
    #: for each unit worked on
    run_labour_hours: Hours = ZERO
    run_machine_hours: Hours = ZERO


@command("add-operation", "Add an operation to an order", Role.CONTROLLER)
def add_operation(context: Context, given: AddOperation) -> None:
    """Have this order pass an operation that its structure does not name; nothing after it has begun."""
    deviation = Deviation(context, given)
    book, number = deviation.book, given.operation
    _require_yield(given.yield_share)
    if any(o.number == number for o in book.operations):
        raise InvalidInput([f"operation: order {book.order.number} has an operation {number} already"])  # fmt: skip
    after = _put_into_flow(deviation, number, given.after)
    center = work_center_by_code(given.work_center)
    row = OrderOperation(
        order=book.order,
        number=number,
        name=given.name,
        work_center=center,
        yield_share=given.yield_share,
        is_report_point=True,
        after=None if after is None else [after],
        labour_grade=labour_grade_by_code(given.labour_grade) if given.labour_grade else None,
        entering=ZERO,
    )
    book.operations = sorted([*book.operations, row], key=lambda o: o.number)
    _require_flow(deviation, number)
    hours = {k: stated for k in TIME_ELEMENT if (stated := _stated(given, k))}
    _set_clock(row, {}, hours)
    row.save(force_insert=True)
    deviation.work_at(row, hours)
    deviation.say(f"operation {number}", "", f"{given.name} at {center.code}")
    deviation.finish(number)


@command("change-operation", "Change an operation of an order", Role.CONTROLLER)
def change_operation(context: Context, given: ChangeOperation) -> None:
    """Have an operation that has not begun take other hours in this order, or bear another name or yield."""
    deviation = Deviation(context, given)
    row = deviation.require_not_begun(given.operation)
    _require_yield(given.yield_share)
    before = _hours(deviation, row)
    hours = dict(before)
    for kind in TIME_ELEMENT:
        stated = _stated(given, kind)
        if stated is not None and stated != hours.get(kind, ZERO):
            deviation.say(f"operation {row.number} {kind} [h]", hours.get(kind, ZERO), stated)
            hours[kind] = stated
    for name in ("name", "yield_share"):
        if (after := getattr(given, name)) is not None:
            deviation.say(f"operation {row.number} {name.replace('_', ' ')}", getattr(row, name), after)  # fmt: skip
            setattr(row, name, after)
    _set_clock(row, before, hours)
    row.save()
    deviation.work_at(row, hours)
    deviation.finish(row.number)


@command("move-operation", "Move an operation to another work center", Role.CONTROLLER)
def move_operation(context: Context, given: MoveOperation) -> None:
    """Have another work center do an operation that has not begun, in the same hours."""
    deviation = Deviation(context, given)
    row = deviation.require_not_begun(given.operation)
    center = work_center_by_code(given.work_center)
    if center.pk == row.work_center_id:
        raise InvalidInput([f"work_center: operation {row.number} is done at {center.code} already"])  # fmt: skip
    deviation.say(f"operation {row.number} work center", row.work_center.code, center.code)
    row.work_center = center
    row.save(update_fields=["work_center"])
    deviation.work_at(row, _hours(deviation, row))
    deviation.finish(row.number)


@command("do-operation-inside", "Do a supplier's operation inside", Role.CONTROLLER)
def do_operation_inside(context: Context, given: DoInside) -> None:
    """Have an operation that has not begun done here instead of by its supplier, in hours that are said."""
    deviation = Deviation(context, given)
    row = deviation.require_not_begun(given.operation)
    outside = [
        i
        for i in deviation.book.inputs
        if i.operation == row.number and i.kind == InputKind.SUBCONTRACT and i.allowed
    ]
    if not outside:
        raise InvalidInput([f"operation: {row.number} is done inside already"])
    hours = {k: stated for k in TIME_ELEMENT if (stated := _stated(given, k))}
    if not hours:
        raise InvalidInput(["run_labour_hours: say what it takes here"])
    for i in outside:
        deviation.say(f"operation {row.number} by {named_by(i).name} [{i.unit}]", i.allowed, ZERO)
        deviation.allow(i, Fraction(0))
    center = work_center_by_code(given.work_center)
    deviation.say(f"operation {row.number} work center", row.work_center.code, center.code)
    row.work_center = center
    row.supplier, row.days_out = None, ZERO
    _set_clock(row, _hours(deviation, row), hours)
    row.save()
    deviation.work_at(row, hours)
    deviation.finish(row.number)


class SendOut(OperationNamed):
    """The supplier who does an operation that is done here else: for how much, on which pieces, in which time."""

    supplier: Code
    #: for each piece
    price: Price
    payment_basis: PaymentBasis = PaymentBasis.RETURNED
    #: of his calendar
    days_out: Wait = ZERO


@command("send-operation-out", "Have a supplier do an operation", Role.CONTROLLER)
def send_operation_out(context: Context, given: SendOut) -> None:
    """Have a supplier do an operation that has not begun, instead of its work center; the order to him is drafted."""
    deviation = Deviation(context, given)
    book, row = deviation.book, deviation.require_not_begun(given.operation)
    if row.supplier:
        raise InvalidInput([f"operation: {row.number} is done by {row.supplier.name} already; do it inside first"])  # fmt: skip
    supplier = supplier_by_code(given.supplier)
    deviation.say(f"operation {row.number} by", row.work_center.code, supplier.name)
    row.supplier, row.days_out, row.back_at = supplier, given.days_out, None
    _set_clock(row, _hours(deviation, row), {})
    row.save()
    deviation.work_at(row, {})
    paid_on = Basis.ENTERING if given.payment_basis is PaymentBasis.SENT else Basis.GOOD
    work = [i for i in book.inputs if i.operation == row.number and i.kind == InputKind.SUBCONTRACT]
    own = next((i for i in work if i.supplier_id == supplier.pk), None)
    if own is None:
        own = beside_standard(
            book,
            row.number,
            InputKind.SUBCONTRACT,
            unit=book.order.item.unit,
            price=given.price,
            split={Element.SUBCONTRACT: given.price},
        )
        own.supplier, own.overhead = supplier, supplier.code
        deviation.add(own)
    own.agreed_price = given.price
    deviation.allow(own, Fraction(1), paid_on)
    deviation.finish(row.number)


@command("drop-operation", "Leave an operation out of an order", Role.CONTROLLER)
def drop_operation(context: Context, given: OperationNamed) -> None:
    """Have this order do without an operation that has not begun, and without what is taken in at it."""
    deviation = Deviation(context, given)
    book = deviation.book
    row = deviation.require_not_begun(given.operation)
    rows = [i for i in book.inputs if i.operation == row.number]
    if held := next((i for i in rows if i.used), None):
        raise InvalidInput([f"operation: {held.used.normalize():f} {held.unit} of {held.item} are issued to operation {row.number}: return them first"])  # fmt: skip
    if len(book.operations) == 1:
        raise InvalidInput([f"operation: {row.number} is the only one; cancel the order instead"])
    before = Network(book.progress()).before[row.number]
    for o in book.operations:
        if o.after and row.number in o.after:
            o.after = sorted({*(n for n in o.after if n != row.number), *before})
            o.save(update_fields=["after"])
    for i in rows:
        if i.item and i.allowed:
            context.effects.remark(i.item.code, f"not taken in with operation {row.number}")
        deviation.drop(i)
    book.operations.remove(row)
    row.delete()
    deviation.say(f"operation {row.number}", row.name, "left out")
    deviation.finish(row.number)


def _put_into_flow(deviation: Deviation, number: int, after: int | None) -> int | None:
    """Have what came after an operation come after the new one; return which, None for the one before."""
    book = deviation.book
    if after is None:
        if all(o.after is None for o in book.operations):
            return None
        after = max((o.number for o in book.operations if o.number < number), default=None)
    if after is None:
        return None
    book.operation(after)
    for o in book.operations:
        if o.after and after in o.after:
            o.after = sorted({*(n for n in o.after if n != after), number})
            o.save(update_fields=["after"])
    return after


def _require_flow(deviation: Deviation, number: int) -> None:
    """Refuse an operation that leads nowhere, or that pieces have passed already."""
    book = deviation.book
    network = Network(book.progress())
    last = book.operations[-1].number
    if network.ends() != [last]:
        raise InvalidInput(
            [
                f"operation: {number} would not lead to the last operation, {last}; number it between the one that it comes after and the next"
            ]
        )
    if begun := next((n for n in network.following[number] if deviation.has_begun(n)), None):
        raise OperationBegun(book.order.number, number, begun)
    if number == last and book.order.received:
        raise OperationBegun(book.order.number, number, book.operations[-2].number)


def _stated(given: AddOperation | ChangeOperation | DoInside, kind: InputKind) -> Decimal | None:
    stated: Decimal | None = getattr(given, f"{kind.value.replace(' ', '_')}_hours")
    return stated


def _hours(deviation: Deviation, row: OrderOperation) -> dict[InputKind, Decimal]:
    """Return the hours that the order allows an operation, by kind."""
    times = deviation.times_of(row.number)
    return {InputKind(i.kind): i.allowed for i in times if i.allowed}


def _set_clock(row: OrderOperation, before: Work, after: Work) -> None:
    """Have the time that an operation takes follow its hours, by the core's rule for operations."""
    is_attended = row.setup_hours < max(before.get(k, ZERO) for k in SETUP_KINDS)
    _, was = _clock(row, before, is_attended=is_attended)
    row.setup_hours, now = _clock(row, after, is_attended=is_attended)
    if was and row.run_hours:
        row.run_hours = round_to(row.run_hours * now / was, UNIT_COST_STEP)
    else:
        row.run_hours, row.run_quantity = now, ONE


def _clock(row: OrderOperation, hours: Work, *, is_attended: bool) -> tuple[Decimal, Decimal]:
    """Return how long setting up and a unit take in some hours; attended: a crew goes by the machine."""
    return Operation(
        number=row.number,
        name=row.name,
        work_center=row.work_center.code,
        setup_labour_hours=hours.get(InputKind.SETUP_LABOUR, ZERO),
        setup_machine_hours=hours.get(InputKind.SETUP_MACHINE, ZERO),
        run_labour_hours=hours.get(InputKind.RUN_LABOUR, ZERO),
        run_machine_hours=hours.get(InputKind.RUN_MACHINE, ZERO),
        crew=ONE if is_attended else None,
    ).clock_hours()


def _require_yield(share: Decimal | None) -> None:
    if share is not None and share > ONE:
        raise InvalidInput([f"yield_share: {share} is more than all of what enters"])
