"""Operations that people start, pause and finish: who works where, and for how long."""

from poietic_core.order.states import Act
from poietic_core.order.working import Clock, Working

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.fields import Note, OperationNumber
from ..models import OrderOperation
from ..open_book import OpenBook
from .life import OrderGiven


class AtOperation(OrderGiven):
    """An operation of an order."""

    operation: OperationNumber


class Pause(AtOperation):
    """An operation that is left for a while, and why."""

    reason: Note = ""


@command("start-operation", "Start an operation", Role.OPERATOR, Role.CONTROLLER)
def start_operation(context: Context, given: AtOperation) -> None:
    """Say that somebody works at an operation from now on; one that was finished goes on."""
    book, operation = _lock(context, given)
    _turn(book, operation, operation.clock().started(operation.number, context.now))


@command("pause-operation", "Pause an operation", Role.OPERATOR, Role.CONTROLLER)
def pause_operation(context: Context, given: Pause) -> None:
    """Stop an operation's clock for a while."""
    book, operation = _lock(context, given)
    operation.paused_words = given.reason
    _turn(book, operation, operation.clock().paused(operation.number, context.now))


@command("finish-operation", "Finish an operation", Role.OPERATOR, Role.CONTROLLER)
def finish_operation(context: Context, given: AtOperation) -> None:
    """Say that nothing more is worked in at an operation: what is left of its material counts as used beyond."""
    book, operation = _lock(context, given)
    _turn(book, operation, operation.clock().finished(operation.number, context.now))


def turn(operation: OrderOperation, clock: Clock) -> None:
    """Keep how an operation's clock stands."""
    operation.working = clock.working.value
    operation.working_since, operation.worked_hours = clock.since, clock.hours
    if clock.working is not Working.PAUSED:
        operation.paused_words = ""
    names = ["working", "working_since", "worked_hours", "paused_words", "worker"]
    operation.save(update_fields=names)


def _lock(context: Context, given: AtOperation) -> tuple[OpenBook, OrderOperation]:
    book = OpenBook.lock(context, given.order)
    book.require(Act.POST)
    return book, book.operation(given.operation)


def _turn(book: OpenBook, operation: OrderOperation, clock: Clock) -> None:
    context = book.context
    was = operation.working
    if clock.working is Working.RUNNING:
        operation.worker_id = context.person.pk if context.person else None
    field = f"operation {operation.number} is worked at"
    turn(operation, clock)
    context.effects.field(book.thing, field, was or "not yet", operation.working)
    book.finish()
