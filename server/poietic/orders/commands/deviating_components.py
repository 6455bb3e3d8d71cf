"""Components of this order only: added, changed, dropped, replaced, or allowed to be replaced."""

from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import ClassVar, Literal

from poietic_core.cost.model import InputKind
from poietic_core.errors import DomainError
from poietic_core.structure.basis import Basis
from poietic_core.structure.model import Per

from ...catalog.models import Item
from ...catalog.queries import item_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput
from ...web_api.fields import Code, OperationNumber, Quantity, plain
from ..models import OrderInput
from ..own_inputs import component_beside_standard
from .deviating import Deviation, ForThisOrder


@dataclass(eq=False)
class StillIssued(DomainError):
    """A component that can't be left out, because the order holds some of it."""

    item: str
    order: int
    issued: Decimal
    unit: str
    code: ClassVar[str] = "order.still_issued"
    what: ClassVar[str] = "{item} can't be left out of order {order}."
    why: ClassVar[str] = "{issued} {unit} of it, or in its place, are issued."
    fix: ClassVar[str] = "Return them first, or change the quantity to what was used."


class ComponentNamed(ForThisOrder):
    """A component of an order at an operation."""

    operation: OperationNumber
    item: Code


class AddComponent(ComponentNamed):
    """A component that only this order takes: so much for each unit worked on, or for the order."""

    quantity: Quantity
    per: Per = Per.UNIT
    issue_rule: Literal["by hand", "at operation"] = "by hand"


class ChangeComponent(ComponentNamed):
    """Another quantity of a component, for what its line is stated for, with its allowance."""

    quantity: Quantity


class SubstituteComponent(ComponentNamed):
    """An item to take instead of a component, and how much of it for one of that."""

    instead: Code
    ratio: Quantity = Decimal(1)


class AllowAlternate(ComponentNamed):
    """An item that may be used in a component's place from now on, and how much of it for one."""

    alternate: Code
    ratio: Quantity = Decimal(1)


@command("add-component", "Add a component to an order", Role.CONTROLLER)
def add_component(context: Context, given: AddComponent) -> None:
    """Have this order take an item that its structure does not name."""
    deviation = Deviation(context, given)
    deviation.book.operation(given.operation)
    row = _taken(deviation, given.operation, item_by_code(given.item))
    if row.allowed:
        raise InvalidInput(
            [
                f"item: {given.item} is a component at operation {given.operation} already: change its quantity"
            ]
        )
    row.issue_rule = given.issue_rule
    _say(deviation, row, Fraction(given.quantity), Basis.of(given.per))
    deviation.finish(given.operation)


@command("change-component", "Change a component of an order", Role.CONTROLLER)
def change_component(context: Context, given: ChangeComponent) -> None:
    """Have this order take another quantity of a component, of what was worked on already as well."""
    deviation = Deviation(context, given)
    row = _component(deviation, given)
    if done := deviation.book.processed(given.operation):
        words = f"counts for the {done.normalize():f} that were worked on at operation {given.operation} too"
        context.effects.remark(given.item, words)
    _say(deviation, row, Fraction(given.quantity))
    deviation.finish(given.operation)


@command("drop-component", "Leave a component out of an order", Role.CONTROLLER)
def drop_component(context: Context, given: ComponentNamed) -> None:
    """Have this order do without a component of which it holds nothing."""
    deviation = Deviation(context, given)
    row = _component(deviation, given)
    _require_nothing_issued(deviation, row)
    _say(deviation, row, Fraction(0))
    deviation.finish(given.operation)


@command("substitute-component", "Take another item for a component", Role.CONTROLLER)
def substitute_component(context: Context, given: SubstituteComponent) -> None:
    """Have this order take another item instead of a component, from its first piece on."""
    deviation = Deviation(context, given)
    row = _component(deviation, given)
    _require_nothing_issued(deviation, row)
    if given.instead == given.item:
        raise InvalidInput([f"instead: {given.item} is the component itself"])
    other = _taken(deviation, given.operation, item_by_code(given.instead))
    if other.allowed and other.basis != row.basis:
        raise InvalidInput([f"instead: {given.instead} is taken in per {other.basis} here, {given.item} per {row.basis}: change its quantity instead"])  # fmt: skip
    quantity = Fraction(other.allowed_exactly) + Fraction(row.allowed_exactly) * Fraction(given.ratio)  # fmt: skip
    other.issue_rule = other.issue_rule or row.issue_rule
    _say(deviation, other, quantity, Basis(row.basis))
    _say(deviation, row, Fraction(0))
    deviation.finish(given.operation)


@command("allow-alternate", "Allow an alternate in an order", Role.CONTROLLER)
def allow_alternate(context: Context, given: AllowAlternate) -> None:
    """Have an item issued in a component's place where that is short; each issue says so."""
    deviation = Deviation(context, given)
    row, item = _component(deviation, given), item_by_code(given.alternate)
    if any(a["item"] == item.code for a in row.alternates):
        raise InvalidInput([f"alternate: {item.code} may be used in the place of {given.item} already"])  # fmt: skip
    if item.code == given.item:
        raise InvalidInput([f"alternate: {item.code} is the component itself"])
    if row.mix:
        raise InvalidInput([f"alternate: {given.item} stands in the mix {row.mix}: what is taken in its place there is no substitution"])  # fmt: skip
    if any(c.item_id == item.pk and not c.stands_for for c in deviation.book.components([given.operation])):  # fmt: skip
        raise InvalidInput([f"alternate: {item.code} is a component at operation {given.operation} itself"])  # fmt: skip
    row.alternates = [*row.alternates, {"item": item.code, "ratio": plain(given.ratio)}]
    deviation.touch(row)
    words = f"{plain(given.ratio)} {item.unit} of {item.code}"
    deviation.say(f"in the place of one {row.unit} of {given.item}", "", words)
    deviation.finish()


def _component(deviation: Deviation, given: ComponentNamed) -> OrderInput:
    """Return the component that is named, or refuse by code."""
    item = item_by_code(given.item)
    row = deviation.book.find_input(InputKind.COMPONENT, given.operation, item)
    if row.stands_for:
        raise InvalidInput([f"item: {item.code} is used in the place of another one here: change that one"])  # fmt: skip
    return row


def _taken(deviation: Deviation, operation: int, item: Item) -> OrderInput:
    """Return the order's component of an item, a new one where it has none yet."""
    book = deviation.book
    if item == book.order.item:
        raise InvalidInput([f"item: {item.code} is what the order makes"])
    if item.is_phantom:
        raise InvalidInput([f"item: {item.code} is a phantom: add what it is made of"])
    for i in book.components([operation]):
        if i.item_id == item.pk:
            if i.stands_for:
                raise InvalidInput([f"item: {item.code} is used in the place of another one here"])
            return i
    return deviation.add(component_beside_standard(book, operation, item))


def _require_nothing_issued(deviation: Deviation, row: OrderInput) -> None:
    assert row.item is not None
    if row.covered:
        raise StillIssued(row.item.code, deviation.book.order.number, row.covered, row.unit)


def _say(
    deviation: Deviation, row: OrderInput, quantity: Fraction, basis: Basis | None = None
) -> None:
    """Allow another quantity of a component, and say what it was."""
    assert row.item is not None
    before = row.allowed
    deviation.allow(row, quantity, basis)
    per = "order" if row.is_per_order else "unit worked on"
    field = f"{row.operation} {row.item.code} [{row.unit} per {per}]"
    deviation.say(field, before, row.allowed)
