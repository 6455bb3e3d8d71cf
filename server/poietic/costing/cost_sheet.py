"""The cost sheet of an item, all levels: as rows, as CSV or XLSX, and on paper."""

from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from html import escape
from typing import Any

from poietic_core.cost.model import Element
from poietic_core.quantity import ZERO, money
from reportlab.lib.units import mm
from reportlab.platypus import Paragraph, Spacer

from ..catalog.models import Item
from ..papers.sheet import BOLD, QUIET, SMALL, TITLE, paper, table, words
from ..web_api.fields import plain
from .models import Standard

HEAD = ("level", "operation", "kind", "code", "name", "quantity", "unit", "in one", "cost in one")


def sheet_rows(tree: dict[str, Any]) -> Iterator[tuple[Any, ...]]:
    """Yield the rows of an interleaved structure with what each costs in one unit of the item."""
    for row in tree["rows"]:
        yield (
            "" if row["level"] is None else row["level"],
            row["operation"],
            row["kind"],
            row["code"],
            row["name"],
            _text(row["quantity"]),
            row["line_unit"],
            _text(row["need"]),
            _text(row["cost"]),
        )


def as_pdf(item: Item, standard: Standard, tree: dict[str, Any], day: date) -> bytes:
    """Return a cost sheet on A4: the elements, then the structure with its costs."""
    cost = standard.as_item_cost().cost
    elements = [["Element", "this level", "lower levels", "EUR"]]
    for element in Element:
        this = cost.this_level.get(element, ZERO)
        lower = cost.lower_levels.get(element, ZERO)
        if this or lower:
            elements.append([element.value, _money(this), _money(lower), _money(this + lower)])
    elements.append(["standard cost of one", "", "", plain(standard.total)])
    body: list[list[Any]] = [["L", "What", "Code", "used", "in one", "EUR"]]
    for row in tree["rows"]:
        is_operation = row["kind"] == "operation"
        said = f"{row['operation']} {row['name']}" if is_operation else row["name"]
        indent = "&nbsp;" * (row["depth"] * 3)
        body.append(
            [
                "" if row["level"] is None else row["level"],
                Paragraph(indent + escape(said), BOLD if is_operation else SMALL),
                row["code"],
                f"{_text(row['quantity'])} {row['line_unit']}".strip(),
                _text(row["need"]),
                "" if row["cost"] is None else _money(row["cost"]),
            ]
        )
    lot = f"standard lot {_text(item.standard_lot)} {item.unit}"
    said = f"rev {tree['letter']} {tree['state']}, {lot}, EUR per {item.unit}, {day:%d %b %Y}"
    return paper(
        f"Cost sheet {item.code}",
        [
            words(f"Cost sheet: {item.name} {item.code}", TITLE),
            words(said, QUIET),
            Spacer(1, 4 * mm),
            table(elements, [60, 30, 30, 30], numbers=(1, 2, 3)),
            Spacer(1, 5 * mm),
            table(body, [8, 88, 26, 24, 18, 16], numbers=(3, 4, 5)),
        ],
    )


def _text(value: Decimal | None) -> str:
    return "" if value is None else plain(value.normalize() + 0)


def _money(value: Decimal) -> str:
    return f"{money(value):,.2f}"
