"""The run that carries late cost through everything it touched, and what it would do."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal

from django.db import connection
from django.utils import timezone
from poietic_core.cost.clearing import split_amount
from poietic_core.cost.model import Element, InputKind
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO
from poietic_core.settle.chain import Chain, Step, walk

from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.basis import split_from_json
from ...engineering.snapshot import load_snapshot
from ...ledger.document import Handover, Late
from ...ledger.models import Account, Correction, Holding, LateCost, Layer, Posting
from ...ledger.transaction import Transaction
from ...orders.actual_output import received_at_actual
from ...orders.models import Order
from ...orders.open_book import OpenBook
from ...statements.bulk import insert_rows
from ...statements.prepared import lock_keys
from ...web_api.errors import InvalidInput
from ...web_api.fields import Note, Strict
from ..histories import Gone, Histories
from ..models import ChainRow

#: items of which a movement was taken back that a run had corrected: the correction comes back too
CAME_BACK = """
SELECT DISTINCT l.item_id FROM ledger_correction c JOIN ledger_stockline l ON l.id = c.line_id
JOIN ledger_posting r ON r.reverses_id = l.posting_id
WHERE r.id > c.posting_id AND NOT EXISTS (
  SELECT 1 FROM ledger_correction d JOIN ledger_stockline m ON m.id = d.line_id
  WHERE m.posting_id = r.id AND m.item_id = l.item_id)
