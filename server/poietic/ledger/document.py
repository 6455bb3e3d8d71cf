"""A posting in the making: what it moves and carries, gathered before anything is locked."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from typing import ClassVar

from poietic_core.cost.clearing import split_amount
from poietic_core.cost.model import Element
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO

from ..catalog.models import Item, Place, Reason
from .models import Account, CostObject, Posting, StockLine


@dataclass(eq=False)
class InTheFuture(DomainError):
    """A posting would have happened later than now."""

    happened_at: str
    code: ClassVar[str] = "posting.in_the_future"
    what: ClassVar[str] = "The posting is dated {happened_at}."
    why: ClassVar[str] = "What is posted has happened; that moment is still to come."
    fix: ClassVar[str] = "Date it now or earlier."


@dataclass(frozen=True, slots=True, kw_only=True)
class Pieces:
    """Which pieces a quantity is: of one lot, or one serial."""

    lot: str
    quantity: Decimal
    #: of a lot that comes in
    supplier_code: str = ""
    expires_on: date | None = None
    #: of a new lot; None: the day of the posting
    made_on: date | None = None


@dataclass(slots=True, kw_only=True)
class Move:
    """A quantity that is to move; lots not named are chosen or numbered once stock is locked."""

    item: Item
    quantity: Decimal
    out_of: Place
    into: Place
    part: str = ""
    operation: int | None = None
    pieces: Sequence[Pieces] = ()
    #: what it is worth by its own papers, asked when it is valued; None: what the stock says
    worth: Callable[[], Decimal] | None = None
    #: told what it was worth
    then: Callable[[Decimal], None] | None = None
    difference_to: Account = Account.STOCK_REVALUATION
    #: a lot that goes before all others, where nobody names any
    before: str = ""
    #: comes back from the document's cost object: into what it was taken from
    comes_back: bool = False
    #: the line that it takes back
    undoes: StockLine | None = None

    @property
    def is_within(self) -> bool:
        """Tell whether it stays our stock, and so is worth what it was."""
        return self.out_of.is_stock and self.into.is_stock


@dataclass(slots=True, kw_only=True)
class Line:
    """A move of one lot, or of pieces that are not told apart, valued."""

    move: Move
    item: Item
    lot: str
    quantity: Decimal
    value: Decimal = ZERO
    worth: Decimal = ZERO


@dataclass(slots=True, kw_only=True)
class Late:
    """Cost of what a posting received, known only after it; below zero where less is asked."""

    item: Item
    #: key of the posting that received it
    receipt: int
    amount: Decimal
    #: told what of it went to what is still in stock, and what is kept for where it has gone on to
    then: Callable[[Decimal, Decimal], None] = lambda still, gone: None
    #: what went to what is still in stock; and whether the item keeps late cost at all
    in_stock: Decimal = ZERO
    is_kept: bool = False
    #: a run carries it on in this posting: nothing is left to do
    is_carried: bool = False


@dataclass(frozen=True, slots=True)
class Time:
    """Hours of an operation, a supplier's pieces, the base of an overhead, or times set up."""

    operation: int
    kind: str
    quantity: Decimal
    amount: Decimal
    code: str = ""
    is_rework: bool = False
    #: key of who worked
    person: int | None = None
    overtime: Decimal = ZERO


@dataclass(frozen=True, slots=True, kw_only=True)
class Handover:
    """Material or output of an order that goes over to another, or (above zero) came from one."""

    operation: int
    part: str
    item: int
    quantity: Decimal
    amount: Decimal
    #: key of the lot that it was issued of
    lot: int | None = None


@dataclass(frozen=True, slots=True)
class Units:
    """Units that an operation finished, lost, or set aside for rework."""

    operation: int
    quantity: Decimal
    kind: str
    reason: Reason | None = None
    #: where they went
    place: Place | None = None


