"""An order made otherwise than its structure says: what every change for this order only shares."""

from collections.abc import Container, Mapping
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from typing import Annotated, ClassVar

from django.utils import timezone
from poietic_core.cost.model import SETUP_KINDS, TIME_ELEMENT, Base, CostInput, InputKind
from poietic_core.cost.overhead import base_quantities, overhead_inputs
from poietic_core.cost.rates import ShopRates
from poietic_core.errors import DomainError
from poietic_core.order.states import Act
from poietic_core.quantity import ZERO, decimal_of, money
from poietic_core.structure.basis import Basis
from poietic_core.variance.order import method_variance

from ...commanding.registry import Context
from ...costing.basis import split_from_json
from ...engineering.rates import shop_rates
from ...web_api.errors import InvalidInput
from ...web_api.fields import OrderNumber, Strict, Text
from ..book import named_by
from ..dates import Dating
from ..models import OrderInput, OrderOperation
from ..open_book import OpenBook
from ..own_inputs import beside_standard
from ..standing import words_of_day
from .rescaling import fit_needs

Why = Annotated[str, Text(400, 1, lines=True)]
#: what of an input says how it is allowed
ALLOWANCE = ("allowed", "allowed_exactly", "basis", "overhead", "work_center", "price", "split", "supplier", "agreed_price", "issue_rule", "alternates", "mix")  # fmt: skip


@dataclass(eq=False)
class OperationBegun(DomainError):
    """An operation that can't be changed any more, because something was done at it or after it."""

    order: int
    operation: int
    begun: int
    code: ClassVar[str] = "order.operation_begun"
    what: ClassVar[str] = "Operation {operation} of order {order} stays as it is."
    why: ClassVar[str] = "Pieces or hours are reported of operation {begun}."
    fix: ClassVar[str] = "Take these reports back first, or leave it for the next order."


class ForThisOrder(Strict):
    """An order that is made otherwise than its structure says, and why."""

    order: OrderNumber
    reason: Why


