"""On what the cost of an order stands: planned, still open, settled, or corrected since."""

from collections.abc import Iterable, Mapping
from decimal import Decimal
from enum import StrEnum
from typing import Any

from django.db import connection
from django.db.models import Case, Exists, F, OuterRef, Q, TextField, Value, When
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


def parts_by_basis(amounts: str, asked: Mapping[str, Any]) -> list[tuple[Basis, int, Decimal]]:
    """Return on what a sum over orders stands: for each basis, of how many orders and how much.

    Parameters
    ----------
    amounts : SQL that gives each order once, as order_id, with its amount
    asked : the values that it names
    """
    bases, values = (
        Order.objects.order_by().values(own_key=F("pk"), basis=BASIS).query.sql_with_params()
    )
    named = {f"basis_{n}": value for n, value in enumerate(values)}
    bases %= tuple(f"%({name})s" for name in named)
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT b.basis, count(*), sum(a.amount) FROM ({amounts}) a JOIN ({bases}) b ON b.own_key = a.order_id GROUP BY 1",
            {**asked, **named},
        )
        return sorted((Basis(b), n, amount) for b, n, amount in cursor.fetchall())


def basis_of(order: Order) -> Basis:
    """Return on what an order's cost stands."""
    return bases_of([order.pk])[order.pk]
