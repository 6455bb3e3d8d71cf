"""What an interleaved structure shows: its rows and its head."""

from datetime import date
from typing import Any

from ..web_api.fields import Answer, DecimalText


class TreeRow(Answer):
    """One row; the rows below it with a greater depth stand under it."""

    #: what the row is, whatever else changes in the structure: the way to it from the top
    key: str
    depth: int
    #: items count levels, operations have none
    level: int | None
    kind: str
    code: str
    name: str
    #: of the item, or hours
    unit: str
    operation: int
    #: operations that must come before, where it is not simply the one above
    after: list[int] | None
    quantity: DecimalText | None
    #: of the quantity
    line_unit: str
    #: what one unit of the top item needs [unit]
    need: DecimalText | None
    per: str
    issue_rule: str
    allowance: DecimalText | None
    yield_share: DecimalText | None
    setup_hours: DecimalText | None
    run_hours: DecimalText | None
    #: cost in one unit of the top item; null without a standard
    cost: DecimalText | None
    on_hand: DecimalText | None
    #: whole units of the top item that what is on hand is enough for, and whether that is a standard lot
    enough_for: DecimalText | None
    covers_lot: bool | None
    revision: str
    #: sizes of a measured piece, position, alternates; of an operation who does it and how
    detail: str
    #: names of the item's drawings and pictures
    documents: list[str]


#: a row with nothing in it
BLANK: dict[str, Any] = dict.fromkeys(TreeRow.model_fields) | dict.fromkeys(
    ("per", "issue_rule", "line_unit", "revision", "detail"), ""
)
BLANK["documents"] = []


class TreeOut(Answer):
    """A structure to any depth, with the revision and the standard it shows."""

    item: str
    name: str
    unit: str
    letter: str
    state: str
    effective_from: date | None
    effective_to: date | None
    note: str
    standard: DecimalText | None
    standard_lot: DecimalText
    batch_quantity: DecimalText
    is_cut: bool
    rows: list[TreeRow]
