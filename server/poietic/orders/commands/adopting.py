"""A revision that came into force, adopted by an order that runs: for the operations not yet begun."""

from dataclasses import dataclass
from fractions import Fraction
from typing import ClassVar

from django.utils import timezone
from poietic_core.cost.model import CODED_KINDS, TIME_ELEMENT, InputKey, InputKind
from poietic_core.errors import DomainError
from poietic_core.structure.basis import Basis
from poietic_core.structure.flow import Network

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.queries import standards_in_force
from ...engineering.queries import inlined, revision_in_force
from ..blocks import ReleaseBlocked, blocks_of, items_of
from ..book import named_by
from ..models import OrderInput, OrderOperation
from .deviating import Deviation, ForThisOrder, OperationBegun
from .snapshot import inputs_of, operations_of

#: what an operation takes over from another revision
TAKEN_OVER = ("name", "work_center", "yield_share", "is_report_point", "after", "setup_hours", "run_hours", "run_quantity", "runs_whole_batches", "machines", "queue_hours", "wait_hours", "supplier", "days_out", "move_hours", "transfer_quantity", "each", "each_per", "steps", "labour_grade", "alternate_centers")  # fmt: skip


@dataclass(eq=False)
class NothingNewer(DomainError):
    """An order that is made by the revision in force already."""

    order: int
    revision: str
    code: ClassVar[str] = "order.nothing_newer"
    what: ClassVar[str] = "Order {order} has nothing to adopt."
    why: ClassVar[str] = "It is made by revision {revision}, which is the one in force."
    fix: ClassVar[str] = (
        "Approve the later revision first, with the day on which it comes into force."
    )


@command("adopt-revision", "Adopt a revision", Role.CONTROLLER, Role.ENGINEER)
def adopt_revision(context: Context, given: ForThisOrder) -> None:
    """Make what has not begun of an order by the revision in force now; its standard stays the frozen one."""
    deviation = Deviation(context, given)
    book, order = deviation.book, deviation.book.order
    day = timezone.localdate(context.now)
    revision = revision_in_force(order.item, day)
    was = order.revision.letter if order.revision else ""
    if revision is None or revision.pk == order.revision_id:
        raise NothingNewer(order.number, was)
    structure = inlined(revision, day, order.made_within).structure
    listed = items_of(order.item, structure)
    standards = standards_in_force(listed)
    if blocks := blocks_of(order.item, structure, {i.code: i for i in listed}, standards):
        raise ReleaseBlocked(str(order.number), blocks)
    begun = {o.number for o in book.operations if deviation.has_begun(o.number)}
    begun |= {i.operation for i in book.inputs if i.used}
    numbers = _take_operations(deviation, operations_of(order, structure), begun)
    wanted = inputs_of(order, structure, standards, day)
    for number in numbers:
        _take_inputs(deviation, [w for w in wanted if w.operation == number], number)
    context.effects.field(book.thing, "revision", was, revision.letter)
    if begun:
        kept = ", ".join(str(n) for n in sorted(begun))
        context.effects.remark(book.thing, f"made by {was} as before, because it began: {kept}")
    order.revision = revision
    deviation.finish(*numbers)


def _take_operations(
    deviation: Deviation, wanted: list[OrderOperation], begun: set[int]
) -> list[int]:
    """Put the operations of a revision in the place of those not begun; return their numbers."""
    book = deviation.book
    there = {o.number: o for o in book.operations}
    listed = {o.number: o for o in wanted}
    for number in sorted((there.keys() | listed.keys()) - begun):
        row, new = there.get(number), listed.get(number)
        if new is None and row is not None:
            deviation.say(f"operation {number}", row.name, "left out")
            row.delete()
            del there[number]
        elif row is None and new is not None:
            deviation.say(f"operation {number}", "", f"{new.name} at {new.work_center.code}")
            new.save(force_insert=True)
            there[number] = new
        elif row is not None and new is not None:
            deviation.say(f"operation {number}", f"{row.name} at {row.work_center.code}", f"{new.name} at {new.work_center.code}")  # fmt: skip
            for name in TAKEN_OVER:
                setattr(row, name, getattr(new, name))
            row.save(update_fields=TAKEN_OVER)
    book.operations = [there[n] for n in sorted(there)]
    network = Network(book.progress())
    for number in sorted(n for n in there if book.processed(n)):
        for before in sorted(network.through(number) - {number}):
            if not book.processed(before):
                raise OperationBegun(book.order.number, before, number)
    return sorted((listed.keys() | {i.operation for i in book.inputs}) - begun)


def _take_inputs(deviation: Deviation, wanted: list[OrderInput], number: int) -> None:
    """Allow an operation what a revision allows it, and nothing else."""
    book = deviation.book
    operation = next((o for o in book.operations if o.number == number), None)
    times = [w for w in wanted if InputKind(w.kind) in TIME_ELEMENT and w.allowed]
    there = {_key(i): i for i in book.inputs if i.operation == number and not i.stands_for}
    listed = {_key(w): w for w in wanted if InputKind(w.kind) not in TIME_ELEMENT}
    for key, row in there.items():
        if row.base or InputKind(row.kind) in TIME_ELEMENT or row.kind == InputKind.EXTRA:
            continue
        new = listed.pop(key, None)
        before = row.allowed
        if new is None or not new.allowed:
            deviation.drop(row)
        else:
            for name in ("supplier", "agreed_price", "issue_rule", "alternates", "mix"):
                setattr(row, name, getattr(new, name))
            deviation.allow(row, Fraction(new.allowed_exactly), Basis(new.basis))
        deviation.say(f"{number} {named_by(row).code} [{row.unit}]", before, row.allowed)
    for new in listed.values():
        if new.allowed and not new.base:
            deviation.say(f"{number} {named_by(new).code} [{new.unit}]", "", new.allowed)
            deviation.add(new)
    if operation:
        hours = {InputKind(t.kind): t.allowed for t in times}
        once = {InputKind(t.kind) for t in times if t.is_per_order}
        deviation.work_at(operation, hours, once)
    else:
        for row in deviation.times_of(number):
            deviation.drop(row)


def _key(i: OrderInput) -> InputKey:
    kind = InputKind(i.kind)
    return i.operation, kind, named_by(i).code if kind in CODED_KINDS else ""
