"""Counting stock: opened, counted blind, counted again beyond a tolerance, its differences posted."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar

from django.db.models import QuerySet
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO, require_step
from poietic_core.stock.counting import needs_recount
from pydantic import Field

from ...catalog.models import OWN_KINDS, Place, Reason
from ...catalog.queries import item_by_code, items_by_code, reasons_for, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Lot, Posting, StockBalance
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Note, QuantityOrNone, Reference, Share, Strict
from ..models import Count, CountLine
from .moving import because, differ

CountNumber = Annotated[int, Field(ge=1, le=2**62)]
#: lines of one count
MOST_LINES = 2000


@dataclass(eq=False)
class NotCounted(DomainError):
    """Lines of a count that nobody counted, or that have to be counted again."""

    count: int
    lines: list[str]
    code: ClassVar[str] = "count.not_counted"
    what: ClassVar[str] = "Count {count} can't be posted yet."
    why: ClassVar[str] = "Still to be counted: {lines}."
    fix: ClassVar[str] = "Count these, or drop the count."


@dataclass(eq=False)
class CountEnded(DomainError):
    """A count that was posted or dropped."""

    count: int
    state: str
    code: ClassVar[str] = "count.ended"
    what: ClassVar[str] = "Count {count} takes nothing more."
    why: ClassVar[str] = "It is {state}."
    fix: ClassVar[str] = "Open another count."


class OpenCount(Strict):
    """All that is at a place, or all there is of an item."""

    place: Code | None = None
    item: Code | None = None
    is_blind: bool = True
    #: share of what should be there by which a count may differ before it is counted again
    tolerance: Share = Decimal("0.02")


class LineCounted(Strict):
    """What was counted of an item at a place, of a lot where it has one."""

    item: Code
    place: Code
    lot: Reference = ""
    counted: QuantityOrNone


class EnterCount(Strict):
    """What was counted; a line that nobody expected is added."""

    count: CountNumber
    lines: Annotated[list[LineCounted], Field(min_length=1, max_length=500)]


class PostCount(Strict):
    """A count whose differences are posted, and why there are any."""

    count: CountNumber
    why: Code | None = None
    reason: Note = ""


class CountGiven(Strict):
    """A count by its number."""

    count: CountNumber


@command("open-count", "Open a count", Role.STOREKEEPER, Role.CONTROLLER)
def open_count(context: Context, given: OpenCount) -> None:
    """List what should be there, to be counted."""
    if (given.place is None) == (given.item is None):
        raise InvalidInput(["place: name a place or an item to count, one of both"])
    place = stock_place(given.place) if given.place else None
    item = item_by_code(given.item) if given.item else None
    there = StockBalance.objects.filter(quantity__gt=0, place__kind__in=OWN_KINDS)
    there = there.filter(place=place) if place else there.filter(item=item)
    rows = there.order_by("place__walk_order", "place__code", "item__code", "lot__pk")
    listed = list(rows.values_list("item", "place", "lot")[: MOST_LINES + 1])
    if len(listed) > MOST_LINES:
        raise InvalidInput(
            [f"place: more than {MOST_LINES:,} lines; count smaller places or items"]
        )
    count = Count.objects.create(
        place=place,
        item=item,
        is_blind=given.is_blind,
        tolerance=given.tolerance,
        opened_at=context.now,
        change=context.change,
    )
    CountLine.objects.bulk_create(
        CountLine(count=count, item_id=i, place_id=p, lot_id=lot) for i, p, lot in listed
    )
    context.made["count"] = str(count.pk)
    context.effects.field("new count", "lines", None, len(listed))


@command("enter-count", "Enter what was counted", Role.STOREKEEPER, Role.CONTROLLER)
def enter_count(context: Context, given: EnterCount) -> None:
    """Keep what was counted beside what the books say at this moment."""
    count = _open(context, given.count)
    items = items_by_code(line.item for line in given.lines)
    places = {code: stock_place(code) for code in {line.place for line in given.lines}}
    transaction = Transaction(context)
    transaction.concern(i.pk for i in items.values())
    stock = transaction.stock
    lots = {
        (lot.item_id, lot.code): lot
        for lot in Lot.objects.filter(
            item__in=[i.pk for i in items.values()], code__in={x.lot for x in given.lines if x.lot}
        )
    }
    kept = {(n.item_id, n.place_id, n.lot_id): n for n in _lines(count)}
    again = []
    for said in given.lines:
        item, place = items[said.item], places[said.place]
        require_step(f"The count of {item.code}", said.counted, step=item.step, unit=item.unit)
        _require_asked(count, item.pk, place)
        lot = lots.get((item.pk, said.lot)) if said.lot else None
        if said.lot and lot is None:
            raise NotFound(f"lot or serial of {item.code}", said.lot)
        if (item.tracking != "none") != (lot is not None):
            raise InvalidInput([f"lines: {item.code} is counted {'by lot' if lot is None else 'without a lot'}"])  # fmt: skip
        key = (item.pk, place.pk, lot.pk if lot else None)
        line = kept.get(key)
        if line is None:
            line = kept[key] = CountLine(count=count, item=item, place=place, lot=lot)
        line.on_hand = sum(
            (b.quantity for b in stock.at(item, place) if b.lot_id == line.lot_id), ZERO
        )
        line.counted = said.counted
        line.times += 1
        if needs_recount(line.on_hand, line.counted, count.tolerance, line.times):
            again.append(item.code)
    changed = [n for n in kept.values() if n.pk is None]
    CountLine.objects.bulk_create(changed)
    CountLine.objects.bulk_update(
        [n for n in kept.values() if n not in changed and n.counted is not None],
        ["counted", "on_hand", "times"],
    )
    _touch(context, count)
    context.effects.field(f"count {count}", "lines counted", None, len(given.lines))
    for code in dict.fromkeys(again):
        context.effects.remark(code, "differs by more than the tolerance: count it again")


@command("post-count", "Post a count", Role.STOREKEEPER, Role.CONTROLLER)
def post_count(context: Context, given: PostCount) -> None:
    """Post the differences of a count; what moved since a line was counted stays moved."""
    count = _open(context, given.count)
    lines = list(_lines(count))
    if left := [_named(n) for n in lines if _is_left(count, n)]:
        raise NotCounted(count.pk, left[:20])
    differing = [n for n in lines if (n.counted or ZERO) != (n.on_hand or ZERO)]
    if differing and given.why is None:
        raise InvalidInput(["why: say why there are differences"])
    transaction = Transaction(context)
    if differing and given.why:
        why = reasons_for(Reason.Use.ADJUSTMENT, [given.why])[given.why]
        document = transaction.open(Posting.Kind.COUNT, reason=because(why, given.reason))
        for n in differing:
            lot = n.lot.code if n.lot else ""
            difference = (n.counted or ZERO) - (n.on_hand or ZERO)
            differ(transaction, document, n.item, n.place, lot, difference)
        transaction.post()
    _end(context, count, Count.State.POSTED)


@command("drop-count", "Drop a count", Role.STOREKEEPER, Role.CONTROLLER)
def drop_count(context: Context, given: CountGiven) -> None:
    """End a count without posting anything."""
    _end(context, _open(context, given.count), Count.State.DROPPED)


def _open(context: Context, number: int) -> Count:
    """Lock a count that goes on."""
    count = context.lock_one(
        Count.objects.filter(pk=number), "count", NotFound("count", str(number))
    )
    if count.state != Count.State.OPEN:
        raise CountEnded(count.pk, count.state)
    return count


def _lines(count: Count) -> QuerySet[CountLine]:
    return count.lines.select_related("item", "place", "lot")


def _require_asked(count: Count, item: int, place: Place) -> None:
    """Refuse a line that the count is not about."""
    if count.place_id not in (None, place.pk) or count.item_id not in (None, item):
        raise InvalidInput([f"lines: count {count} is not about that; open another one for it"])


def _is_left(count: Count, n: CountLine) -> bool:
    if n.counted is None or n.on_hand is None:
        return True
    return needs_recount(n.on_hand, n.counted, count.tolerance, n.times)


def _named(n: CountLine) -> str:
    return " ".join(filter(None, (n.item.code, n.lot.code if n.lot else "", "at", n.place.name)))


def _touch(context: Context, count: Count) -> None:
    count.change = context.change
    count.save(update_fields=["change", "state"])


def _end(context: Context, count: Count, state: Count.State) -> None:
    context.effects.field(f"count {count}", "state", count.state, state.value)
    count.state = state
    _touch(context, count)