@dataclass(kw_only=True)
class Document:
    """A posting in the making."""

    kind: Posting.Kind
    happened_at: datetime
    #: the day it belongs to, where its period was closed
    belongs_on: date | None = None
    cost_object: CostObject | None = None
    operation: int | None = None
    reason: str = ""
    #: number of the paper that it came with
    paper: str = ""
    reverses: Posting | None = None
    #: key of the posting, once it is written
    key: int = 0
    moves: list[Move] = field(default_factory=list)
    lates: list[Late] = field(default_factory=list)
    lines: list[Line] = field(default_factory=list)
    times: list[Time] = field(default_factory=list)
    unit_lines: list[Units] = field(default_factory=list)
    handovers: list[Handover] = field(default_factory=list)
    #: amounts by account, operation, element and item; debit above zero
    money: dict[tuple[Account, int | None, str, int | None], Decimal] = field(default_factory=dict)
    _following: list[Callable[[], None]] = field(default_factory=list)

    def take(
        self,
        item: Item,
        quantity: Decimal,
        *,
        out_of: Place,
        into: Place,
        part: str = "",
        operation: int | None = None,
        pieces: Sequence[Pieces] = (),
        then: Callable[[Decimal], None] | None = None,
        before: str = "",
    ) -> None:
        """Move a quantity out of stock; stock is credited, and the other side told the value."""
        self.moves.append(
            Move(
                item=item,
                quantity=quantity,
                out_of=out_of,
                into=into,
                part=part,
                operation=operation,
                pieces=pieces,
                then=then,
                before=before,
            )
        )

    def put(
        self,
        item: Item,
        quantity: Decimal,
        *,
        out_of: Place,
        into: Place,
        worth: Decimal | Callable[[], Decimal],
        part: str = "",
        operation: int | None = None,
        pieces: Sequence[Pieces] = (),
        then: Callable[[Decimal], None] | None = None,
        difference_to: Account = Account.STOCK_REVALUATION,
        comes_back: bool = False,
    ) -> None:
        """Move a quantity into stock; stock is debited, and the other side told what it was worth.

        What the stock's own value differs from that goes to an account of its own.
        """
        self.moves.append(
            Move(
                item=item,
                quantity=quantity,
                out_of=out_of,
                into=into,
                part=part,
                operation=operation,
                pieces=pieces,
                worth=worth if callable(worth) else lambda: worth,
                then=then,
                difference_to=difference_to,
                comes_back=comes_back,
            )
        )

    def shift(
        self,
        item: Item,
        quantity: Decimal,
        *,
        out_of: Place,
        into: Place,
        pieces: Sequence[Pieces] = (),
    ) -> None:
        """Move a quantity from one place of our stock to another; it is worth what it was."""
        self.moves.append(
            Move(item=item, quantity=quantity, out_of=out_of, into=into, pieces=pieces)
        )

    def late(
        self,
        item: Item,
        receipt: int,
        amount: Decimal,
        then: Callable[[Decimal, Decimal], None] = lambda still, gone: None,
    ) -> None:
        """Have a receipt cost more, once stock is locked: what is still there of it is worth more."""
        self.lates.append(Late(item=item, receipt=receipt, amount=amount, then=then))

    def journal(
        self,
        account: Account,
        amount: Decimal,
        *,
        operation: int | None = None,
        element: str = "",
        item: int | None = None,
    ) -> None:
        """Carry money: debit above zero, credit below. WIP names its cell, stock its item."""
        key = (account, operation, element, item)
        self.money[key] = self.money.get(key, ZERO) + amount

    def charge(self, operation: int, amount: Decimal, split: dict[Element, Decimal]) -> None:
        """Debit the WIP of an operation, divided over the elements of the input."""
        for element, part in split_amount(amount, split).items():
            self.journal(Account.WIP, part, operation=operation, element=element.value)

    def time(
        self,
        operation: int,
        kind: str,
        quantity: Decimal,
        amount: Decimal,
        *,
        code: str = "",
        is_rework: bool = False,
        person: int | None = None,
        overtime: Decimal = ZERO,
    ) -> None:
        """Book hours of an operation, pieces that a supplier worked on, or the base of an overhead."""
        self.times.append(
            Time(operation, kind, quantity, amount, code, is_rework, person, overtime)
        )

    def units(
        self,
        operation: int,
        quantity: Decimal,
        kind: str,
        reason: Reason | None = None,
        place: Place | None = None,
    ) -> None:
        """Book units that an operation finished, lost, set aside for rework, or that went to it elsewhere."""
        self.unit_lines.append(Units(operation, quantity, kind, reason, place))

    def owner_of(self, account: Account) -> int | None:
        """Return the cost object that money on an account belongs to: WIP is somebody's."""
        return self.cost_object.pk if account is Account.WIP and self.cost_object else None

    def follow(self, step: Callable[[], None]) -> None:
        """Do something once all moves are valued, after what was asked for before."""
        self._following.append(step)

    def conclude(self) -> None:
        """Do what follows from the values."""
        for step in self._following:
            step()

    def written_off(self) -> dict[int, Decimal]:
        """Return what goes to scrap expense, by operation."""
        found: dict[int, Decimal] = {}
        for (account, operation, _, _), amount in self.money.items():
            if account == Account.SCRAP_EXPENSE and operation is not None:
                found[operation] = found.get(operation, ZERO) + amount
        return found


def mirror(document: Document, original: Posting) -> None:
    """Gather the opposite of all lines of a posting; stock comes and goes at the value it had then.

    Where the stock's value no longer admits that (another standard, another average), the
    difference goes to stock revaluation.
    """
    lines = original.stock_lines.select_related("item", "from_place", "to_place", "lot")
    for was in lines.order_by("-pk"):
        document.moves.append(
            Move(
                item=was.item,
                quantity=was.quantity,
                out_of=was.to_place,
                into=was.from_place,
                part=was.part,
                operation=was.operation,
                pieces=(Pieces(lot=was.lot.code, quantity=was.quantity),) if was.lot else (),
                undoes=was,
            )
        )
    for j in original.journal_lines.order_by("pk"):
        document.journal(
            Account(j.account), -j.amount, operation=j.operation, element=j.element, item=j.item_id
        )
    for t in original.time_lines.order_by("pk"):
        document.time(
            t.operation,
            t.kind,
            -t.quantity,
            -t.amount,
            code=t.code,
            is_rework=t.is_rework,
            person=t.person_id,
            overtime=-t.overtime,
        )
    for u in original.unit_lines.select_related("reason", "place").order_by("pk"):
        document.units(u.operation, -u.quantity, u.kind, u.reason, u.place)
