"""Layers of value as a command finds them, and what it takes out of and puts back into them."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import ClassVar

from django.db.models import Q
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO
from poietic_core.stock.layers import (
    Layer as CoreLayer,
)
from poietic_core.stock.layers import (
    Taking,
    layers_of,
    outstanding,
    restore_latest,
    take_oldest,
    total,
)
from poietic_core.stock.valuation import Method

from ..catalog.models import Item
from ..statements.bulk import insert_rows, update_rows
from .document import Document, Line
from .models import Consumption, Layer

#: layers of this command are younger than all that are kept
YOUNGER = 2**62


@dataclass(eq=False)
class LayerUsed(DomainError):
    """What is to be taken back brought in something that has gone on since."""

    item: str
    posting: int
    used_by: list[str]
    code: ClassVar[str] = "stock.layer_used"
    what: ClassVar[str] = "Posting {posting} can't be taken back yet."
    why: ClassVar[str] = "Some of the {item} that it brought in has gone on: posting {used_by}."
    fix: ClassVar[str] = "Take that back first, the latest first."


@dataclass
class LayerBook:
    """Layers of the items that a command moves; empty where none are valued by layers."""

    #: all that are open or concerned, by key
    layers: dict[int, Layer] = field(default_factory=dict)
    #: layers by the line that made them, and takings by the line that took
    made_by: dict[int, int] = field(default_factory=dict)
    taken_by: dict[int, list[Taking]] = field(default_factory=dict)
    #: takings by cost object, operation and item, with the lot, as they were posted
    gone_to: dict[tuple[int, int | None, int], list[tuple[str, Taking]]] = field(
        default_factory=dict
    )
    _taken: list[tuple[Document, Line | None, Taking]] = field(default_factory=list)
    _opened: list[tuple[Document, Line | None, int, str]] = field(default_factory=list)

    @classmethod
    def read(cls, items: Sequence[int], documents: Sequence[Document]) -> "LayerBook":
        """Read the open layers of items, and what the documents take or bring back."""
        book = cls()
        if not items:
            return book
        moves = [m for d in documents for m in d.moves if m.item.pk in items]
        late = {n.receipt for d in documents for n in d.lates}
        undone = [m.undoes.pk for m in moves if m.undoes]
        kept = Consumption.objects.filter(layer__item__in=items).order_by("pk")
        concerned = set()
        for row in kept.filter(line__in=undone) if undone else ():
            taking = Taking(layer=row.layer_id, quantity=row.quantity, value=row.value)
            book.taken_by.setdefault(row.line_id or 0, []).append(taking)
            concerned.add(row.layer_id)
        holders = {d.cost_object.pk for d in documents for m in d.moves if m.comes_back and d.cost_object}  # fmt: skip
        back = kept.filter(posting__cost_object__in=holders, line__isnull=False)
        for row in back.select_related("posting", "line", "line__lot", "layer") if holders else ():
            assert row.line is not None and row.posting.cost_object_id is not None
            holder = (row.posting.cost_object_id, row.line.operation, row.layer.item_id)
            taking = Taking(layer=row.layer_id, quantity=row.quantity, value=row.value)
            lot = row.line.lot.code if row.line.lot else ""
            book.gone_to.setdefault(holder, []).append((lot, taking))
            concerned.add(row.layer_id)
        found = Layer.objects.filter(
            Q(quantity_left__gt=0) | Q(pk__in=concerned) | Q(line__in=undone) | Q(posting__in=late),
            item__in=items,
        )
        for layer in found.select_related("lot"):
            book.layers[layer.pk] = layer
            if layer.line_id in undone:
                book.made_by[layer.line_id or 0] = layer.pk
        return book

    # --- moving

    def bring_in(self, document: Document, line: Line, share: Decimal | None) -> Decimal:
        """Put a line's quantity in, and return its value: a new layer, or back where it came from."""
        was = line.move.undoes
        if was and was.pk in self.taken_by:
            return self._put_back(document, line, self.taken_by[was.pk])
        if line.move.comes_back:
            gone = self._gone_to(document, line)
            still = outstanding(t for lot, t in gone if line.lot in ("", lot))
            if sum((t.quantity for t in still), ZERO) >= line.quantity:
                return self._put_back(document, line, restore_latest(still, line.quantity))
        value = was.value if was else (share or ZERO)
        self._open(document, line, value)
        return value

    def take_out(self, document: Document, line: Line) -> Decimal:
        """Take a line's quantity out, and return its value."""
        was = line.move.undoes
        if was and was.pk in self.made_by:
            takings = [self._whole(line, self.made_by[was.pk])]
        elif was and was.pk in self.taken_by:  # a return is taken back: out of where it went
            takings = [
                Taking(layer=t.layer, quantity=-t.quantity, value=-t.value)
                for t in self.taken_by[was.pk]
            ]
            self._require_left(line, takings)
        else:
            takings = [*take_oldest(self._open_to(line), line.quantity)]
        return self._take(document, line, takings)

    def of_receipt(self, receipt: int, item: Item) -> list[Layer]:
        """Return the layers that a posting made of an item."""
        made = (y for y in self.layers.values() if (y.posting_id, y.item_id) == (receipt, item.pk))
        return sorted(made, key=lambda y: y.pk)

    def appreciate(self, document: Document, layer: Layer, amount: Decimal) -> None:
        """Have what is left of a layer be worth more: a taking of no quantity, below zero."""
        layer.value_left += amount
        self._taken.append((document, None, Taking(layer=layer.pk, quantity=ZERO, value=-amount)))

    def _open_to(self, line: Line) -> list[CoreLayer]:
        by_lot = line.item.method is Method.LOT_ACTUAL
        return [
            CoreLayer(key=key, quantity=layer.quantity_left, value=layer.value_left)
            for key, layer in self.layers.items()
            if layer.item_id == line.item.pk
            and (not by_lot or (layer.lot.code if layer.lot else line.lot) == line.lot)
        ]

    def _whole(self, line: Line, key: int) -> Taking:
        layer = self.layers[key]
        taking = Taking(layer=key, quantity=line.quantity, value=layer.value)
        self._require_left(line, [taking])
        return taking

    def _require_left(self, line: Line, takings: Sequence[Taking]) -> None:
        """Refuse to take out of a layer what has gone on since."""
        for taking in takings:
            layer = self.layers[taking.layer]
            if layer.quantity_left < taking.quantity or layer.value_left < taking.value:
                used = Consumption.objects.filter(
                    layer=layer, quantity__gt=0, posting__reversal=None, posting__reverses=None
                )
                by = used.order_by("posting").values_list("posting", flat=True).distinct()
                assert line.move.undoes
                raise LayerUsed(line.item.code, line.move.undoes.posting_id, [str(p) for p in by])

    def _take(self, document: Document, line: Line, takings: Sequence[Taking]) -> Decimal:
        for taking in takings:
            layer = self.layers[taking.layer]
            layer.quantity_left -= taking.quantity
            layer.value_left -= taking.value
            self._taken.append((document, line, taking))
            self._gone_to(document, line).append((line.lot, taking))
        return total(takings)

    def _put_back(self, document: Document, line: Line, takings: Sequence[Taking]) -> Decimal:
        back = [Taking(layer=t.layer, quantity=-t.quantity, value=-t.value) for t in takings]
        return -self._take(document, line, back)

    def _gone_to(self, document: Document, line: Line) -> list[tuple[str, Taking]]:
        holder = document.cost_object.pk if document.cost_object else 0
        return self.gone_to.setdefault((holder, line.move.operation, line.item.pk), [])

    def _open(self, document: Document, line: Line, value: Decimal) -> None:
        self._add(document, line, line.item, line.lot, line.quantity, value)

    def _add(
        self,
        document: Document,
        line: Line | None,
        item: Item,
        lot: str,
        quantity: Decimal,
        value: Decimal,
    ) -> None:
        key = YOUNGER + len(self._opened)
        self.layers[key] = Layer(
            item=item, quantity=quantity, value=value, quantity_left=quantity, value_left=value
        )
        self._opened.append((document, line, key, lot))

    # --- another way of valuing

    def dissolve(self, document: Document, item: Item) -> None:
        """Empty all layers of an item: what is left of them is one pool from now on."""
        for key, layer in self.layers.items():
            if layer.item_id == item.pk and layer.quantity_left:
                taking = Taking(layer=key, quantity=layer.quantity_left, value=layer.value_left)
                layer.quantity_left = layer.value_left = ZERO
                self._taken.append((document, None, taking))

    def divide(
        self, document: Document, item: Item, value: Decimal, by_lot: Mapping[str, Decimal]
    ) -> None:
        """Make layers of a pool: one for each lot, the value by quantity."""
        values = layers_of(value, list(by_lot.values()))
        for (lot, quantity), part in zip(by_lot.items(), values, strict=True):
            self._add(document, None, item, lot, quantity, part)

    # --- saving

    def save(
        self,
        postings: Mapping[int, int],
        lines: Mapping[int, int],
        lot_of: Callable[[int, str], int | None],
    ) -> None:
        """Write new layers, what is left of the others, and what was taken.

        Parameters
        ----------
        postings : key of the posting by the `id` of its document
        lines : key of the stock line by the `id` of the line
        lot_of : key of a lot by item and code
        """

        def row(document: Document, line: Line | None, key: int, lot: str) -> tuple[object, ...]:
            w = self.layers[key]
            at = lines[id(line)] if line else None
            left = (w.quantity_left, w.value_left)
            return (w.item_id, lot_of(w.item_id, lot), postings[id(document)], at, w.quantity, w.value, *left)  # fmt: skip

        keys = insert_rows(
            Layer,
            ("item", "lot", "posting", "line", "quantity", "value", "quantity_left", "value_left"),
            [row(*opened) for opened in self._opened],
        )
        kept = {key: new for (_, _, key, _), new in zip(self._opened, keys, strict=True)}
        touched = {t.layer for _, _, t in self._taken if t.layer < YOUNGER}
        update_rows(
            Layer,
            ("id", "quantity_left", "value_left"),
            [(k, self.layers[k].quantity_left, self.layers[k].value_left) for k in sorted(touched)],
        )
        insert_rows(
            Consumption,
            ("posting", "layer", "line", "quantity", "value"),
            [
                (postings[id(d)], kept.get(t.layer, t.layer), lines[id(line)] if line else None, t.quantity, t.value)
                for d, line, t in self._taken
            ],
        )  # fmt: skip