class Deviation:
    """A locked order while its own structure is changed; the standard's stays what it was."""

    def __init__(self, context: Context, given: ForThisOrder) -> None:
        self.context = context
        self.book = OpenBook.lock(context, given.order)
        self.book.require(Act.DEVIATE)
        self._method = self._method_variance()
        self._finishes = self._finish_day()
        self._changed: dict[int, OrderInput] = {}

    def say(self, field: str, before: object, after: object) -> None:
        """Note what is different of the order."""
        self.context.effects.field(self.book.thing, field, before, after)

    def add(self, row: OrderInput) -> OrderInput:
        """Add an input that the standard does not have."""
        return self.book.add_input(row)

    def allow(self, row: OrderInput, quantity: Fraction, basis: Basis | None = None) -> None:
        """Have an input allowed in another quantity, and for what."""
        row.allowed, row.allowed_exactly = decimal_of(quantity), str(quantity)
        if basis:
            row.basis = basis.value
        self.touch(row)

    def touch(self, row: OrderInput) -> None:
        """Have what is allowed of an input saved at the end."""
        self._changed[row.pk] = row

    def drop(self, row: OrderInput) -> None:
        """Take an input out that only this order has, or else allow nothing of it."""
        if row.standard or row.used or row.item_id:
            self.allow(row, Fraction(0))
            return
        self._changed.pop(row.pk, None)
        self.book.inputs.remove(row)
        row.delete()

    def require_not_begun(self, number: int) -> OrderOperation:
        """Return an operation that nothing was done at; raises OperationBegun."""
        operation = self.book.operation(number)
        if self.has_begun(number):
            raise OperationBegun(self.book.order.number, number, number)
        return operation

    def has_begun(self, number: int) -> bool:
        """Tell whether pieces or hours were reported of an operation."""
        hours = (i.used for i in self.book.inputs if i.operation == number and not i.item_id)
        return bool(self.book.processed(number)) or any(hours)

    @cached_property
    def rates(self) -> ShopRates:
        """Return the rates that the order's inputs were priced at."""
        released = self.book.order.released_at or self.context.now
        return shop_rates(timezone.localdate(released))

    def work_at(
        self,
        row: OrderOperation,
        hours: Mapping[InputKind, Decimal],
        once: Container[InputKind] = (),
    ) -> None:
        """Have an operation take hours of its work center; those of the standard elsewhere are kept beside.

        Parameters
        ----------
        hours : by kind, for a unit worked on; of setting up, for the order [h]
        once : kinds besides setting up that are stated for the order
        """
        stated = {
            InputKind(i.kind) for i in self.times_of(row.number) if i.is_per_order and i.allowed
        }
        for kind in TIME_ELEMENT:
            rows = [r for r in self.times_of(row.number) if r.kind == kind]
            quantity = hours.get(kind, ZERO)
            own = next((r for r in rows if r.work_center_id == row.work_center_id), None)
            for other in rows:
                self.drop(other)
                if other is not own and other.work_center:  # so it is told from what is worked
                    other.overhead = other.work_center.code
            if not quantity:
                continue
            if own is None or own.pk is None:
                own = self.add(self._hours_beside(row, kind))
            own.overhead = ""
            is_once = kind in SETUP_KINDS or kind in once or kind in stated
            self.allow(own, Fraction(quantity), Basis.ORDER if is_once else Basis.ENTERING)

    def _hours_beside(self, row: OrderOperation, kind: InputKind) -> OrderInput:
        """Return hours of a work center that the standard does not have, at the rates of the release."""
        center, grade = row.work_center, row.labour_grade.code if row.labour_grade else ""
        try:
            rate = self.rates.hour(kind, center.code, grade)
        except KeyError as err:
            raise InvalidInput([f"work_center: {center.code} has no rate for {kind} yet"]) from err
        return beside_standard(
            self.book,
            row.number,
            kind,
            unit="h",
            price=rate.per_hour,
            split=rate.split,
            work_center=center,
        )

    def times_of(self, number: int) -> list[OrderInput]:
        """Return the inputs of hours of an operation, without those of rework."""
        kinds = {k.value for k in TIME_ELEMENT}
        rows = (i for i in self.book.inputs if i.operation == number and i.kind in kinds)
        return [i for i in rows if not i.is_rework]

    def finish(self, *touched: int) -> None:
        """Have overheads, needs, dates and what is kept follow, and say what it costs.

        Parameters
        ----------
        touched : operations whose inputs are others now
        """
        for number in touched:
            self._follow_bases(number)
        for row in self._changed.values():
            row.save(update_fields=ALLOWANCE)
        fit_needs(self.book)
        before, after = self._method, self._method_variance()
        self.say("method variance when all is received [EUR]", before, after)
        self.say("finishes", self._finishes, self._finish_day())
        self.book.finish()

    def _follow_bases(self, number: int) -> None:
        """Have the overhead of an operation follow its hours and its bought material."""
        center = next((o.work_center.code for o in self.book.operations if o.number == number), "")
        rows = [i for i in self.book.inputs if i.operation == number and not i.is_rework]
        own = [_as_costed(i) for i in rows if i.allowed and not i.base]
        bases = base_quantities(number, own)
        elsewhere = {r.code for r in self.rates.overheads if r.work_center not in ("", center)}
        known = {(i.kind, i.overhead): i for i in rows if i.base}
        for row in known.values():
            quantity = bases.get((Base(row.base), row.basis == Basis.ORDER), ZERO)
            self.allow(row, Fraction(ZERO if row.overhead in elsewhere else quantity))
        for charged in overhead_inputs(number, center, own, self.rates.overheads):
            if (charged.kind.value, charged.code) not in known:
                assert charged.base is not None
                self.add(
                    beside_standard(
                        self.book,
                        number,
                        charged.kind,
                        unit=charged.unit,
                        price=charged.price,
                        split=charged.split,
                        code=charged.code,
                        base=charged.base.value,
                        basis=charged.basis(),
                        allowed=Fraction(charged.quantity),
                    )
                )

    def _finish_day(self) -> str:
        """Return when it finishes by what is left of it, in words; "" where that is not known."""
        dates = Dating([self.book], self.context.now).of(self.book)
        return words_of_day(dates.finishes) if dates else ""

    def _method_variance(self) -> Decimal:
        return money(method_variance(self.book.facts(), self.book.order.quantity))


def _as_costed(i: OrderInput) -> CostInput:
    """Return an input as the core costs it, at what the order allows."""
    basis = Basis(i.basis)
    return CostInput(
        operation=i.operation,
        kind=InputKind(i.kind),
        code=named_by(i).code,
        quantity=i.allowed,
        unit=i.unit,
        price=i.price,
        split=split_from_json(i.split),
        is_per_order=basis is Basis.ORDER,
        is_per_good=basis is Basis.GOOD,
        is_made=bool(i.item and i.item.is_made),
    )
