"""What two structures have different: one merged list in working order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from decimal import Decimal
from enum import StrEnum

from .model import ComponentLine, Operation, OutputLine, Structure


class Status(StrEnum):
    """What became of a row."""

    SAME = "same"
    ADDED = "added"
    REMOVED = "removed"
    CHANGED = "changed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Compared:
    """A row of either structure: an operation, a component or a by-product."""

    operation: int
    old: Operation | ComponentLine | OutputLine | None
    new: Operation | ComponentLine | OutputLine | None
    #: names of the fields that differ
    changes: tuple[str, ...]

    def status(self) -> Status:
        """Return what became of the row."""
        if self.old is None:
            return Status.ADDED
        if self.new is None:
            return Status.REMOVED
        return Status.CHANGED if self.changes else Status.SAME


#: rows are matched by what they are: operations by number, lines by operation, kind and item
_Key = tuple[int, int, str]


def compare(old: Structure, new: Structure) -> list[Compared]:
    """Return the rows of both structures, each once, operations with their lines under them.

    Rows keep the new structure's order; what was removed stands after what is left of its
    operation. A line that moved to another operation is removed there and added here.

    Notes
    -----
    A line stated for another batch quantity is the same if each unit needs the same.
    O(rows).
    """
    before, after = _rows(old), _rows(new)
    order = [*after, *(k for k in before if k not in after)]
    order.sort(key=lambda k: (k[0], 0 if k[1] == 0 else 1))  # stable: lines stay as listed
    return [
        Compared(
            operation=key[0],
            old=before.get(key),
            new=after.get(key),
            changes=_changes(before.get(key), after.get(key), old, new),
        )
        for key in order
    ]


def _rows(structure: Structure) -> dict[_Key, Operation | ComponentLine | OutputLine]:
    rows: dict[_Key, Operation | ComponentLine | OutputLine] = {}
    rows |= {(o.number, 0, ""): o for o in structure.operations}
    rows |= {(c.operation, 1, c.item): c for c in structure.components}
    rows |= {(o.operation, 2, o.item): o for o in structure.outputs}
    return rows


def _changes(
    one: Operation | ComponentLine | OutputLine | None,
    other: Operation | ComponentLine | OutputLine | None,
    old: Structure,
    new: Structure,
) -> tuple[str, ...]:
    if one is None or other is None:
        return ()
    left, right = _values(one, old), _values(other, new)
    return tuple(name for name, value in left.items() if value != right[name])


def _values(
    row: Operation | ComponentLine | OutputLine, structure: Structure
) -> Mapping[str, object]:
    values: dict[str, object] = {f.name: getattr(row, f.name) for f in fields(row)}
    quantity = values.get("quantity")
    if isinstance(quantity, Decimal):
        values["quantity"] = quantity / structure.batch_quantity
    return values
