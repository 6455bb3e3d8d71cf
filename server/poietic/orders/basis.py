"""On what the cost of an order stands: planned, still open, settled, or corrected since."""

from collections.abc import Iterable
from enum import StrEnum

from django.db.models import Case, Exists, OuterRef, Q, TextField, Value, When
from poietic_core.order.states import OrderState

from ..catalog.queries import any_of
from ..ledger.models import Correction
from .models import Order


class Basis(StrEnum):
    """On what a cost stands."""

    #: nothing was charged: what the standard says it will cost
    STANDARD = "standard"
    #: its order is open: more may come, and its output went into stock at standard
    PROVISIONAL = "provisional"
    #: its order is closed
    ACTUAL = "actual"
    #: late cost has reached it
    CORRECTED = "corrected"


#: the basis of an order, where orders are read
BASIS = Case(
    When(
        Exists(Correction.objects.filter(line__posting__cost_object=OuterRef("pk"))),
        then=Value(Basis.CORRECTED.value),
    ),
    When(Q(state=OrderState.CLOSED.value), then=Value(Basis.ACTUAL.value)),
    When(standard__isnull=True, then=Value(Basis.STANDARD.value)),
    default=Value(Basis.PROVISIONAL.value),
    output_field=TextField(),
)


def bases_of(orders: Iterable[int]) -> dict[int, Basis]:
    """Return on what the cost of each of some orders stands, by key."""
    rows = Order.objects.filter(pk__in=any_of(orders)).order_by()
    return {pk: Basis(basis) for pk, basis in rows.values_list("pk", BASIS)}


def basis_of(order: Order) -> Basis:
    """Return on what an order's cost stands."""
    return bases_of([order.pk])[order.pk]
