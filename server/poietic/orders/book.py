"""An order with its operations and inputs, loaded once."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Self

from django.db.models import Exists, OuterRef, Sum
from poietic_core.cost.clearing import receipt_credit
from poietic_core.cost.model import (
    OUTPUT_KINDS,
    CostedStructure,
    Element,
    InputKind,
)
from poietic_core.cost.unit import Cell, standard_cells
from poietic_core.order.report import Progress
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO, money
from poietic_core.stock.valuation import Method
from poietic_core.structure.basis import Basis
from poietic_core.variance.causes import Variance
from poietic_core.variance.facts import (
    MADE_ONCE,
    GradeFacts,
    InputFacts,
    OperationFacts,
    OrderFacts,
    StandIn,
)
from poietic_core.variance.order import variance_of

from ..catalog.models import Item, Partner
from ..costing.frozen import costed
from ..engineering.models import WorkCenter
from ..ledger.models import Reservation, UnitLine
from ..statements.prepared import Prepared
from ..web_api.errors import NotFound
from .models import Order, OrderGrade, OrderInput, OrderOperation, Standing

ORDER_PARTS = (
    "cost_object",
    "item",
    "standard__item",
    "revision__item",
    "supply_place",
    "receipt_place",
    "customer",
    "lot",
    "hold_reason",
)

#: whether something is kept for it where it is not supplied from: on the floor, or received there
KEEPS_ELSEWHERE = Exists(
    Reservation.objects.filter(cost_object=OuterRef("pk")).exclude(place=OuterRef("supply_place"))
)
ORDER = Prepared(
    lambda key: (
        Order.objects.select_related(*ORDER_PARTS)
        .annotate(keeps_elsewhere=KEEPS_ELSEWHERE)
        .filter(pk=key)
    )
)
BY_NUMBER = Prepared(
    lambda number: Order.objects.select_related(*ORDER_PARTS).filter(number=number)
)
OPERATIONS = Prepared(
    lambda key: OrderOperation.objects.filter(order=key).select_related(
        "work_center", "labour_grade", "worker", "supplier"
    )
)
INPUTS = Prepared(
    lambda key: OrderInput.objects.filter(order=key).select_related(
        "item", "work_center", "supplier"
    )
)
STOOD = Prepared(lambda key: Standing.objects.filter(order=key))
GRADES = Prepared(lambda key: OrderGrade.objects.filter(order=key).select_related("item"))


@dataclass
class OrderBook:
    """One order as commands and queries work with it."""

    order: Order
    operations: list[OrderOperation]
    inputs: list[OrderInput]
    grades: list[OrderGrade] = field(default_factory=list)
    #: its variance once all is posted, where somebody has worked it out
    final: Variance | None = None

    @classmethod
    def read(cls, number: int) -> Self:
        """Return an order for reading, or refuse by number."""
        if not (found := BY_NUMBER.of(number)):
            raise NotFound("order", str(number))
        return cls.of(found[0])

    @classmethod
    def of(cls, order: Order) -> Self:
        """Return an order with its rows."""
        is_graded = order.revision is not None and order.revision.grades
        return cls(
            order,
            OPERATIONS.of(order.pk),
            INPUTS.of(order.pk),
            GRADES.of(order.pk) if is_graded else [],
        )

    @classmethod
    def many(cls, orders: Iterable[Order]) -> list[Self]:
        """Return orders with their rows, in a constant number of statements."""
        books = {o.pk: cls(o, [], []) for o in orders}
        for grade in OrderGrade.objects.filter(order__in=books).select_related("item"):
            books[grade.order_id].grades.append(grade)
        operations = OrderOperation.objects.filter(order__in=books).select_related(
            "work_center", "supplier"
        )
        for operation in operations:
            books[operation.order_id].operations.append(operation)
        rows = OrderInput.objects.filter(order__in=books)
        for i in rows.select_related("item", "work_center", "supplier"):
            books[i.order_id].inputs.append(i)
        return list(books.values())

    @property
    def state(self) -> OrderState:
        """Return the state as the core knows it."""
        return OrderState(self.order.state)

    def costed(self) -> CostedStructure:
        """Return the costing structure frozen with the order."""
        assert self.order.standard is not None
        return costed(self.order.standard)

    def operation(self, number: int) -> OrderOperation:
        """Return an operation, or refuse by number."""
        for operation in self.operations:
            if operation.number == number:
                return operation
        raise NotFound("operation", f"{number} of order {self.order.number}")

    def components(self, operations: Iterable[int] | None = None) -> list[OrderInput]:
        """Return the component lines of some operations, or of all."""
        return [
            i
            for i in self.inputs
            if i.kind == InputKind.COMPONENT and (operations is None or i.operation in operations)
        ]

    def find_input(self, kind: InputKind, operation: int, item: Item) -> OrderInput:
        """Return a component, by-product or co-product line, or refuse by code."""
        for i in self.inputs:
            if i.kind == kind and i.operation == operation and i.item_id == item.pk:
                return i
        raise NotFound(f"{kind} at operation {operation} of order {self.order.number}", item.code)

    def find_output(self, operation: int, item: Item) -> OrderInput:
        """Return the line of what leaves an operation besides the main item, or refuse by code."""
        kinds = {i.kind for i in self.inputs if i.item_id == item.pk and i.kind in OUTPUT_KINDS}
        kind = InputKind.CO_PRODUCT if InputKind.CO_PRODUCT in kinds else InputKind.BY_PRODUCT
        return self.find_input(kind, operation, item)

    def progress(self) -> list[Progress]:
        """Return how far the operations have come."""
        return [
            Progress(
                number=o.number,
                good=o.good,
                scrap=o.scrap,
                is_report_point=o.is_report_point,
                yield_share=o.yield_share,
                after=o.comes_after,
                rework_pending=o.rework,
            )
            for o in self.operations
        ]

    def processed(self, operation: int) -> Decimal:
        """Return the units that an operation has worked on."""
        return next((o.processed for o in self.operations if o.number == operation), ZERO)

    def times_made(self, operation: int) -> Decimal:
        """Return how often what is fixed per order was made at an operation."""
        for o in self.operations:
            if o.number == operation:
                if o.times_set_up is not None:
                    return o.times_set_up
                setups = (
                    i for i in self.inputs if i.operation == operation and i.kind in MADE_ONCE
                )
                return Decimal(o.processed > 0 or any(i.used > 0 for i in setups))
        return ZERO

    def setups_due(self, operation: int) -> int:
        """Return how often an operation is set up with its next report, if nothing else is said.

        Once, where it was not yet; a share of another order's setup is none of its own.
        """
        made = self.times_made(operation)
        return int(not made or (made < 1 and not self.processed(operation)))

    def done(self, i: OrderInput) -> Decimal:
        """Return what was done of what an input is stated for: times made, good units, units worked on."""
        if i.is_per_order:
            return self.times_made(i.operation)
        if i.is_per_good:
            return next((o.good for o in self.operations if o.number == i.operation), ZERO)
        return self.processed(i.operation)

    def scrap_by_reason(self) -> dict[int, dict[str, Decimal]]:
        """Return scrapped pieces by operation and reason, the largest first."""
        reasons: dict[int, dict[str, Decimal]] = {}
        scrapped = UnitLine.objects.filter(
            posting__cost_object=self.order.pk, kind=UnitLine.Kind.SCRAP
        )
        by_reason = scrapped.values_list("operation", "reason__name").annotate(
            total=Sum("quantity")
        )
        for number, reason, quantity in by_reason.order_by("operation", "-total", "reason__name"):
            if quantity:
                reasons.setdefault(number, {})[reason] = quantity
        return reasons

    def facts(self, reasons: dict[int, dict[str, Decimal]] | None = None) -> OrderFacts:
        """Return the order as the variance calculation sees it, with scrap reasons if given."""
        basis = self.costed()
        places = {i.pk: at for at, i in enumerate(self.inputs)}
        return OrderFacts(
            operations=[
                OperationFacts(
                    number=o.number,
                    yield_share=o.yield_share,
                    after=o.comes_after,
                    good=o.good,
                    scrap=o.scrap,
                    rework_pending=o.rework,
                    is_finished=o.is_finished,
                    written_off=o.written_off,
                    times_set_up=o.times_set_up,
                    scrap_by_reason=(reasons or {}).get(o.number, {}),
                )
                for o in self.operations
            ],
            standard_operations=basis.operations,
            inputs=[
                InputFacts(
                    operation=i.operation,
                    kind=InputKind(i.kind),
                    code=named_by(i).code,
                    unit=i.unit,
                    price=i.price,
                    allowed=i.allowed,
                    standard=i.standard,
                    used=i.used,
                    amount=i.amount,
                    basis=Basis(i.basis),
                    standard_basis=Basis(i.standard_basis),
                    required=i.need if i.item_id and not i.stands_for else None,
                    is_rework=i.is_rework,
                    is_at_standard=i.kind == InputKind.COMPONENT
                    and i.item is not None
                    and i.item.valuation == Method.STANDARD,
                    mix=i.mix,
                    stands_for=tuple(
                        StandIn(
                            input=places[f["input"]],
                            times=Decimal(f["times"]),
                            per=Decimal(f["per"]),
                        )
                        for f in i.stands_for
                    ),
                    is_fixed_overhead=bool(i.base) and Element.FIXED_OVERHEAD in i.split,
                )
                for i in self.inputs
            ],
            grades=[
                GradeFacts(item=g.item.code, share=g.share, price=g.price, received=g.received)
                for g in self.grades
            ],
            ordered=self.order.quantity,
            received=self.order.received,
            standard_lot=basis.standard_lot,
            received_value=self.order.received_value,
            is_completed=self.state in (OrderState.COMPLETED, OrderState.CLOSED),
        )

    def variance(self) -> Variance:
        """Return what the order was charged and allowed so far, and why they differ."""
        return variance_of(self.facts())

    def worth_received(self, received: dict[str, Decimal]) -> dict[str, Decimal]:
        """Return the standard worth of all received once these quantities by item are, by item."""
        assert self.order.standard is not None
        if self.grades:
            return {
                g.item.code: money(g.price * (g.received + received.get(g.item.code, ZERO)))
                for g in self.grades
            }
        code = self.order.item.code
        return {
            code: money(
                self.order.standard.total * (self.order.received + received.get(code, ZERO))
            )
        }

    def credited(self) -> dict[str, Decimal]:
        """Return what was credited for what was received so far, by item.

        That is kept, not computed anew: receipts that were taken back may have left a cent.
        """
        if self.grades:
            return {g.item.code: g.received_value for g in self.grades}
        return {self.order.item.code: self.order.received_value}

    def receipt_credits(
        self, worth_to_date: Decimal, credited: dict[Cell, Decimal]
    ) -> dict[Cell, Decimal]:
        """Return what a receipt takes out of each WIP cell, after what receipts took before."""
        return receipt_credit(
            worth_to_date=worth_to_date,
            cells=standard_cells(self.costed()),
            credited=credited,
        )


@dataclass(frozen=True)
class Overhead:
    """An overhead by its code, or an extra cost by its element."""

    code: str

    @property
    def name(self) -> str:
        """Return what it is called: its code."""
        return self.code


def named_by(i: OrderInput) -> Item | WorkCenter | Partner | Overhead:
    """Return what an input is told apart by: its item, work center, supplier or overhead."""
    named = i.item or i.work_center or i.supplier or (Overhead(i.overhead) if i.overhead else None)
    assert named is not None
    return named
