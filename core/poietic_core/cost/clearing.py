"""How the cells of an order's WIP (operation and element) are credited and cleared."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal

from ..quantity import ZERO, allocate, exact
from .model import Element
from .unit import Cell


@exact
def receipt_credit(
    *,
    worth_to_date: Decimal,
    cells: Mapping[Cell, Decimal],
    credited: Mapping[Cell, Decimal],
) -> dict[Cell, Decimal]:
    """Return what a receipt takes out of each WIP cell [money].

    Each cell is credited its share of the standard worth of all that was received, less
    what it was credited before, so that the credits never drift from quantity × standard.

    Parameters
    ----------
    worth_to_date : frozen standard × all received, with this receipt, to the cent [money]
    cells : the standard's split by operation and element
    credited : what each cell was credited before [money]

    Source
    ------
    Crediting work in process at standard: Horngren, Datar & Rajan, Cost Accounting, ch. 7; each
    cell by what it was credited before: worked out here.
    """
    parts = allocate(worth_to_date, list(cells.values()))
    due = dict(zip(cells, parts, strict=True))
    changed = {cell: due.get(cell, ZERO) - credited.get(cell, ZERO) for cell in {**due, **credited}}
    return {cell: amount for cell, amount in changed.items() if amount}


@exact
def split_amount(amount: Decimal, split: Mapping[Element, Decimal]) -> dict[Element, Decimal]:
    """Return an amount charged to an order divided over elements like the input's standard.

    Parameters
    ----------
    amount : Decimal [money], to the cent
    split : the standard's money by element of one unit; weights, in the order of the elements

    Source
    ------
    Largest remainder (Balinski & Young, 1982).
    """
    parts = allocate(amount, list(split.values()))
    return {e: part for e, part in zip(split, parts, strict=True) if part}
