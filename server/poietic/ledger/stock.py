"""Stock of some items, locked for one command: what moves, out of where, and at what value."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from django.db.models import Q
from poietic_core.errors import OutOfRange
from poietic_core.quantity import ZERO, allocate, money, require_step
from poietic_core.stock.lots import Tracking
from poietic_core.stock.valuation import Method, NoStandard, NotEnoughStock, move

from ..catalog.models import Item, Place
from ..catalog.queries import any_of
from ..commanding.models import Entry
from ..commanding.registry import Context
from ..statements.bulk import update_rows, upsert_rows
from ..statements.prepared import Prepared, lock_keys
from .document import Document, Line, Move
from .layers import LayerBook
from .lots import LotBook
from .models import Account, Holding, Lot, StockBalance

#: what stock of one item is counted up to
MOST_IN_STOCK = Decimal(10) ** 12
#: item, place and lot ("" for none)
Key = tuple[int, int, str]

HOLDINGS = Prepared(
    lambda keys: Holding.objects.select_related("item").filter(pk__in=any_of(keys)).order_by("pk")
)
BALANCES = Prepared(
    lambda items: (
        StockBalance.objects.filter(
            Q(quantity__gt=0) | Q(reserved__gt=0), item_id__in=any_of(items)
        )
        .select_related("place", "lot")
        .order_by("pk")
    )
)


@dataclass
class Stock:
    """Holdings and balances of some items, locked for one command and kept up to date in it."""

    context: Context
    holdings: dict[int, Holding]
    balances: dict[Key, StockBalance]
    lots: LotBook
    layers: LayerBook
    #: where each lot was put last: of a serial, where it lies
    _lies_at: dict[tuple[int, str], StockBalance] = field(default_factory=dict)
    _moved: set[Key] = field(default_factory=set)
    #: what went from one of our places to another: item, from, to, how much
    relocated: list[tuple[int, Place, Place, Decimal]] = field(default_factory=list)

    @classmethod
    def lock(
        cls, context: Context, items: Iterable[int], documents: Sequence[Document] = ()
    ) -> "Stock":
        """Lock the holdings of items in one statement, in the order of their keys, then read.

        A holding guards the balances of its item at all places, its lots and layers, and how the
        item is valued: all are read only then, the items too (`item`).
        """
        wanted = sorted(set(items))
        if not wanted:
            return cls(context, {}, {}, LotBook(), LayerBook())
        rows = HOLDINGS.of_any(lock_keys(Holding, "item", wanted))
        context.locked.update(wanted)
        for row in rows:
            context.note("stock of item", row)
        balances = BALANCES.of_any(wanted)
        tracked = [h.pk for h in rows if h.item.tracking != Tracking.NONE]
        layered = [h.pk for h in rows if h.item.method.has_layers]
        return cls(
            context,
            {h.pk: h for h in rows},
            {(b.item_id, b.place_id, b.lot.code if b.lot else ""): b for b in balances},
            LotBook.read(tracked, balances, documents),
            LayerBook.read(layered, documents),
            {(b.item_id, b.lot.code): b for b in balances if b.lot and b.quantity},
        )

    def item(self, item: Item) -> Item:
        """Return an item as it is now that its holding is locked."""
        return self.holdings[item.pk].item

    def at(self, item: Item, place: Place) -> list[StockBalance]:
        """Return what is at a place of an item, by lot."""
        return [b for (i, p, _), b in self.balances.items() if (i, p) == (item.pk, place.pk)]

    def lot_of(self, key: Key) -> Lot | None:
        """Return which lot a balance is of."""
        item, _, code = key
        return self.lots.lots.get((item, code)) if code else None

    # --- moving

    def carry_out(self, document: Document, move: Move) -> None:
        """Move a quantity: settle which pieces, value each line, and tell what it was worth."""
        item = move.item = self.item(move.item)
        require_step(f"The quantity of {item.code}", move.quantity, step=item.step, unit=item.unit)
        place = move.out_of if move.out_of.is_stock else move.into
        pieces = self.lots.pieces(document, move, self.at(item, place))
        shares: list[Decimal | None] = [None] * len(pieces)
        if move.worth:
            shares = [*allocate(move.worth(), [p.quantity for p in pieces])]
        lines = []
        for piece, share in zip(pieces, shares, strict=True):
            line = Line(move=move, item=item, lot=piece.lot, quantity=piece.quantity)
            if move.is_within:
                self._relocate(line)
            elif move.into.is_stock:
                self.lots.arrive(document, line, piece, self._lies_at.get((item.pk, line.lot)))
                self._bring_in(document, line, share)
            else:
                self.lots.leave(document, line)
                self._take_out(document, line)
            lines.append(line)
        document.lines += lines
        if not move.is_within:
            _carry_money(document, move, lines)
        if move.then:
            move.then(sum((line.worth for line in lines), ZERO))

    def _bring_in(self, document: Document, line: Line, share: Decimal | None) -> None:
        """Put a line into stock at its worth; what comes back to layers, at what it left them with."""
        was = line.move.undoes
        if self.holdings[line.item.pk].item.method.has_layers:
            line.value = self.layers.bring_in(document, line, share)
            line.worth = line.value if line.move.comes_back or share is None else share
            self._shift(line, line.move.into, line.quantity, line.value)
        else:
            worth = was.value if was else share
            line.value = self._shift(line, line.move.into, line.quantity, worth)
            line.worth = line.value if share is None else share
        if was:
            line.worth = was.worth

    def _take_out(self, document: Document, line: Line) -> None:
        """Take a line out of stock at the stock's value."""
        was = line.move.undoes
        self._require_there(line)
        if self.holdings[line.item.pk].item.method.has_layers:
            line.value = self.layers.take_out(document, line)
            self._shift(line, line.move.out_of, -line.quantity, line.value)
        else:
            line.value = -self._shift(
                line, line.move.out_of, -line.quantity, was.value if was else None
            )
        line.worth = was.worth if was else line.value

    def _relocate(self, line: Line) -> None:
        """Move a line from one of our places to another: no value comes or goes."""
        self._require_there(line)
        out_of, into = line.move.out_of, line.move.into
        self._count(line, out_of, -line.quantity)
        self._count(line, into, line.quantity)
        self.holdings[line.item.pk].change = self.context.change
        if not line.move.undoes:
            self.relocated.append((line.item.pk, out_of, into, line.quantity))

    def _shift(self, line: Line, place: Place, quantity: Decimal, worth: Decimal | None) -> Decimal:
        """Change holding and balance by a quantity, and return the value that moved."""
        item = line.item
        holding = self.holdings[item.pk]
        core = holding.as_core()
        if core.method is Method.STANDARD and core.standard is None:
            raise NoStandard(item.code)
        movement = move(core, quantity, worth=worth)
        if movement.after.quantity >= MOST_IN_STOCK:
            raise OutOfRange(
                f"Stock of {item.code}", movement.after.quantity, f"below {MOST_IN_STOCK:,}"
            )
        self._count(line, place, quantity)
        holding.quantity = movement.after.quantity
        holding.value = movement.after.value
        holding.change = self.context.change
        return movement.value

    def _count(self, line: Line, place: Place, quantity: Decimal) -> None:
        """Change a balance by a quantity."""
        item = line.item
        key = (item.pk, place.pk, line.lot)
        balance = self.balances.get(key)
        if balance is None:
            balance = self.balances[key] = StockBalance(item=item, place=place, quantity=ZERO)
        before = balance.quantity
        balance.quantity = before + quantity
        self._moved.add(key)
        if quantity > 0:
            self._lies_at[item.pk, line.lot] = balance
        self.context.effects.stock(
            item=item.code,
            name=item.name,
            place=place.name,
            lot=line.lot,
            unit=item.unit,
            before=before,
            after=balance.quantity,
        )

    def _require_there(self, line: Line) -> None:
        """Refuse to take more than there is, with who took from it last and where else it lies."""
        item, place = line.item, line.move.out_of
        balance = self.balances.get((item.pk, place.pk, line.lot))
        there = balance.quantity if balance else ZERO
        if line.quantity <= there:
            return
        elsewhere = [
            f"{b.quantity.normalize():f} {item.unit} at {b.place.name}"
            for (item_id, place_id, _), b in self.balances.items()
            if item_id == item.pk and place_id != place.pk and b.quantity
        ]
        change = self.holdings[item.pk].change
        entry = Entry.objects.select_related("person").filter(pk=change).first()
        taken = f"It moved last at {entry.entered_at:%H:%M:%S} UTC: {entry.title.lower()} by {entry.person or 'the system'}" if entry else ""  # fmt: skip
        named = f"{item.code} {line.lot}" if line.lot else item.code
        raise NotEnoughStock(named, place.name, line.quantity, there, item.unit, elsewhere, taken)

    def worth_of(self, item: Item, quantity: Decimal) -> Decimal:
        """Return what a quantity that turned up is worth: at the standard or the average.

        Where nothing is in stock to tell, it is the price that the item is bought at.
        """
        holding = self.holdings[item.pk]
        if holding.standard is not None:
            return money(holding.standard * quantity)
        if holding.quantity:
            return money(holding.value * quantity / holding.quantity)
        return money((holding.item.price or ZERO) * quantity)

    def revalue(self, document: Document, item: int, standard: Decimal) -> Decimal:
        """Put the stock of an item at another standard and return what it gained."""
        holding = self.holdings[item]
        holding.standard = standard
        holding.change = self.context.change
        was = holding.value
        holding.value = holding.as_core().at_standard()
        gain = holding.value - was
        if gain:
            self.context.effects.field(f"stock of {holding.item.code}", "value", was, holding.value)
            document.journal(Account.STOCK, gain, item=item)
            document.journal(Account.STOCK_REVALUATION, -gain)
        return gain

    def gain(self, item: int, amount: Decimal) -> None:
        """Have the stock of an item be worth more, or less."""
        holding = self.holdings[item]
        was = holding.value
        holding.value += amount
        holding.change = self.context.change
        self.context.effects.field(f"stock of {holding.item.code}", "value", was, holding.value)

    def value_by(
        self, document: Document, item: Item, method: Method, standard: Decimal | None
    ) -> None:
        """Value an item by another method from now on; what that makes it worth more is revaluation.

        Only coming to a standard changes the value. Layers are made of the pool, of lot actual
        one for each lot; the pool is made of layers.
        """
        holding = self.holdings[item.pk]
        if holding.item.method.has_layers:
            self.layers.dissolve(document, item)
        if method is Method.STANDARD:
            if standard is None:
                raise NoStandard(item.code)
            self.revalue(document, item.pk, standard)
        holding.standard = standard
        holding.change = self.context.change
        if method.has_layers and holding.quantity:
            by_lot: dict[str, Decimal] = {}
            for (of, _, lot), b in self.balances.items():
                if of == item.pk and b.quantity:
                    key = lot if method is Method.LOT_ACTUAL else ""
                    by_lot[key] = by_lot.get(key, ZERO) + b.quantity
            self.layers.divide(document, item, holding.value, by_lot)

    def touch(self, key: Key) -> StockBalance:
        """Return a balance that is about to be changed."""
        self._moved.add(key)
        item, place, _ = key
        found = self.balances.get(key)
        if found is None:
            found = self.balances[key] = StockBalance(item_id=item, place_id=place, quantity=ZERO)
        return found

    # --- saving

    def save(self) -> None:
        """Write what has changed, in a statement for each kind of row; lots come before."""
        change = self.context.change
        self.context.touched.update(item for item, _, _ in self._moved)
        update_rows(
            Holding,
            ("item", "quantity", "value", "standard", "change"),
            [
                (h.pk, h.quantity, h.value, h.standard, change)
                for h in self.holdings.values()
                if h.change == change
            ],
        )
        rows = []
        for key in sorted(self._moved):
            item, place, lot = key
            b = self.balances[key]
            rows.append((item, place, self.lots.key_of(item, lot), b.quantity, b.reserved))
        upsert_rows(StockBalance, ("item", "place", "lot"), ("quantity", "reserved"), rows)


def _carry_money(document: Document, move: Move, lines: list[Line]) -> None:
    """Journal what lines did to stock; the lines of a reversal's original say the rest."""
    value = sum((line.value for line in lines), ZERO)
    worth = sum((line.worth for line in lines), ZERO)
    sign = 1 if move.into.is_stock else -1
    item = move.item.pk
    if move.undoes:
        drift = (value - move.undoes.value) * sign
        document.journal(Account.STOCK, drift, item=item)
        document.journal(Account.STOCK_REVALUATION, -drift)
        return
    document.journal(Account.STOCK, sign * value, item=item)
    if sign > 0:
        document.journal(move.difference_to, worth - value)
