"""Taking what a pick list says: all, part, less than there should be, more, and back again."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar, Literal

from poietic_core.errors import DomainError
from poietic_core.order.states import Act
from poietic_core.quantity import ZERO, round_up
from pydantic import Field

from ...catalog.models import Item, Reason
from ...catalog.queries import items_by_code, reasons_for, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Pieces
from ...ledger.transaction import Transaction
from ...orders.commands.standing_in import NotAnAlternate
from ...orders.open_book import OpenBook
from ...stores.commands.moving import LotMoved, because
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Note, Quantity, Strict
from ..carrying import bring, bring_one_back
from ..models import PickLine, PickList, PickTake
from ..needs import Wanted
from .lists import add_lines

LineNumber = Annotated[int, Field(ge=1, le=2**62)]


@dataclass(eq=False)
class AlreadyPicked(DomainError):
    """A line of a pick list that is not open any more."""

    line: int
    item: str
    state: str
    code: ClassVar[str] = "pick.done"
    what: ClassVar[str] = "{item} can't be taken once more."
    why: ClassVar[str] = "Line {line} of the pick list is {state} already."
    fix: ClassVar[str] = "Go on with the next line, or put back what was taken too much."


@dataclass(eq=False)
class MoreThanListed(DomainError):
    """More is taken than the line says, and nobody says why."""

    item: str
    wanted: Decimal
    left: Decimal
    unit: str
    code: ClassVar[str] = "pick.more_than_listed"
    what: ClassVar[str] = "{wanted} {unit} of {item} are more than the list says."
    why: ClassVar[str] = "{left} {unit} are still to be taken."
    fix: ClassVar[str] = "Take {left} {unit}, or say why it is more."


@dataclass(eq=False)
class NotTaken(DomainError):
    """More would be put back than was taken and is still there."""

    item: str
    wanted: Decimal
    taken: Decimal
    unit: str
    code: ClassVar[str] = "pick.not_taken"
    what: ClassVar[str] = "{wanted} {unit} of {item} can't be put back."
    why: ClassVar[str] = (
        "{taken} {unit} were taken for this line and are still where they were put."
    )
    fix: ClassVar[str] = "Put back {taken} {unit} or less; return from the order what was issued."


class Pick(Strict):
    """What was taken for a line; what is left out is as the line says."""

    line: LineNumber
    quantity: Quantity
    place: Code | None = None
    lots: Annotated[list[LotMoved], Field(max_length=1000)] = []
    #: where it was put: a floor place or a carrier
    target: Code | None = None
    #: why it is more than the list says
    why: Code | None = None
    reason: Note = ""


class PickShort(Strict):
    """What is to become of the rest of a line that is not there."""

    line: LineNumber
    how: Literal["other place", "alternate", "later"]
    #: which alternate; left out, the first that is there
    item: Code | None = None


class PutBack(Strict):
    """What was taken for a line and goes back to where it lay."""

    line: LineNumber
    quantity: Quantity
    #: left out, where it was taken from
    place: Code | None = None
    reason: Note = ""


def _lock(context: Context, number: int) -> tuple[OpenBook, PickList, PickLine]:
    """Lock the order and the list of a line, then read the line."""
    at = PickLine.objects.filter(pk=number).values_list("order__number", "pick_list").first()
    missing = NotFound("line of a pick list", str(number))
    if at is None:
        raise missing
    book = OpenBook.lock(context, at[0])
    pick_list = context.lock_one(PickList.objects.filter(pk=at[1]), "pick list", missing)
    rows = PickLine.objects.select_related(
        "item", "input__item", "lot", "place", "target", "tranche"
    )
    line = rows.filter(pk=number).first()
    if line is None:  # its order let go of everything meanwhile
        raise missing
    return book, pick_list, line


@command("pick", "Take for a pick list", Role.STOREKEEPER, Role.OPERATOR, Role.CONTROLLER)
def pick(context: Context, given: Pick) -> None:
    """Bring what was taken to where it is wanted; it stays kept for its order there."""
    book, pick_list, line = _lock(context, given.line)
    book.require(Act.POST)
    if line.state != PickLine.State.OPEN:
        raise AlreadyPicked(line.pk, line.item.code, line.get_state_display())
    left = line.quantity - line.picked
    reason = given.reason
    if given.quantity > left:
        if given.why is None:
            raise MoreThanListed(line.item.code, given.quantity, left, line.item.unit)
        reason = because(reasons_for(Reason.Use.OVER_ISSUE, [given.why])[given.why], reason)
    place = stock_place(given.place) if given.place else line.place
    target = stock_place(given.target) if given.target else line.target
    if place.site_id != target.site_id:
        raise InvalidInput([f"target: {target.name} is at another site than {place.name}"])
    if place == target:
        raise InvalidInput([f"target: {target.name} is where it lies already"])
    pieces = [Pieces(lot=p.lot, quantity=p.quantity) for p in given.lots]
    if not pieces and line.lot:
        pieces = [Pieces(lot=line.lot.code, quantity=given.quantity)]
    transaction = Transaction(context)
    document, kept_by_lot = bring(
        transaction, book, line, given.quantity, place, target, pieces, reason
    )
    transaction.post()
    line.picked += given.quantity
    if line.picked >= line.quantity:
        line.state = PickLine.State.PICKED
    line.save(update_fields=["picked", "state"])
    key_of = transaction.stock.lots.key_of
    PickTake.objects.bulk_create(
        PickTake(
            line=line,
            posting_id=context.postings[-1],
            lot_id=key_of(n.item.pk, n.lot),
            place=place,
            target=target,
            quantity=n.quantity,
            kept_by_lot=kept,
        )
        for n, kept in zip(document.lines, kept_by_lot, strict=True)
    )
    _tell(context, pick_list, line, line.picked - given.quantity)


@command("pick-short", "Less is there than the list says", Role.STOREKEEPER, Role.OPERATOR, Role.CONTROLLER)  # fmt: skip
def pick_short(context: Context, given: PickShort) -> None:
    """End a line with less, and list the rest elsewhere, as an alternate, or for later."""
    book, pick_list, line = _lock(context, given.line)
    book.require(Act.POST)
    if line.state != PickLine.State.OPEN:
        raise AlreadyPicked(line.pk, line.item.code, line.get_state_display())
    rest = line.quantity - line.picked
    line.state = PickLine.State.SHORT
    line.save(update_fields=["state"])
    transaction = Transaction(context)
    lines: list[PickLine] = []
    instead = _instead(line, given)
    transaction.concern([i.pk for i in instead], book.order.cost_object)
    for item in instead:
        wanted = Wanted(line.input, item, _as_much(line, rest, item), line.tranche)
        if item == line.item:
            wanted.not_at = (line.place_id, line.lot_id)
        lines = add_lines(transaction, pick_list, [(book, wanted)], line.target)
        if lines:
            break
    PickLine.objects.bulk_create(lines)
    transaction.post()
    words = f"{rest.normalize():f} {line.item.unit} short at {line.place.name}; the books say they are there: count it"
    context.effects.remark(line.item.code, words)
    context.effects.field("pick list", f"lines for {line.item.code}", 1, 1 + len(lines))
    _tell(context, pick_list, line, line.picked)


def _instead(line: PickLine, given: PickShort) -> Sequence[Item]:
    """Return the items that the rest is looked for as, in the order of preference."""
    if given.how == "later":
        return []
    if given.how == "other place":
        return [line.item]
    codes = [a["item"] for a in line.input.alternates]
    if given.item and given.item not in codes:
        component = line.input.item
        raise NotAnAlternate(given.item, component.code if component else "", codes or ["none"])
    if not codes:
        raise InvalidInput([f"how: nothing may be used in the place of {line.item.code}"])
    wanted = [given.item] if given.item else codes
    found = items_by_code(wanted)
    return [found[code] for code in wanted]


def _as_much(line: PickLine, rest: Decimal, item: Item) -> Decimal:
    """Return how much of an item a rest of the line's is: of an alternate by its ratio, rounded up."""
    if item == line.item:
        return rest
    ratios = {a["item"]: Decimal(a["ratio"]) for a in line.input.alternates}
    return round_up(rest * ratios[item.code], item.step)


