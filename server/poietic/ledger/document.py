"""The one posting mechanism: lines gathered, checked, balanced and written together."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from typing import Any, ClassVar

from poietic_core.cost.clearing import split_amount
from poietic_core.cost.model import Element
from poietic_core.errors import DomainError, OutOfRange
from poietic_core.quantity import ZERO, require_step
from poietic_core.stock.valuation import Method, NoStandard, NotEnoughStock, move

from ..catalog.models import Item, Place
from ..commanding.models import Entry
from ..commanding.registry import Context
from .models import (
    Account,
    Holding,
    JournalLine,
    Posting,
    StockBalance,
    StockLine,
    TimeLine,
    UnitLine,
    WipBalance,
)

#: what stock of one item is counted up to
MOST_IN_STOCK = Decimal(10) ** 12


@dataclass(eq=False)
class InTheFuture(DomainError):
    """A posting would have happened later than now."""

    happened_at: str
    code: ClassVar[str] = "posting.in_the_future"
    what: ClassVar[str] = "The posting is dated {happened_at}."
    why: ClassVar[str] = "What is posted has happened; that moment is still to come."
    fix: ClassVar[str] = "Date it now or earlier."


def open_holding(item: Item, **kwargs: Any) -> None:
    """Give a new item its holding of nothing."""
    Holding.objects.create(item=item, change=item.change)


@dataclass(eq=False)
class HasStock(DomainError):
    """The valuation of an item can't change while it has stock."""

    item: str
    quantity: Decimal
    unit: str
    code: ClassVar[str] = "item.has_stock"
    what: ClassVar[str] = "{item} can't be valued in another way."
    why: ClassVar[str] = "{quantity} {unit} of it are in stock at their value."
    fix: ClassVar[str] = "Change it when nothing of it is in stock."


def hold_still(item: Item, is_revalued: bool, **kwargs: Any) -> None:
    """Let nothing of an item move while it is changed; refuse another valuation if it has stock."""
    held = Holding.objects.filter(item=item).order_by("pk").select_for_update(no_key=True)
    for quantity in list(held.values_list("quantity", flat=True)):
        if quantity and is_revalued:
            raise HasStock(item.code, quantity, item.unit)


@dataclass
class Stock:
    """Holdings and balances of some items, locked for one command and kept up to date in it."""

    context: Context
    holdings: dict[int, Holding]
    balances: dict[tuple[int, int], StockBalance]

    @classmethod
    def lock(cls, context: Context, items: Iterable[Item]) -> "Stock":
        """Lock the holdings of items in one statement, in the order of their keys.

        A holding guards the balances of its item at all places, and how the item is valued:
        both are read only then, the items too (`item`).
        """
        wanted = {i.pk for i in items}
        rows = context.lock(
            Holding.objects.select_related("item").filter(pk__in=wanted), "stock of item"
        )
        balances = StockBalance.objects.filter(item_id__in=wanted).select_related("place")
        return cls(
            context,
            {h.pk: h for h in rows},
            {(b.item_id, b.place_id): b for b in balances},
        )

    def item(self, item: Item) -> Item:
        """Return an item as it is now that its holding is locked."""
        return self.holdings[item.pk].item

    def move(self, item: Item, place: Place, quantity: Decimal, worth: Decimal | None) -> Decimal:
        """Take a quantity in (positive) or out of a place, and return the value that moved."""
        holding = self.holdings[item.pk]
        core = holding.as_core()
        if core.method is Method.STANDARD and core.standard is None:
            raise NoStandard(item.code)
        balance = self.balances.setdefault(
            (item.pk, place.pk), StockBalance(item=item, place=place, quantity=ZERO)
        )
        before = balance.quantity
        if before + quantity < 0:
            raise self._not_enough(holding, place, -quantity, before)
        movement = move(core, quantity, worth=worth)
        if movement.after.quantity >= MOST_IN_STOCK:
            raise OutOfRange(
                f"Stock of {item.code}", movement.after.quantity, f"below {MOST_IN_STOCK:,}"
            )
        balance.quantity = before + quantity
        holding.quantity = movement.after.quantity
        holding.value = movement.after.value
        holding.change = self.context.change
        self.context.effects.stock(
            item=item.code,
            name=item.name,
            place=place.name,
            unit=item.unit,
            before=before,
            after=balance.quantity,
        )
        return movement.value

    def save(self) -> None:
        """Write what has moved."""
        change = self.context.change
        moved = [h for h in self.holdings.values() if h.change == change]
        Holding.objects.bulk_update(moved, ["quantity", "value", "standard", "change"])
        ids = {h.pk for h in moved}
        StockBalance.objects.bulk_create(
            [b for (item, _), b in self.balances.items() if item in ids],
            update_conflicts=True,
            unique_fields=["item", "place"],
            update_fields=["quantity"],
        )

    def _not_enough(
        self, holding: Holding, place: Place, wanted: Decimal, there: Decimal
    ) -> NotEnoughStock:
        item = holding.item
        elsewhere = [
            f"{b.quantity.normalize():f} {item.unit} at {b.place.name}"
            for (item_id, place_id), b in self.balances.items()
            if item_id == item.pk and place_id != place.pk and b.quantity
        ]
        entry = Entry.objects.select_related("person").filter(pk=holding.change).first()
        taken = f"It moved last at {entry.entered_at:%H:%M:%S} UTC: {entry.title.lower()} by {entry.person or 'the system'}" if entry else ""  # fmt: skip
        return NotEnoughStock(item.code, place.name, wanted, there, item.unit, elsewhere, taken)


