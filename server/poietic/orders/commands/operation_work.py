"""What an operation did, put into the document of its report: units, by-products, times, backflush."""

from collections.abc import Mapping
from decimal import Decimal
from fractions import Fraction

from django.utils import timezone
from poietic_core.cost.clearing import split_amount
from poietic_core.cost.model import SETUP_KINDS, TIME_ELEMENT, Element, InputKind
from poietic_core.cost.rates import overtime_premium
from poietic_core.order.report import backflush
from poietic_core.quantity import (
    HOUR_STEP,
    UNIT_COST_STEP,
    ZERO,
    money,
    require_step,
    round_to,
)
from poietic_core.structure.model import IssueRule
from poietic_core.variance.reasons import worth_after

from ...catalog.queries import items_by_code, scrap_reasons, stock_place
from ...costing.basis import split_from_json
from ...engineering.rates import hourly_rates
from ...ledger.document import Document, Pieces
from ...ledger.models import SET_UP, Account, UnitLine
from ...people.models import Person
from ...web_api.errors import InvalidInput, NotFound
from ..models import OrderInput
from ..open_book import OpenBook
from .material import issue
from .planning_rework import planned_rework
from .report_given import PersonWorked, Report


def add_units(document: Document, given: Report, moved: list[int], book: OpenBook) -> None:
    """Add good and scrapped pieces; operations not reported by themselves pass all of them on."""
    item = book.order.item
    times = [given.hours(k) for k in TIME_ELEMENT]
    if not (given.decided() or given.rework or given.by_products or any(times)):
        raise InvalidInput(["good: nothing is reported: no pieces, no by-product, no time"])
    require_step("The good quantity", given.good, step=item.step, unit=item.unit)
    for s in given.scrap:
        require_step("The scrap quantity", s.quantity, step=item.step, unit=item.unit)
    reasons = scrap_reasons([s.reason for s in given.scrap])
    require_step("The quantity for rework", given.rework, step=item.step, unit=item.unit)
    for number in moved[:-1]:
        if passed_on := given.decided() + given.rework:
            document.units(number, passed_on, UnitLine.Kind.GOOD)
    set_aside = -given.decided() if given.of_rework else given.rework
    if set_aside:
        document.units(given.operation, set_aside, UnitLine.Kind.REWORK)
    if given.good:
        document.units(given.operation, given.good, UnitLine.Kind.GOOD)
    for s in given.scrap:
        document.units(given.operation, s.quantity, UnitLine.Kind.SCRAP, reasons[s.reason])
        if reasons[s.reason].is_written_off:
            _write_off(document, book, given.operation, s.quantity)


def _write_off(document: Document, book: OpenBook, operation: int, scrapped: Decimal) -> None:
    """Take abnormal scrap out of the order to expense, at the standard of a good unit."""
    for (_, at), each in worth_after(book.facts())[operation].items():
        line = book.inputs[at]
        amount = money(each * scrapped)
        document.charge(line.operation, -amount, split_from_json(line.split))
        document.journal(Account.SCRAP_EXPENSE, amount, operation=operation)


def add_by_products(document: Document, book: OpenBook, given: Report) -> None:
    """Put what left the operation beside the main item into stock, at its credit price."""
    items = items_by_code(b.item for b in given.by_products)
    for b in given.by_products:
        line = book.find_output(given.operation, items[b.item])
        worth = money(b.quantity * line.price)
        document.put(
            items[b.item],
            b.quantity,
            out_of=book.wip_place,
            into=stock_place(b.place) if b.place else book.order.receipt_place,
            worth=worth,
            part=line.kind,
            operation=given.operation,
            pieces=[Pieces(lot=b.lot, quantity=b.quantity)] if b.lot else (),
        )
        document.charge(given.operation, -worth, split_from_json(line.split))


def add_setups(
    document: Document, book: OpenBook, given: Report, moved: list[int], worked: Decimal
) -> dict[int, int]:
    """Note how often each operation was set up; left out, once, as soon as anything of it is reported.

    Returns
    -------
    dict of operation to times set up in this report
    """
    hours = any(given.hours(kind) for kind in SETUP_KINDS)
    found = {}
    for number in moved:
        is_reported = number == given.operation
        times = given.times_set_up if is_reported else None
        if times is None:
            begins = worked or (is_reported and hours)
            times = book.setups_due(number) if begins else 0
        found[number] = times
        if times or (is_reported and given.times_set_up is not None):
            document.time(number, SET_UP, Decimal(times), ZERO)
    return found