ORDER BY 1
"""
#: walks before it is given up that others keep adding to what is walked through
TRIES = 5


class CarryLateCost(Strict):
    """All late cost that waits is carried on."""

    reason: Note = ""


@dataclass
class Walked:
    """What waits, and where it goes."""

    waiting: list[LateCost]
    chain: Chain
    histories: Histories
    #: of late costs that no movement answers for any more: price variance
    adrift: dict[int, Decimal] = field(default_factory=dict)

    @property
    def has_news(self) -> bool:
        """Tell whether there is anything to carry on."""
        return bool(self.waiting or self.chain.steps)

    @property
    def items(self) -> set[int]:
        """Return the items whose stock it touches."""
        return {w.item_id for w in self.waiting} | set(self.histories.loaded)

    @property
    def orders(self) -> set[int]:
        """Return the orders that it touches."""
        cells = (s.cell for s in self.chain.steps)
        return {c.key for c in cells if isinstance(c, Gone) and c.to == "order"}


def look_ahead() -> Walked:
    """Return what waits and where it would go, without touching anything."""
    waiting = list(
        LateCost.objects.filter(carried_by=None)
        .select_related("item", "receipt", "posting")
        .order_by("pk")
    )
    histories = Histories(load_snapshot(timezone.localdate()))
    fresh: dict[int, Decimal] = {}
    adrift: dict[int, Decimal] = {}
    with connection.cursor() as cursor:
        cursor.execute(CAME_BACK)
        fresh.update({item: ZERO for (item,) in cursor.fetchall()})
    for w in waiting:
        histories.of(w.item_id)
        to = adrift if (w.item_id, w.receipt_id) in histories.adrift else fresh
        to[w.item_id] = to.get(w.item_id, ZERO) + w.amount - w.in_stock
    return Walked(waiting, walk(fresh, histories.of, histories.onward), histories, adrift)


@command(
    "carry-late-cost", "Carry late cost on", Role.COST_ACCOUNTANT, is_long=True, told=COST_READERS
)
def carry_late_cost(context: Context, given: CarryLateCost) -> None:
    """Carry what receipts turned out to cost to where their pieces went, to any depth; once."""
    context.guard("late cost")
    walked, books = _locked(context)
    if not walked.has_news:
        raise InvalidInput(["late cost: nothing waits to be carried on"])
    transaction = Transaction(context)
    transaction.concern(walked.items)
    run = _Run(transaction, walked, books, given.reason)
    run.open()
    transaction.post()
    run.keep()
    for book in books.values():
        book.finish()


def _locked(context: Context) -> tuple[Walked, dict[int, OpenBook]]:
    """Walk with everything locked that is walked through: orders first, then what stock guards."""
    orders: set[int] = set()
    items: set[int] = set()
    books: dict[int, OpenBook] = {}
    for _ in range(TRIES):
        walked = look_ahead()
        if walked.orders <= orders and walked.items <= items:
            return walked, books
        orders |= walked.orders
        items |= walked.items
        numbers = Order.objects.filter(pk__in=lock_keys(Order, "cost_object", sorted(orders)))
        for number in numbers.order_by("pk").values_list("number", flat=True):
            if number not in {b.order.number for b in books.values()}:
                book = OpenBook.lock(context, number)
                books[book.order.pk] = book
        lock_keys(Holding, "item", sorted(items))
    raise InvalidInput(["late cost: others keep posting to what it goes into; try again"])


@dataclass
class _Run:
    """What a run posts: a document for all items, one for each order, and one more for a closed one."""

    transaction: Transaction
    walked: Walked
    books: Mapping[int, OpenBook]
    reason: str

    def open(self) -> None:
        """Open what is posted; stock is touched only once it is locked."""
        chain, transaction = self.walked.chain, self.transaction
        first = self.first = transaction.open(Posting.Kind.LATE_COST, reason=self.reason)
        for (item, key), amount in sorted(chain.late.items()):
            receipt = self.walked.histories.received_by[item, key]
            made = self.walked.histories.item(item)
            first.lates.append(Late(item=made, receipt=receipt, amount=amount, in_stock=ZERO, is_kept=True, is_carried=True))  # fmt: skip
        charged: dict[int, dict[tuple[int, int], Decimal]] = {}
        for step in chain.steps:
            if isinstance(step.cell, Gone) and step.cell.to == "order":
                own = charged.setdefault(step.cell.key, {})
                at = (step.cell.operation, step.item)
                own[at] = own.get(at, ZERO) + step.amount
            elif isinstance(step.cell, Gone):
                first.journal(_account(step.cell), step.amount)
                first.journal(Account.LATE_COST, -step.amount)
        for amount in chain.rounding.values():
            first.journal(Account.ROUNDING_VARIANCE, amount)
            first.journal(Account.LATE_COST, -amount)
        for amount in self.walked.adrift.values():
            first.journal(Account.PURCHASE_PRICE_VARIANCE, amount)
            first.journal(Account.LATE_COST, -amount)
        first.follow(self.revalue)
        for order, cells in sorted(charged.items()):
            self._charge(self.books[order], {at: a for at, a in cells.items() if a})

    def _charge(self, book: OpenBook, cells: Mapping[tuple[int, int], Decimal]) -> None:
        """Charge an order what its components turned out to cost; of a closed one it goes on."""
        cost_object = book.order.cost_object
        own = self.transaction.open(
            Posting.Kind.LATE_COST, cost_object=cost_object, reason=self.reason
        )
        charged: dict[tuple[int, Element], Decimal] = {}
        for (operation, item), amount in cells.items():
            component = book.find_input(InputKind.COMPONENT, operation, self.walked.histories.item(item))  # fmt: skip
            own.journal(Account.LATE_COST, -amount, operation=operation)
            for element, part in split_amount(amount, split_from_json(component.split)).items():
                own.journal(Account.WIP, part, operation=operation, element=element.value)
                charged[operation, element] = charged.get((operation, element), ZERO) + part
            own.handovers.append(
                Handover(
                    operation=operation,
                    part=component.kind,
                    item=item,
                    quantity=ZERO,
                    amount=amount,
                )
            )
        book.take_in(own)
        if book.state is not OrderState.CLOSED:
            return
        closing = self.transaction.open(
            Posting.Kind.CLOSING, cost_object=cost_object, reason=self.reason
        )
        to = Account.LATE_COST if received_at_actual(book.order) else Account.PRICE_VARIANCE
        for (operation, element), part in charged.items():
            closing.journal(Account.WIP, -part, operation=operation, element=element.value)
            closing.journal(to, part)

    def revalue(self) -> None:
        """Have what is still in stock be worth what it turned out to cost."""
        stock = self.transaction.stock
        layers = {s.pool for s in self.walked.chain.steps if s.pool}
        known = Layer.objects.in_bulk([y for y in layers if y not in stock.layers.layers])
        stock.layers.layers.update(known)
        for step in self.walked.chain.steps:
            if step.pool is None:
                continue
            stock.gain(step.item, step.amount)
            if step.pool:
                stock.layers.appreciate(self.first, stock.layers.layers[step.pool], step.amount)
            self.first.journal(Account.STOCK, step.amount, item=step.item)
            self.first.journal(Account.LATE_COST, -step.amount)

    def keep(self) -> None:
        """Keep the corrections of movements, the chain, and that what waited is carried on."""
        posting, walked = self.first.key, self.walked
        insert_rows(
            Correction,
            ("posting", "line", "layer", "amount"),
            [
                (posting, line, layer or None, amount)
                for (item, key), amount in sorted(walked.chain.corrections.items())
                for line, layer in [walked.histories.lines[item, key]]
            ],
        )
        LateCost.objects.filter(pk__in=[w.pk for w in walked.waiting]).update(carried_by=posting)
        insert_rows(
            ChainRow,
            ("posting", "depth", "item", "kind", "late_cost", "cost_object", "operation", "line", "quantity", "before", "amount", "stays"),
            [(posting, *row) for row in chain_rows(walked)],
        )  # fmt: skip


#: as the database says them
NO_PIECES, NO_MONEY = Decimal("0.000000"), Decimal("0.00")
#: a row of the chain: depth, item, kind, late cost, order, operation, delivered line, quantity,
#: what it was worth, how much more it is, whether it goes no further
Row = tuple[int, int, str, int | None, int | None, int | None, int | None, Decimal, Decimal, Decimal, bool]  # fmt: skip


def chain_rows(walked: Walked) -> list[Row]:
    """Return a chain in the order in which it was walked, the late costs that begin it first."""
    rows: list[Row] = [
        (0, w.item_id, "late cost", w.pk, None, None, None, NO_PIECES, NO_MONEY, w.amount - w.in_stock, False)
        for w in walked.waiting
    ]  # fmt: skip
    depths: dict[int, int] = {}
    for step in walked.chain.steps:
        depth = depths.get(step.item, 1)
        rows.append(_row(step, depth))
        for made in step.onward:
            depths[made] = max(depths.get(made, 1), depth + 1)
    for kind, amounts in (
        (Account.ROUNDING_VARIANCE, walked.chain.rounding),
        (Account.PURCHASE_PRICE_VARIANCE, walked.adrift),
    ):
        rows += [(1, i, kind.value, None, None, None, None, NO_PIECES, NO_MONEY, a, True) for i, a in amounts.items()]  # fmt: skip
    return rows


def _row(step: Step, depth: int) -> Row:
    cell = step.cell
    stays = not step.onward
    worth = (step.quantity, step.before, step.amount, stays)
    if not isinstance(cell, Gone):
        return (depth, step.item, Account.STOCK.value, None, None, None, None, *worth)
    if cell.to == "order":
        return (depth, step.item, "order", None, cell.key, cell.operation, None, *worth)
    line = cell.key if cell.to == Account.COST_OF_GOODS_SOLD else None
    return (depth, step.item, _account(cell).value, None, None, None, line, *worth)


def _account(cell: Gone) -> Account:
    """Return the account of what left stock for no order; what only changed its lot left none."""
    return Account.STOCK_REVALUATION if cell.to == "regrouped" else Account(cell.to)
