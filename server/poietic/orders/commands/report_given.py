"""What a report of an operation and a receipt of output say."""

from decimal import Decimal
from typing import Annotated, Literal

from poietic_core.cost.model import InputKind
from poietic_core.quantity import HOUR_STEP, ZERO, round_to
from pydantic import Field, model_validator

from ...ledger.document import Pieces
from ...web_api.fields import (
    Code,
    Day,
    Hours,
    Moment,
    Note,
    OperationNumber,
    OrderNumber,
    PostingNumber,
    Quantity,
    QuantityOrNone,
    Reference,
    Strict,
)

SETUP_LABOUR, RUN_LABOUR = InputKind.SETUP_LABOUR, InputKind.RUN_LABOUR


class ScrapGiven(Strict):
    """Scrapped pieces of one reason."""

    reason: Code
    quantity: Quantity


class ByProductGiven(Strict):
    """A by-product that went into stock; the place defaults to the order's receipt place."""

    item: Code
    quantity: Quantity
    place: Code | None = None
    lot: Reference | None = None


class PersonWorked(Strict):
    """Who worked at the operation, how long, and how much of it was overtime."""

    person: Reference
    hours: Hours
    overtime: Hours = ZERO
    is_setup: bool = False
    #: that he attended at the same time: this one is charged its share of his hours
    machines: Annotated[int, Field(ge=1, le=50)] = 1

    def share(self, hours: Decimal) -> Decimal:
        """Return what of his hours this operation bears [h]."""
        return round_to(hours / self.machines, HOUR_STEP)


class GradeReceived(Strict):
    """Pieces of one grade."""

    item: Code
    quantity: Quantity


class LotMade(Strict):
    """A lot or a serial that comes out; of what is graded, of which item."""

    lot: Reference
    quantity: Quantity
    item: Code | None = None
    expires_on: Day | None = None

    def pieces(self) -> Pieces:
        """Return it as the ledger takes it."""
        return Pieces(lot=self.lot, quantity=self.quantity, expires_on=self.expires_on)


LotsMade = Annotated[list[LotMade], Field(max_length=1000)]


class Report(Strict):
    """What an operation did; times left out are charged by the standard."""

    order: OrderNumber
    operation: OperationNumber
    good: QuantityOrNone = ZERO
    scrap: Annotated[list[ScrapGiven], Field(max_length=50)] = []
    #: pieces worked on and set aside, neither good nor lost yet
    rework: QuantityOrNone = ZERO
    #: what is reported was set aside before: it is not worked on anew, and its hours are rework
    of_rework: bool = False
    by_products: Annotated[list[ByProductGiven], Field(max_length=50)] = []
    #: how often the operation was set up since the last report; left out: once, with the first
    times_set_up: Annotated[int, Field(ge=0, le=99)] | None = None
    setup_labour_hours: Hours | None = None
    setup_machine_hours: Hours | None = None
    run_labour_hours: Hours | None = None
    run_machine_hours: Hours | None = None
    #: who worked, each his own hours; then the hours of people are not stated besides
    people: Annotated[list[PersonWorked], Field(max_length=50)] = []
    #: who bears the premium of overtime: the order where it caused it, else the work center's overhead
    overtime_to: Literal["the order", "the work center"] = "the order"
    #: pieces received into stock in the same act; "ready" are all that are good and not yet received
    receive: QuantityOrNone | Literal["ready"] = ZERO
    #: what they were sorted into, where the output is graded
    grades: Annotated[list[GradeReceived], Field(max_length=20)] = []
    #: what is received, where it is tracked; left out, numbered by the item's rule
    lots: LotsMade = []
    #: complete the order in the same act, or only when all of it is received then; leftovers go back
    complete: bool | Literal["when received"] = False
    #: of an order that lost pieces: release the material of as many more, or make fewer
    then: Literal["leave it", "replenish", "accept less"] = "leave it"
    happened_at: Moment | None = None
    reason: Note = ""

    @model_validator(mode="after")
    def _said_once(self) -> "Report":
        """Refuse hours of people that are said twice, or more overtime than hours."""
        for name, is_setup in (("setup_labour_hours", True), ("run_labour_hours", False)):
            if getattr(self, name) is not None and any(w.is_setup is is_setup for w in self.people):
                raise ValueError(f"{name}: who worked how long is said by person already")
        for w in self.people:
            if w.overtime > w.hours:
                raise ValueError(f"people: {w.person} can't have worked more overtime than hours")
        return self

    def decided(self) -> Decimal:
        """Return the pieces that are good or lost."""
        scrapped: Decimal = sum((s.quantity for s in self.scrap), ZERO)
        return Decimal(self.good) + scrapped

    def hours(self, kind: InputKind) -> Decimal | None:
        """Return the hours stated for a kind of time; None where the standard counts."""
        if worked := self.worked(kind):
            return sum((w.share(w.hours) for w in worked), ZERO)
        stated: Decimal | None = getattr(self, f"{kind.value.replace(' ', '_')}_hours")
        return stated

    def worked(self, kind: InputKind) -> list[PersonWorked]:
        """Return who worked the hours of a kind."""
        return [w for w in self.people if kind is (SETUP_LABOUR if w.is_setup else RUN_LABOUR)]


class CorrectReport(Strict):
    """The report to take back, and what is right instead."""

    posting: PostingNumber
    report: Report


class Receive(Strict):
    """Pieces that leave an order into stock."""

    order: OrderNumber
    quantity: Quantity
    #: what they were sorted into, where the output is graded
    grades: Annotated[list[GradeReceived], Field(max_length=20)] = []
    #: of tracked output; left out, numbered by the item's rule
    lots: LotsMade = []
    place: Code | None = None
    complete: bool = False
    happened_at: Moment | None = None
    reason: Note = ""
