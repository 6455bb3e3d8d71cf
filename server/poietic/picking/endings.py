"""What becomes of pick lists when an order ends, or is taken back to before its release."""

from dataclasses import dataclass
from typing import ClassVar

from django.db.models import F
from poietic_core.errors import DomainError

from ..ledger.transaction import Transaction
from ..orders.open_book import OpenBook
from .carrying import bring_one_back
from .models import PickLine, PickList, PickTake


@dataclass(eq=False)
class StillPicked(DomainError):
    """An order would go on without material, some of which stands ready for it."""

    order: int
    lists: str
    code: ClassVar[str] = "pick.still_picked"
    what: ClassVar[str] = "Order {order} can't let go of its material yet."
    why: ClassVar[str] = "Material that was picked for it by list {lists} stands on the floor."
    fix: ClassVar[str] = "Put it back first, or issue it."


def bring_back(transaction: Transaction, book: OpenBook) -> None:
    """Bring back to its places what was picked for an order and is not issued."""
    takes = PickTake.objects.filter(line__order=book.order.pk, quantity__gt=F("put_back"))
    rows = list(takes.select_related("lot", "place", "target"))
    lines = PickLine.objects.select_related("item", "input").in_bulk({t.line_id for t in rows})
    for take in sorted(rows, key=lambda t: t.pk, reverse=True):
        left, line = take.quantity - take.put_back, lines[take.line_id]
        reason = f"unwound from order {book.order}"
        bring_one_back(transaction, book, take, line, left, take.place, reason)
    PickTake.objects.bulk_update(rows, ["put_back"])
    PickLine.objects.bulk_update(lines.values(), ["picked", "state"])
    PickList.objects.filter(lines__takes__in=rows).update(
        state=PickList.State.OPEN, change=book.context.change
    )


def drop_lines(book: OpenBook, is_withdrawn: bool) -> None:
    """Drop an order's lines that are open: what was not taken is not wanted any more.

    What stands on the floor for it goes back first.
    """
    if any(r.place.is_on_the_floor for r in book.all_kept()):
        taken = PickTake.objects.filter(line__order=book.order.pk, quantity__gt=F("put_back"))
        lists = sorted(set(taken.values_list("line__pick_list", flat=True)))
        if lists:
            raise StillPicked(book.order.number, ", ".join(map(str, lists)))
    lines = PickLine.objects.filter(order=book.order.pk)
    if not is_withdrawn:  # what was short stays told
        lines = lines.filter(state=PickLine.State.OPEN)
    listed = set(lines.values_list("pick_list", flat=True))
    if not listed:
        return
    lines.filter(picked__gt=0).update(state=PickLine.State.SHORT)
    PickTake.objects.filter(line__in=lines.filter(picked=0)).delete()
    lines.filter(picked=0).delete()
    done = PickList.objects.filter(pk__in=listed).exclude(lines__state=PickLine.State.OPEN)
    done.update(state=PickList.State.DONE, change=book.context.change)