@dataclass
class Document:
    """A posting in the making."""

    context: Context
    kind: Posting.Kind
    stock: Stock
    happened_at: datetime
    order: Any = None
    operation: int | None = None
    reason: str = ""
    reverses: Posting | None = None
    stock_lines: list[StockLine] = field(default_factory=list)
    _journal: dict[tuple[str, int | None, str, int | None], Decimal] = field(default_factory=dict)
    time_lines: list[TimeLine] = field(default_factory=list)
    unit_lines: list[UnitLine] = field(default_factory=list)

    def take(
        self,
        item: Item,
        quantity: Decimal,
        *,
        out_of: Place,
        into: Place,
        part: str = "",
        operation: int | None = None,
    ) -> Decimal:
        """Move a quantity out of stock, credit stock, and return the value for the other side."""
        line = StockLine(
            item=item,
            from_place=out_of,
            to_place=into,
            quantity=quantity,
            part=part,
            operation=operation,
        )
        value = line.worth = self._move(line, worth=None)
        self.journal(Account.STOCK, -value, item=item)
        return value

    def put(
        self,
        item: Item,
        quantity: Decimal,
        *,
        out_of: Place,
        into: Place,
        worth: Decimal,
        part: str = "",
        operation: int | None = None,
        difference_to: Account = Account.STOCK_REVALUATION,
    ) -> None:
        """Move a quantity into stock and debit stock; the other side is posted at `worth`.

        What the stock's own value differs from `worth` goes to an account of its own.
        """
        line = StockLine(
            item=item,
            from_place=out_of,
            to_place=into,
            quantity=quantity,
            part=part,
            operation=operation,
            worth=worth,
        )
        value = self._move(line, worth=worth)
        self.journal(Account.STOCK, value, item=item)
        self.journal(difference_to, worth - value)

    def mirror(self, original: Posting) -> None:
        """Take all lines of a posting back; stock comes and goes at the value it had then.

        Where the stock's value no longer admits that (another standard, another average),
        the difference goes to stock revaluation.
        """
        lines = original.stock_lines.select_related("item", "from_place", "to_place")
        for was in lines.order_by("-pk"):
            line = StockLine(
                item=was.item,
                from_place=was.to_place,
                to_place=was.from_place,
                quantity=was.quantity,
                part=was.part,
                operation=was.operation,
                worth=was.worth,
            )
            value = self._move(line, worth=was.value)
            drift = (value - was.value) * (1 if line.to_place.is_stock else -1)
            self.journal(Account.STOCK, drift, item=line.item)
            self.journal(Account.STOCK_REVALUATION, -drift)
        for j in original.journal_lines.select_related("item").order_by("pk"):
            self.journal(
                Account(j.account),
                -j.amount,
                operation=j.operation,
                element=j.element,
                item=j.item,
            )
        for t in original.time_lines.order_by("pk"):
            self.time(t.operation, t.kind, -t.quantity, -t.amount, code=t.code)
        for u in original.unit_lines.select_related("reason").order_by("pk"):
            self.units(u.operation, -u.quantity, is_good=u.is_good, reason=u.reason)

    def _move(self, line: StockLine, *, worth: Decimal | None) -> Decimal:
        """Add a stock line and return its value; one end is stock, the other is not."""
        item, quantity = self.stock.item(line.item), line.quantity
        line.item = item
        require_step(f"The quantity of {item.code}", quantity, step=item.step, unit=item.unit)
        if line.to_place.is_stock:
            line.value = self.stock.move(item, line.to_place, quantity, worth)
        else:
            line.value = -self.stock.move(item, line.from_place, -quantity, worth)
        self.stock_lines.append(line)
        return line.value

    def journal(
        self,
        account: Account,
        amount: Decimal,
        *,
        operation: int | None = None,
        element: str = "",
        item: Item | None = None,
    ) -> None:
        """Carry money: debit above zero, credit below. WIP names its cell, stock its item."""
        key = (account.value, operation, element, item.pk if item else None)
        self._journal[key] = self._journal.get(key, ZERO) + amount

    def charge(self, operation: int, amount: Decimal, split: dict[Element, Decimal]) -> None:
        """Debit the order's WIP at an operation, divided over the elements of the input."""
        for element, part in split_amount(amount, split).items():
            self.journal(Account.WIP, part, operation=operation, element=element.value)

    def time(
        self, operation: int, kind: str, quantity: Decimal, amount: Decimal, *, code: str = ""
    ) -> None:
        """Book hours of an operation, pieces that a supplier worked on, or the base of an overhead."""
        line = TimeLine(operation=operation, kind=kind, code=code, quantity=quantity, amount=amount)
        self.time_lines.append(line)

    def written_off(self) -> dict[int, Decimal]:
        """Return what goes to scrap expense, by operation."""
        found: dict[int, Decimal] = {}
        for (account, operation, _, _), amount in self._journal.items():
            if account == Account.SCRAP_EXPENSE and operation is not None:
                found[operation] = found.get(operation, ZERO) + amount
        return found

    def units(
        self, operation: int, quantity: Decimal, *, is_good: bool, reason: Any = None
    ) -> None:
        """Book units that an operation finished or lost."""
        self.unit_lines.append(
            UnitLine(operation=operation, quantity=quantity, is_good=is_good, reason=reason)
        )

    def save(self) -> Posting:
        """Write the posting and its lines, and the order's balances; stock is saved by its owner."""
        if self.happened_at > self.context.now:
            raise InTheFuture(f"{self.happened_at:%Y-%m-%d %H:%M} UTC")
        posting = Posting.objects.create(
            kind=self.kind,
            entry_id=self.context.change,
            person_id=self.context.person.pk if self.context.person else None,
            happened_at=self.happened_at,
            entered_at=self.context.now,
            reason=self.reason,
            order=self.order,
            operation=self.operation,
            reverses=self.reverses,
        )
        journal = [
            JournalLine(
                account=account, operation=operation, element=element, item_id=item, amount=amount
            )
            for (account, operation, element, item), amount in self._journal.items()
            if amount
        ]
        for model, lines in (
            (StockLine, self.stock_lines),
            (JournalLine, journal),
            (TimeLine, self.time_lines),
            (UnitLine, self.unit_lines),
        ):
            for line in lines:
                line.posting = posting  # type: ignore[attr-defined]
            model.objects.bulk_create(lines)  # type: ignore[attr-defined]
        for line in journal:
            self.context.effects.journal(line.account, line.amount)
        self._keep_wip(journal)
        self.context.postings.append(posting.pk)
        return posting

    def _keep_wip(self, journal: list[JournalLine]) -> None:
        wip = [line for line in journal if line.account == Account.WIP]
        if not wip:
            return
        kept = {(b.operation, b.element): b for b in WipBalance.objects.filter(order=self.order)}
        before = _by_element(kept.values())
        for line in wip:
            cell = (line.operation or 0, line.element)
            balance = kept.setdefault(
                cell,
                WipBalance(order=self.order, operation=cell[0], element=cell[1], amount=ZERO),
            )
            balance.amount += line.amount
            if self.kind is Posting.Kind.RECEIPT:
                balance.credited -= line.amount
        WipBalance.objects.bulk_create(
            kept.values(),
            update_conflicts=True,
            unique_fields=["order", "operation", "element"],
            update_fields=["amount", "credited"],
        )
        after = _by_element(kept.values())
        for element in (e.value for e in Element if e.value in after):
            self.context.effects.wip(
                order=self.order.number,
                element=element,
                before=before.get(element, ZERO),
                after=after[element],
            )


def _by_element(balances: Iterable[WipBalance]) -> dict[str, Decimal]:
    sums: dict[str, Decimal] = {}
    for b in balances:
        sums[b.element] = sums.get(b.element, ZERO) + b.amount
    return sums
