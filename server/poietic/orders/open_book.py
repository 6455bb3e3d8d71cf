"""An order locked by a command: every change is noted, and saved once at the end."""

from collections.abc import Callable, Iterable
from copy import copy
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction
from functools import cached_property

from poietic_core.cost.model import (
    TIME_ELEMENT,
    InputKind,
)
from poietic_core.order.states import (
    RUNNING,
    STOPPED_BY_HOLD,
    Act,
    OnHold,
    OrderState,
    require_state,
)
from poietic_core.quantity import UNIT_COST_STEP, ZERO, decimal_of, round_to
from poietic_core.structure.basis import Basis

from ..catalog.models import Place
from ..catalog.queries import place_of_kind
from ..commanding.registry import Context
from ..ledger.document import Document, Handover, Move, Time
from ..ledger.models import SET_UP, Posting, Reservation, StockLine
from ..statements.bulk import update_rows
from ..statements.prepared import Prepared, lock_keys
from ..web_api.errors import NotFound
from .book import ORDER, STOOD, OrderBook
from .models import CauseRow, Order, OrderGrade, OrderInput, OrderOperation, Outcome, Standing
from .outcomes import FINISHED

#: told each order that a command has changed and is about to save, with what it posted to it
AT_FINISH: list[Callable[["OpenBook"], None]] = []
#: what is kept for an order, and where
KEPT = Prepared(
    lambda order: Reservation.objects.filter(cost_object=order).select_related(
        "item", "place__stands_at", "lot"
    )
)


