"""Phantom stock that happens to exist is used first: it stands for what the phantom is made of."""

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from fractions import Fraction

from poietic_core.cost.inputs import cost_structure
from poietic_core.cost.model import CostInput, InputKind
from poietic_core.derivation import Derivation, fraction_of, given
from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.basis import Basis, spread, taken_in
from poietic_core.structure.model import Per, Structure
from poietic_core.structure.phantom import Inlined, inline
from poietic_core.structure.requirement import entering, entering_for_one

from ...catalog.models import Item
from ...catalog.queries import items_by_code
from ...costing.queries import standards_in_force
from ...engineering.queries import phantoms_on
from ...engineering.rates import shop_rates
from ...ledger.models import Holding, Posting
from ...ledger.transaction import Transaction
from ..book import named_by
from ..models import OrderInput
from ..open_book import OpenBook
from ..own_inputs import component_beside_standard
from .material import close_document, issue


def use_phantom_stock(
    transaction: Transaction, book: OpenBook, taken_in: Inlined, day: date
) -> None:
    """Issue phantom stock first, as far as it is free where the order is supplied from.

    It stands for what the phantom is made of, at the phantom's own standard. Phantoms within
    phantoms are not looked for.
    """
    items = items_by_code(item for _, item in taken_in.lines)
    if not Holding.objects.filter(item__in=items.values(), quantity__gt=0).exists():
        return
    order = book.order
    components = [c.item_id for c in book.components() if c.item_id]
    transaction.concern([*components, *(i.pk for i in items.values())], order.cost_object)
    document = transaction.open(Posting.Kind.ISSUE, cost_object=order.cost_object)
    enter = entering(taken_in.structure.operations, order.quantity)
    phantoms = phantoms_on(day)
    for key, line in taken_in.lines.items():
        if key[1] not in phantoms:  # made within this order because somebody wants it made
            continue
        operation, item = key[0], items[key[1]]
        free = transaction.reservations.free(item, order.supply_place, day)
        wanted = taken_in.each[key]
        if line.per is Per.UNIT and operation in enter:
            wanted *= enter[operation].value
        taken = sum((m.quantity for m in document.moves if m.item == item), ZERO)
        quantity = min(free - taken, wanted)
        quantity -= quantity % item.step
        if quantity <= 0:
            continue
        inner = inline(phantoms[item.code], phantoms).structure
        row = _phantom_row(book, operation, item, content_of(inner, taken_in.numbers[key], day))
        issue(book, document, row, quantity, order.supply_place)
        words = f"{quantity.normalize():f} {item.unit} from stock are used before any is made"
        transaction.context.effects.remark(item.code, words)
    if document.moves:
        close_document(book, document)
    else:
        transaction.documents.remove(document)


def content_of(
    inner: Structure, numbers: Mapping[int, int], day: date
) -> dict[tuple[int, InputKind, str], Fraction]:
    """Return what one unit of a phantom spares its order of each input: what is per unit in it.

    Parameters
    ----------
    inner : the phantom's structure, phantoms of its own put in
    numbers : the order's operation for each of the phantom's
    """
    outputs = items_by_code(o.item for o in inner.outputs)
    standards = standards_in_force(
        items_by_code([*(c.item for c in inner.components), *outputs]).values()
    )
    costed = cost_structure(
        inner,
        standard_lot=ONE,
        items={c: s.as_item_cost() for c, s in standards.items()},
        rates=shop_rates(day),
        units={code: item.unit for code, item in outputs.items()},
    )
    entered = entering_for_one(inner.operations)
    yields = {o.number: o.yield_share for o in inner.operations}
    found: dict[tuple[int, InputKind, str], Fraction] = {}
    for i in costed.inputs:
        if i.basis() is Basis.ORDER:
            continue
        key = (numbers[i.operation], i.kind, i.code)
        found[key] = found.get(key, Fraction(0)) + _for_one(i, entered, yields)
    return found


def _for_one(
    i: CostInput, entered: Mapping[int, Derivation], yields: Mapping[int, Decimal]
) -> Fraction:
    number = i.operation
    over = spread(
        i.basis(), entered.get(number), operation=number, yield_share=yields.get(number, ONE)
    )
    return fraction_of(taken_in("for one", given(i.code, i.quantity), over))


def _phantom_row(
    book: OpenBook,
    operation: int,
    item: Item,
    content: Mapping[tuple[int, InputKind, str], Fraction],
) -> OrderInput:
    """Return a new input of an order: phantom stock that stands for what the phantom is made of."""
    rows = {(i.operation, InputKind(i.kind), named_by(i).code): i for i in book.inputs}
    stands_for: list[dict[str, object]] = [
        {"input": rows[key].pk, "times": str(each.numerator), "per": str(each.denominator)}
        for key, each in content.items()
        if key in rows and each
    ]
    return book.add_input(component_beside_standard(book, operation, item, stands_for=stands_for))