def add_times(
    document: Document, book: OpenBook, given: Report, times: dict[int, int], worked: Decimal
) -> None:
    """Charge times: as stated for the reported operation, else by the standard; at the day's rates."""
    grades = {o.number: o.labour_grade for o in book.operations if o.number in times}
    if given.of_rework and (plan := planned_rework(book, given.operation)):
        grades[given.operation] = plan.labour_grade
    rates = hourly_rates(
        timezone.localdate(document.happened_at),
        {i.work_center.pk for i in book.inputs if i.work_center and i.operation in times},
        {grade.pk for grade in grades.values() if grade},
    )
    for i in book.inputs:
        kind = InputKind(i.kind)
        if kind not in TIME_ELEMENT or i.operation not in times or i.work_center is None:
            continue
        if i.is_rework != given.of_rework or i.is_worked_elsewhere:
            continue
        hours = given.hours(kind) if i.operation == given.operation else None
        if hours is None and not given.of_rework:
            hours = _standard_hours(i, book, times[i.operation], worked)
        if hours:
            grade = grades.get(i.operation)
            rate = rates.hour(kind, i.work_center.code, grade.code if grade else "")
            amount = money(hours * rate.per_hour)
            people = given.worked(kind) if i.operation == given.operation else []
            if people:
                amount = _add_people(document, book, i, people, rate.per_hour, given)
            else:
                document.time(i.operation, kind.value, hours, amount, is_rework=i.is_rework)
            for element, part in split_amount(amount, rate.split).items():
                document.charge(i.operation, part, {element: part})
                document.journal(ABSORBED.get(element, Account.OVERHEAD_ABSORBED), -part)
    stated = [k for k in TIME_ELEMENT if given.hours(k)]
    present = {i.kind for i in book.inputs if i.operation == given.operation}
    for kind in stated:
        if kind.value not in present:
            raise InvalidInput(
                [f"{kind.value.replace(' ', '_')}_hours: operation {given.operation} has no {kind}"]
            )


def _add_people(
    document: Document,
    book: OpenBook,
    i: OrderInput,
    worked: list[PersonWorked],
    per_hour: Decimal,
    given: Report,
) -> Decimal:
    """Book each one's hours with the premium of overtime that the order bears; return what they come to."""
    grade = book.operation(i.operation).labour_grade
    keys = dict(Person.objects.filter(name__in=[w.person for w in worked]).values_list("name", "pk"))  # fmt: skip
    whole = ZERO
    for w in worked:
        if w.person not in keys:
            raise NotFound("person", w.person)
        hours, overtime = w.share(w.hours), w.share(w.overtime)
        premium = overtime_premium(overtime, per_hour, grade.overtime_premium if grade else ZERO)
        if overtime and not premium:
            words = f"{overtime.normalize():f} h of overtime without a premium: operation {i.operation} names no labour grade that has one"
            book.context.effects.remark(book.thing, words)
        amount = money(hours * per_hour)
        if given.overtime_to == "the order":
            amount += premium
        elif premium:
            document.journal(Account.OVERHEAD_EXPENSE, premium, operation=i.operation)
            document.journal(Account.LABOUR_ABSORBED, -premium)
        document.time(
            i.operation,
            i.kind,
            hours,
            amount,
            is_rework=i.is_rework,
            person=keys[w.person],
            overtime=overtime,
        )
        whole += amount
    return whole


#: where the work done goes out of; overhead layers have an account of their own
ABSORBED = {
    Element.SETUP_LABOUR: Account.LABOUR_ABSORBED,
    Element.RUN_LABOUR: Account.LABOUR_ABSORBED,
    Element.MACHINE: Account.MACHINE_ABSORBED,
}


def add_subcontract(
    document: Document, book: OpenBook, given: Report, moved: list[int], worked: Decimal
) -> None:
    """Charge what suppliers are paid for the pieces, by the payment basis."""
    for i in book.inputs:
        if i.kind != InputKind.SUBCONTRACT or i.operation not in moved:
            continue
        if not (worked or (i.is_per_good and given.good)):
            continue
        is_reported = i.operation == given.operation
        if i.is_per_order:
            pieces = i.allowed if not i.used else ZERO
        elif i.is_per_good and is_reported:
            pieces = given.good * i.allowed
        else:  # what went to him again for rework is paid once
            pieces = backflush(
                per_unit=Fraction(i.allowed_exactly),
                units_to_date=book.done(i) + worked,
                charged_so_far=i.used,
                step=UNIT_COST_STEP,
            )
        pieces = round_to(pieces, UNIT_COST_STEP)
        price = i.price if i.agreed_price is None else i.agreed_price
        amount = money(pieces * price)
        if pieces:
            document.time(i.operation, i.kind, pieces, amount, code=i.overhead)
            document.charge(i.operation, amount, {Element.SUBCONTRACT: amount})
            document.journal(Account.GOODS_RECEIVED, -amount)


def _standard_hours(i: OrderInput, book: OpenBook, times: int, worked: Decimal) -> Decimal:
    """Return the hours that the standard grants for what a report says."""
    if i.kind in SETUP_KINDS:
        return round_to(i.allowed * times, HOUR_STEP) if worked else ZERO
    return backflush(
        per_unit=Fraction(i.allowed_exactly),
        units_to_date=book.done(i) + (times if i.is_per_order else worked),
        charged_so_far=i.covered,
        step=HOUR_STEP,
    )


def add_backflush(
    document: Document,
    book: OpenBook,
    rule: IssueRule,
    *,
    times: Mapping[int, int] | None = None,
    worked: Decimal,
) -> None:
    """Charge the components of a rule for all that their operations did, a report of it included.

    Parameters
    ----------
    times : how often the reported operations were set up now; None: all operations, as they stand
    worked : units that these worked on now
    """
    for c in book.components(times):
        done = book.done(c)
        if times is not None:
            done += times[c.operation] if c.is_per_order else worked
        if c.issue_rule != rule or c.item is None or not done:
            continue
        due = backflush(
            per_unit=Fraction(c.allowed_exactly),
            units_to_date=done,
            charged_so_far=c.covered,
            step=c.item.step,
        )
        if due:
            issue(book, document, c, due)