@dataclass(kw_only=True)
class OpenBook(OrderBook):
    """An order locked by a command: every change is noted and saved at the end."""

    context: Context
    before: Decimal = ZERO
    #: something was posted to it, and not as a reversal
    is_posted_to: bool = False
    #: how it stood before
    stood: Standing | None = None
    #: what the command says to it, and nobody was told of yet
    documents: list[Document] = field(default_factory=list)
    _kept: list[Reservation] | None = None

    @classmethod
    def lock(cls, context: Context, number: int) -> "OpenBook":
        """Lock an order and load it, or refuse by number."""
        keys = lock_keys(Order, "number", [number])
        if not keys:
            raise NotFound("order", str(number))
        order = ORDER.of(keys[0])[0]
        context.note("order", order)
        plain = OrderBook.of(order)
        book = cls(plain.order, plain.operations, plain.inputs, plain.grades, context=context)
        stood = STOOD.of(order.pk)
        if stood and not stood[0].fault:
            book.stood, book.before = stood[0], stood[0].variance
        elif order.standard is not None:
            book.before = plain.variance().to_date()
        return book

    @cached_property
    def wip_place(self) -> Place:
        """Return the place that components go into and output comes out of."""
        return place_of_kind(Place.Kind.WIP)

    def kept_elsewhere(self, component: OrderInput) -> list[Reservation]:
        """Return what is kept of a component where it is not supplied from, on the floor first.

        Whoever takes of it lowers the quantities that are returned.
        """
        if not getattr(self.order, "keeps_elsewhere", True):  # said when it was locked
            return []
        at = (component.operation, component.item_id)
        here = self.order.supply_place_id
        return [r for r in self.all_kept() if (r.operation, r.item_id) == at and r.place_id != here]

    def all_kept(self) -> list[Reservation]:
        """Return all that is kept for the order, on the floor first."""
        if self._kept is None:
            found = KEPT.of(self.order.pk)
            self._kept = sorted(found, key=lambda r: (not r.place.is_on_the_floor, r.pk))
        return self._kept

    def require(self, act: Act) -> None:
        """Refuse an act that the order's state does not allow, or that its hold stops."""
        require_state(str(self.order.number), self.state, act)
        self.require_going(act)

    def require_going(self, act: Act) -> None:
        """Refuse an act that would move an order on that is on hold."""
        order = self.order
        if order.hold_reason is not None and act in STOPPED_BY_HOLD:
            why = f"{order.hold_reason.name}{f' ({order.hold_words})' if order.hold_words else ''}"
            since = f"{order.held_at:%d %b %Y %H:%M} UTC" if order.held_at else ""
            raise OnHold(str(order.number), act.value, why, since)

    def set_state(self, state: OrderState) -> None:
        """Move the order to another state."""
        self.context.effects.field(self.thing, "state", self.order.state, state.value)
        if self.state in FINISHED and state not in FINISHED:
            for kept in (Outcome, CauseRow):
                kept.objects.filter(order=self.order.pk).delete()
        self.order.state = state.value
        ends = state in (OrderState.CLOSED, OrderState.CANCELLED)
        closed_at = self.context.now if ends else None
        if (self.order.cost_object.closed_at is None) != (closed_at is None):
            self.order.cost_object.closed_at = closed_at
            self.order.cost_object.save(update_fields=["closed_at"])

    @property
    def thing(self) -> str:
        """Return the order's name in consequences."""
        return f"order {self.order.number}"

    def take_in(self, document: Document) -> None:
        """Take what a document says into the order: quantities now, amounts when they are valued."""
        self.documents.append(document)
        for unit in document.unit_lines:
            operation = self.operation(unit.operation)
            was = getattr(operation, unit.kind)
            setattr(operation, unit.kind, was + unit.quantity)
            self.context.effects.field(
                self.thing,
                f"operation {operation.number} {unit.kind}",
                was,
                was + unit.quantity,
            )
        self.take_times(document.times)
        for h in document.handovers:
            self._take_handover(h)
        for number, amount in document.written_off().items():
            self.operation(number).written_off += amount
        for move in document.moves:
            self._take_move(move)
        document.follow(lambda: self._take_worth(document))
        self.is_posted_to |= document.reverses is None

    def take_times(self, times: Iterable[Time]) -> None:
        """Take hours, a supplier's pieces and the bases of overheads into the order."""
        for time in times:
            if time.kind == SET_UP:
                operation = self.operation(time.operation)
                operation.times_set_up = (operation.times_set_up or ZERO) + time.quantity
            for i in self.inputs:
                if (i.operation, i.kind, i.overhead, i.is_rework) == (
                    time.operation,
                    time.kind,
                    time.code,
                    time.is_rework,
                ):
                    i.used += time.quantity
                    i.amount += time.amount

    def _take_handover(self, handed: Handover) -> None:
        for i in self.inputs:
            if (i.operation, i.kind, i.item_id) == (handed.operation, handed.part, handed.item):
                i.used += handed.quantity
                i.amount += handed.amount
                self._stand_in()
                return
        raise NotFound(f"{handed.part} at operation {handed.operation}", str(handed.item))

    def _take_move(self, move: Move) -> None:
        quantity = self._sign(move) * move.quantity
        if move.part != StockLine.Part.OUTPUT:
            moved = self._moved(move)
            moved.used += quantity
            if moved.stands_for:
                self._stand_in()
            return
        was = self.order.received
        self.order.received += quantity
        for g in self.grades:
            if g.item_id == move.item.pk:
                g.received += quantity
        self.context.effects.field(self.thing, "received", was, self.order.received)

    def _stand_in(self) -> None:
        """Note of each input how much of it is covered by what was used in its place."""
        covered: dict[int, Fraction] = {}
        for i in self.inputs:
            for f in i.stands_for:
                each = Fraction(f["times"]) / Fraction(f["per"])
                covered[f["input"]] = covered.get(f["input"], Fraction(0)) + Fraction(i.used) * each
        for i in self.inputs:
            stood_in = decimal_of(covered.get(i.pk, Fraction(0)))
            i.stood_in = round_to(stood_in, UNIT_COST_STEP)

    def ready_for_rework(self, operation: int) -> None:
        """Give an operation the inputs that rework is booked to, where it has none yet."""
        own = [i for i in self.inputs if i.operation == operation and not i.item_id]
        if any(i.is_rework for i in own):
            return
        for i in own:
            if (i.kind in TIME_ELEMENT and not i.is_worked_elsewhere) or i.base:
                nothing = {"allowed": ZERO, "standard": ZERO, "need": ZERO, "used": ZERO}
                twin = copy(i)
                twin.pk = None
                twin.is_rework = True
                twin.allowed_exactly, twin.amount, twin.stood_in = "0", ZERO, ZERO
                twin.basis = twin.standard_basis = Basis.ENTERING.value
                for name, value in nothing.items():
                    setattr(twin, name, value)
                self.add_input(twin)

    def add_input(self, row: OrderInput) -> OrderInput:
        """Add an input that the structure did not say: in the place of one, or for rework."""
        row.save(force_insert=True)
        self.inputs.append(row)
        return row

    def _take_worth(self, document: Document) -> None:
        for line in document.lines:
            worth = self._sign(line.move) * line.worth
            if line.move.part != StockLine.Part.OUTPUT:
                self._moved(line.move).amount += worth
                continue
            self.order.received_value += worth
            for g in self.grades:
                if g.item_id == line.item.pk:
                    g.received_value += worth

    def _sign(self, move: Move) -> int:
        """Return 1 for a component that goes in and output that comes out, -1 for the way back."""
        into_order = move.into.kind == Place.Kind.WIP
        return 1 if into_order == (move.part == StockLine.Part.COMPONENT) else -1

    def _moved(self, move: Move) -> OrderInput:
        return self.find_input(InputKind(move.part), move.operation or 0, move.item)

    def finish(self) -> None:
        """Save the order with its rows, note its state and its variance to date."""
        for told in AT_FINISH:
            told(self)
        self.documents.clear()
        if self.state in RUNNING:
            stands = self.is_posted_to or (
                Posting.objects.filter(
                    cost_object=self.order.pk, reverses=None, reversal=None
                ).exists()
            )
            self.set_state(OrderState.STARTED if stands else OrderState.RELEASED)
        self.order.change = self.context.change
        changing = ("state", "released_at", "revision_id", "standard_id", "received", "received_value", "is_in_parts", "quantity", "due", "change")  # fmt: skip
        update_rows(
            Order,
            ("cost_object", *(name.removesuffix("_id") for name in changing)),
            [(self.order.pk, *(getattr(self.order, name) for name in changing))],
        )
        update_rows(
            OrderOperation,
            ("id", "good", "scrap", "rework", "sent", "back_at", "written_off", "times_set_up"),
            [
                (o.pk, o.good, o.scrap, o.rework, o.sent, o.back_at, o.written_off, o.times_set_up)
                for o in self.operations
            ],
        )
        update_rows(
            OrderGrade,
            ("id", "received", "received_value"),
            [(g.pk, g.received, g.received_value) for g in self.grades],
        )
        self._keep_still()
        update_rows(
            OrderInput,
            ("id", "used", "amount", "stood_in", "still"),
            [(i.pk, i.used, i.amount, i.stood_in, i.still) for i in self.inputs],
        )
        if self.order.standard is not None:
            self.final = self.variance()
            after = self.final.to_date()
            self.context.effects.variance(order=self.order.number, before=self.before, after=after)
        self.context.things.append(self)

    def _keep_still(self) -> None:
        """Note what is still to be issued of each component, as long as the order runs."""
        runs = self.state in RUNNING
        for c in self.components():
            still = c.still_needed if runs and not c.stands_for else ZERO
            if still != c.still:
                c.still = still
                self.context.touched.add(c.item_id or 0)