@command("put-back", "Put back what was picked", Role.STOREKEEPER, Role.OPERATOR, Role.CONTROLLER)
def put_back(context: Context, given: PutBack) -> None:
    """Bring back what was taken for a line, the latest first; it stays kept for its order."""
    book, pick_list, line = _lock(context, given.line)
    kept = {(r.place_id, r.lot_id): r.quantity for r in book.all_kept() if (r.operation, r.item_id) == (line.input.operation, line.item_id)}  # fmt: skip
    takes = line.takes.select_related("lot", "place", "target").order_by("-pk")
    back: list[tuple[PickTake, Decimal]] = []
    left = given.quantity
    for take in takes:
        at = (take.target_id, take.lot_id)
        part = min(left, take.quantity - take.put_back, kept.get(at, ZERO))
        if part > 0:
            kept[at] -= part
            back.append((take, part))
            left -= part
    if left:
        raise NotTaken(line.item.code, given.quantity, given.quantity - left, line.item.unit)
    to_place = stock_place(given.place) if given.place else None
    transaction = Transaction(context)
    for take, part in back:
        bring_one_back(transaction, book, take, line, part, to_place or take.place, given.reason)
    transaction.post()
    PickTake.objects.bulk_update([take for take, _ in back], ["put_back"])
    line.save(update_fields=["picked", "state"])
    _tell(context, pick_list, line, line.picked + given.quantity)


def _tell(context: Context, pick_list: PickList, line: PickLine, before: Decimal) -> None:
    """Say how far the line and its list have come, and end the list with its last line."""
    context.effects.field(f"{line.item.code} for order {line.order_id and line.order.number}", "picked", before, line.picked)  # fmt: skip
    is_open = pick_list.lines.filter(state=PickLine.State.OPEN).exists()
    state = PickList.State.OPEN if is_open else PickList.State.DONE
    if pick_list.state != state:
        context.effects.field(f"pick list {pick_list}", "state", pick_list.state, state.value)
    pick_list.state = state.value
    pick_list.change = context.change
    pick_list.save(update_fields=["state", "change"])
