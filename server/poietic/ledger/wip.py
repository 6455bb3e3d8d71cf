"""Work in process of the cost objects that a command posts to, by operation and element."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal

from poietic_core.cost.model import Element
from poietic_core.quantity import ZERO

from ..catalog.queries import any_of
from ..commanding.registry import Context
from ..statements.bulk import upsert_rows
from ..statements.prepared import Prepared
from .document import Document
from .models import Account, CostObject, Posting, WipBalance

#: cost object, operation, element
Cell = tuple[int, int, str]

CELLS = Prepared(lambda keys: WipBalance.objects.filter(cost_object__in=any_of(keys)))


@dataclass
class WipBook:
    """Cells of some cost objects; who posts to one has locked what it stands for."""

    context: Context
    amounts: dict[Cell, Decimal] = field(default_factory=dict)
    credited: dict[Cell, Decimal] = field(default_factory=dict)
    _touched: set[Cell] = field(default_factory=set)

    @classmethod
    def read(cls, context: Context, cost_objects: Iterable[CostObject]) -> "WipBook":
        """Read the cells of cost objects."""
        book = cls(context)
        keys = {c.pk for c in cost_objects}
        for b in CELLS.of_any(keys) if keys else ():
            cell = (b.cost_object_id, b.operation, b.element)
            book.amounts[cell], book.credited[cell] = b.amount, b.credited
        return book

    def credits_of(self, cost_object: CostObject) -> dict[tuple[int, Element], Decimal]:
        """Return what receipts credited so far, by operation and element."""
        return {
            (operation, Element(element)): amount
            for (owner, operation, element), amount in self.credited.items()
            if owner == cost_object.pk
        }

    def take(self, document: Document) -> None:
        """Take what a document carries to or from WIP into its cells."""
        owner = document.cost_object
        if owner is None:
            return
        before = self._by_element(owner)
        for (account, operation, element, _), amount in document.money.items():
            if account is not Account.WIP or not amount:
                continue
            cell = (owner.pk, operation or 0, element)
            self.amounts[cell] = self.amounts.get(cell, ZERO) + amount
            self.credited.setdefault(cell, ZERO)
            if document.kind is Posting.Kind.RECEIPT:
                self.credited[cell] -= amount
            self._touched.add(cell)
        after = self._by_element(owner)
        for element in (e.value for e in Element if e.value in after):
            self.context.effects.wip(
                order=owner.number,
                element=element,
                before=before.get(element, ZERO),
                after=after[element],
            )

    def _by_element(self, owner: CostObject) -> dict[str, Decimal]:
        sums: dict[str, Decimal] = {}
        for (of, _, element), amount in self.amounts.items():
            if of == owner.pk:
                sums[element] = sums.get(element, ZERO) + amount
        return sums

    def save(self) -> None:
        """Write the cells that changed."""
        upsert_rows(
            WipBalance,
            ("cost_object", "operation", "element"),
            ("amount", "credited"),
            [(*cell, self.amounts[cell], self.credited[cell]) for cell in sorted(self._touched)],
        )
